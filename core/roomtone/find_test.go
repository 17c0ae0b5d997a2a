package roomtone

import (
	"context"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"blendseam/core/measure"
	"blendseam/core/sound"
	"blendseam/outside"
)

func find(t testing.TB, r sound.Reader, hz int) Found {
	t.Helper()
	f, err := Find(context.Background(), r, hz, 0, r.Len(), func(float64) {})
	if err != nil {
		t.Fatal(err)
	}
	return f
}

// talk is the recorded voices of alsa-utils one after the other, with a room of
// pink noise under all of it, and pauses between them.
func talk(t testing.TB) []float32 {
	var out []float32
	for _, v := range outside.Voices(t) {
		out = append(append(out, v...), make([]float32, rate)...)
	}
	noise := pink(t, fmt.Sprint(len(out)/rate+1), "1")[0]
	for i := range out {
		out[i] += noise[i] * 0.3
	}
	return out
}

// The stretches are held against ffmpeg's silencedetect, which goes by single
// samples and knows nothing of floors: it has to call each of them silence at
// the peak of the noise that lies under the voices, and not the voices.
func TestQuietStretchesOfRealSpeechHoldNoSpeech(t *testing.T) {
	v := talk(t)
	path := filepath.Join(t.TempDir(), "talk.f32")
	if err := os.WriteFile(path, outside.Bytes(v), 0o600); err != nil {
		t.Fatal(err)
	}
	f := find(t, sound.Memory{v}, rate)
	if len(f.Quiet) < 8 {
		t.Fatalf("%d quiet stretches found in %d s", len(f.Quiet), len(v)/rate)
	}
	threshold := math.Pow(10, (f.Floor+15)/20) // noise peaks 12 to 14 dB over its RMS
	cmd := fmt.Sprintf("silencedetect=n=%.8f:d=0.2", threshold)
	log := outside.Run(t, nil, "sh", "-c", "ffmpeg -hide_banner -nostats -f f32le -ar 48000 -ac 1 -i "+path+" -af "+cmd+" -f null - 2>&1")
	var from, to []float64
	for _, line := range strings.Split(string(log), "\n") {
		if m := regexp.MustCompile(`silence_start: ([-\d.]+)`).FindStringSubmatch(line); m != nil {
			x, _ := strconv.ParseFloat(m[1], 64)
			from = append(from, x)
		}
		if m := regexp.MustCompile(`silence_end: ([-\d.]+)`).FindStringSubmatch(line); m != nil {
			x, _ := strconv.ParseFloat(m[1], 64)
			to = append(to, x)
		}
	}
	if len(from) == len(to)+1 {
		to = append(to, float64(len(v))/rate)
	}
	found := 0.0
	for _, q := range f.Quiet {
		a, b := float64(q.From)/rate, float64(q.To)/rate
		found += b - a
		inside := false
		for i := range from {
			inside = inside || a >= from[i]-0.001 && b <= to[i]+0.001
		}
		if !inside {
			t.Errorf("%.2f to %.2f s is called quiet, and ffmpeg hears something there", a, b)
		}
		near := max(q.From-3*rate, 0)
		floor := measure.Floor(measure.Frames(rate, v[near:min(q.To+3*rate, int64(len(v)))]))
		if d := math.Abs(q.Level - floor); d > 3 {
			t.Errorf("%.2f to %.2f s lies %.1f dB off the floor around it", a, b, d)
		}
	}
	if want := 0.7 * float64(len(outside.Voices(t))); found < want {
		t.Errorf("%.1f s found of the pauses, want at least %.1f", found, want)
	}
	for i := 1; i < len(f.Quiet); i++ {
		if f.Quiet[i].Score > f.Quiet[i-1].Score {
			t.Error("the best do not come first")
		}
	}
}

func TestClicksSwellsAndMusicAreNotRoom(t *testing.T) {
	noise := func() []float32 { return append([]float32(nil), pink(t, "6", "1")[0]...) }
	whole := find(t, sound.Memory{noise()}, rate)
	if len(whole.Quiet) != 1 || whole.Quiet[0].To-whole.Quiet[0].From < 5*rate {
		t.Fatalf("of noise alone: %+v", whole.Quiet)
	}
	if s := whole.Quiet[0].Slope; math.Abs(s) > 0.5 {
		t.Errorf("pink noise slopes by %.2f dB from octave to octave", s)
	}
	v := noise()
	v[3*rate] += 0.5
	for _, q := range find(t, sound.Memory{v}, rate).Quiet {
		if q.From <= 3*rate && q.To > 3*rate {
			t.Error("a click is called quiet")
		}
	}
	v = noise()
	for i := 2 * rate; i < 4*rate; i++ { // a slow swell of 9 dB
		v[i] *= float32(math.Pow(10, 9*math.Pow(math.Sin(math.Pi*float64(i-2*rate)/float64(2*rate)), 2)/20))
	}
	for _, q := range find(t, sound.Memory{v}, rate).Quiet {
		if q.From < 3*rate && q.To > 3*rate {
			t.Errorf("a swell is called quiet: %+v", q)
		}
	}
	// Direct current alters nothing; full scale and digital silence have no room.
	v = noise()
	for i := range v {
		v[i] += 0.3
	}
	if f := find(t, sound.Memory{v}, rate); len(f.Quiet) == 0 || math.Abs(f.Quiet[0].Level-whole.Quiet[0].Level) > 0.1 || math.Abs(f.Floor-whole.Floor) > 0.1 {
		t.Errorf("with direct current: floor %.2f, %+v", f.Floor, f.Quiet)
	}
	loud := make([]float32, 3*rate)
	for i := range loud {
		loud[i] = float32(math.Sin(float64(i)))
	}
	if f := find(t, sound.Memory{loud}, rate); len(f.Quiet) != 0 || f.Quietest == nil {
		t.Errorf("full scale has a room: %+v", f)
	}
	if f := find(t, sound.Memory{make([]float32, 3*rate)}, rate); len(f.Quiet) != 0 || f.Quietest != nil {
		t.Errorf("digital silence has a room: %+v", f)
	}
	for _, n := range []int{0, 1, 959} {
		if f := find(t, sound.Memory{make([]float32, n)}, rate); len(f.Quiet) != 0 {
			t.Errorf("%d samples have a room", n)
		}
	}
	// Stereo, and other rates.
	if f := find(t, pink(t, "3", "2"), rate); len(f.Quiet) != 1 {
		t.Errorf("stereo: %+v", f.Quiet)
	}
	for _, hz := range []int{44100, 96000} {
		if f := find(t, pink(t, "3", "1"), hz); len(f.Quiet) != 1 {
			t.Errorf("at %d Hz: %+v", hz, f.Quiet)
		}
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if _, err := Find(ctx, pink(t, "3", "1"), rate, 0, 3*rate, func(float64) {}); err == nil {
		t.Error("a search that was stopped went on")
	}
}

func BenchmarkFindTenMinutes(b *testing.B) {
	v := talk(b)
	m := make([]float32, 600*rate)
	for at := 0; at < len(m); at += len(v) {
		copy(m[at:], v)
	}
	for b.Loop() {
		find(b, sound.Memory{m}, rate)
	}
}
