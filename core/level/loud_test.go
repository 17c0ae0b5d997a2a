package level

import (
	"bytes"
	"context"
	"encoding/binary"
	"fmt"
	"math"
	"os/exec"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"blendseam/core/gain"
	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/sound"
)

// What is told of a reel of recorded speech under music, ducked and ridden, against
// ffmpeg's ebur128 and astats of the same reel as 32-bit sound.
func TestLoudnessOfAReelAgainstFFmpeg(t *testing.T) {
	r, music, open, _ := ducked(t)
	ctx := context.Background()
	e, err := Duck(ctx, r, open, music, reel.UsualDuck(r.Props))
	if err != nil {
		t.Fatal(err)
	}
	for _, edit := range []reel.Edit{e, &reel.RideSpan{From: 8 * rate, To: 11 * rate, Tracks: []reel.ID{r.Tracks[0].ID}, ByDB: 6}} {
		done, err := edit.Apply(r)
		if err != nil {
			t.Fatal(err)
		}
		r = done.Reel
	}
	span := reel.Stretch{From: 2 * rate, To: 55 * rate}
	last := -1.0
	got, err := Measure(ctx, r, open, span, Memory{}, func(p float64) {
		if p < last {
			t.Errorf("progress went from %g to %g", last, p)
		}
		last = p
	})
	if err != nil {
		t.Fatal(err)
	}
	m, err := mix.New(r, open, mix.Options{})
	if err != nil {
		t.Fatal(err)
	}
	left, right := make([]float32, span.To-span.From), make([]float32, span.To-span.From)
	if err := m.Render(ctx, left, right, span.From); err != nil {
		t.Fatal(err)
	}
	both := make([]float32, 0, 2*len(left))
	for i := range left {
		both = append(both, left[i], right[i])
	}
	var raw bytes.Buffer
	if err := binary.Write(&raw, binary.LittleEndian, both); err != nil {
		t.Fatal(err)
	}
	cmd := exec.Command("ffmpeg", "-hide_banner", "-nostats", "-f", "f32le", "-ar", fmt.Sprint(rate), "-ac", "2", "-channel_layout", "stereo", "-i", "pipe:0",
		"-af", "ebur128=peak=true,astats", "-f", "null", "-")
	cmd.Stdin = &raw
	text, err := cmd.CombinedOutput()
	if err != nil {
		t.Fatalf("%v\n%s", err, text)
	}
	read := func(re string, n int) float64 {
		m := regexp.MustCompile(re).FindAllSubmatch(text, -1)
		if len(m) == 0 {
			t.Fatalf("%s is not in\n%s", re, text)
		}
		v, _ := strconv.ParseFloat(string(m[(n+len(m))%len(m)][1]), 64)
		return v
	}
	for _, c := range []struct {
		what      string
		got, want float64
		within    float64
	}{
		{"integrated", got.Integrated, read(`I:\s+(-?[\d.]+) LUFS`, -1), 0.1},
		{"range", got.Range, read(`LRA:\s+(-?[\d.]+) LU`, -1), 0.3},
		{"true peak", got.TruePeak, read(`Peak:\s+(-?[\d.]+) dBFS`, -1), 0.2},
		{"peak left", got.Peak[0], read(`Peak level dB: (-?[\d.]+)`, 0), 0.01},
		{"RMS left", got.RMS[0], read(`RMS level dB: (-?[\d.]+)`, 0), 0.01},
		{"peak right", got.Peak[1], read(`Peak level dB: (-?[\d.]+)`, 1), 0.01},
		{"RMS right", got.RMS[1], read(`RMS level dB: (-?[\d.]+)`, 1), 0.01},
	} {
		if math.Abs(c.got-c.want) > c.within+0.051 { // it prints tenths of some
			t.Errorf("%s is %.2f, ffmpeg has %.2f", c.what, c.got, c.want)
		}
	}
	if n := len(got.Course); n != (53-3)*2+1 {
		t.Errorf("%d values of its course", n)
	}
	top := -70.0
	for _, v := range got.Course {
		top = max(top, v)
	}
	if top > got.ShortTerm+1e-9 || top < got.ShortTerm-1 {
		t.Errorf("the course goes up to %.2f, the loudest 3 s are at %.2f", top, got.ShortTerm)
	}
}

// Speech that is planted too low and too high is told, and what is in the corridor is
// not; a corridor turned round is refused with the other way offered.
func TestPlacesOutsideTheTarget(t *testing.T) {
	r, _, open, _ := ducked(t)
	ctx := context.Background()
	do := func(e reel.Edit) {
		t.Helper()
		done, err := e.Apply(r)
		if err != nil {
			t.Fatal(err)
		}
		r = done.Reel
	}
	clips := r.OnTrack(r.Tracks[0].ID)
	peakTo := func(c reel.Clip, db float64) {
		reader, err := open(reel.Source{Recording: map[int64]string{clips[0].Start: "warden", clips[1].Start: "grower"}[c.Start]})
		if err != nil {
			t.Fatal(err)
		}
		sides, err := Peaks(ctx, reader, c.Offset, c.Length)
		if err != nil {
			t.Fatal(err)
		}
		to := math.Round(10*(db-20*math.Log10(sides[0]))) / 10
		do(&reel.Gain{Clips: []reel.ID{c.ID}, ToDB: &to})
	}
	peakTo(clips[0], -30)
	peakTo(clips[1], 2)
	got, err := Measure(ctx, r, open, reel.Stretch{To: 60 * rate}, Memory{}, func(float64) {})
	if err != nil {
		t.Fatal(err)
	}
	kinds := map[string]int{}
	for _, p := range got.Places {
		kinds[p.What]++
		low := p.From < clips[0].End()
		if low != (p.What == SpeechLow) && p.What != SpeechLow {
			t.Errorf("%+v", p)
		}
	}
	if kinds[SpeechLow] == 0 || kinds[SpeechHigh] == 0 || kinds[OverPeak] == 0 {
		t.Errorf("%v", kinds)
	}
	turned := reel.Target{LUFS: -23, Within: 0.5, TruePeak: -1, Low: -6, High: -12}
	_, err = (&reel.SetReel{Target: &turned}).Apply(r)
	no, ok := err.(*reel.Refusal)
	if !ok || no.Offer == nil {
		t.Fatalf("a corridor turned round: %v", err)
	}
	do(no.Offer)
	if r.Props.Target.Low != -12 {
		t.Errorf("%+v", r.Props.Target)
	}
}

// A steady tone under the limit is over it nowhere, wherever its seconds are parted.
func TestSteadyToneIsNoPlace(t *testing.T) {
	v := make([]float32, 8*rate)
	for i := range v {
		v[i] = float32(math.Pow(10, -1.3/20) * math.Cos(2*math.Pi*20*float64(i)/rate)) // each second begins at its peak
	}
	sounds := map[string]sound.Memory{"tone": {v}}
	r, ids := cut(t, sounds, []struct {
		of           string
		from, length float64
		db           float64
	}{{"tone", 0, 8, 0}})
	done, err := (&reel.SetFade{Clip: ids[0], End: reel.Head, Fade: reel.Fade{Length: rate / 10, Shape: gain.Smooth, Bend: gain.Even}}).Apply(r)
	if err != nil {
		t.Fatal(err)
	}
	got, err := Measure(context.Background(), done.Reel, func(s reel.Source) (sound.Reader, error) { return sounds[s.Recording], nil }, reel.Stretch{To: 8*rate - 100}, Memory{}, func(float64) {})
	if err != nil {
		t.Fatal(err)
	}
	for _, p := range got.Places {
		if p.What == OverPeak {
			t.Errorf("%+v", p)
		}
	}
	if math.Abs(got.TruePeak+1.3) > 0.05 || got.PeakOver {
		t.Errorf("true peak %.2f", got.TruePeak)
	}
	if got.Verdict != Misses || !strings.Contains(got.Says, "above −23.0 LUFS") {
		t.Errorf("%s: %s", got.Verdict, got.Says)
	}
}
