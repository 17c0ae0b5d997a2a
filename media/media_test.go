package media

import (
	"bytes"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"blendseam/core/sound"
	"blendseam/media/wav"
	"blendseam/outside"
)

func library(t testing.TB) *Library {
	t.Helper()
	l, err := OpenLibrary(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	return l
}

func take(t testing.TB, l *Library, name string, file []byte, rate int) (Imported, *Copy, error) {
	t.Helper()
	ctx := context.Background()
	u, err := l.Receive(ctx, name, bytes.NewReader(file), func(int64) {})
	if err != nil {
		return Imported{}, nil, err
	}
	defer u.Discard()
	last := 0.0
	im, err := l.Import(ctx, u, rate, func(p float64) { last = p })
	if err != nil {
		return im, nil, err
	}
	if last != 1 && last != -1 && im.Missing == 0 && math.Abs(last-1) > 0.02 {
		t.Errorf("%s: progress ended at %g", name, last)
	}
	c, err := l.Copy(im.Hash, rate)
	if err != nil {
		t.Fatal(err)
	}
	return im, c, nil
}

func samples(t testing.TB, c *Copy, ch int) []float32 {
	t.Helper()
	v := make([]float32, c.Len())
	if err := c.ReadAt(v, ch, 0); err != nil {
		t.Fatal(err)
	}
	return v
}

func equal(t *testing.T, what string, got, want []float32) {
	t.Helper()
	if len(got) != len(want) {
		t.Fatalf("%s: %d samples, want %d", what, len(got), len(want))
	}
	for i := range got {
		if got[i] != want[i] {
			t.Fatalf("%s: sample %d is %g, want %g", what, i, got[i], want[i])
		}
	}
}

// Files that ffmpeg and sox wrote at the reel's rate are taken in sample for
// sample: the reference is ffmpeg's own decoding of them.
func TestImportAgainstFFmpegAndSox(t *testing.T) {
	l, dir := library(t), t.TempDir()
	speech := "../demo/sound/warden take 3.flac"
	for _, c := range []struct {
		file   string
		make   []string
		format string
	}{
		{"16.wav", []string{"ffmpeg", "-i", speech, "-c:a", "pcm_s16le"}, "WAV, 16-bit integer"},
		{"24.wav", []string{"ffmpeg", "-i", speech, "-af", "volume=0.77", "-c:a", "pcm_s24le"}, "WAV, 24-bit integer"},
		{"32.wav", []string{"ffmpeg", "-i", speech, "-af", "volume=0.77", "-c:a", "pcm_s32le"}, "WAV, 32-bit integer"},
		{"f32.wav", []string{"ffmpeg", "-i", speech, "-af", "volume=0.77", "-c:a", "pcm_f32le"}, "WAV, 32-bit float"},
		{"sox.wav", []string{"sox", speech, "-b", "24"}, "WAV, 24-bit integer"},
		{"rf64.wav", []string{"ffmpeg", "-i", speech, "-rf64", "always", "-c:a", "pcm_s24le"}, "WAV, 24-bit integer"},
		{"16.flac", []string{"ffmpeg", "-i", speech, "-c:a", "flac"}, "FLAC, 16-bit"},
		{"24.flac", []string{"ffmpeg", "-i", speech, "-af", "volume=0.77", "-c:a", "flac", "-sample_fmt", "s32"}, "FLAC, 24-bit"},
		{"stereo.flac", []string{"sox", speech, "-b", "24", "-c", "2"}, "FLAC, 24-bit"},
		{"a.aiff", []string{"ffmpeg", "-i", speech, "-c:a", "pcm_s24be"}, "PCM_S24BE in aiff"},
		{"a.ogg", []string{"ffmpeg", "-i", speech, "-c:a", "libvorbis"}, "VORBIS in ogg"},
		{"a.m4a", []string{"ffmpeg", "-i", speech, "-c:a", "aac"}, "AAC in mov"},
		{"ulaw.wav", []string{"ffmpeg", "-i", speech, "-c:a", "pcm_mulaw"}, "PCM_MULAW in wav"},
	} {
		path := filepath.Join(dir, c.file)
		args := append([]string{}, c.make[1:]...)
		if c.make[0] == "ffmpeg" {
			args = append([]string{"-v", "error"}, args...)
		}
		outside.Run(t, nil, c.make[0], append(args, path)...)
		file, err := os.ReadFile(path)
		if err != nil {
			t.Fatal(err)
		}
		im, got, err := take(t, l, c.file, file, 48000)
		if err != nil {
			t.Errorf("%s: %v", c.file, err)
			continue
		}
		if im.Format != c.format || im.Missing != 0 || im.Bad != 0 || im.NativeRate != 48000 {
			t.Errorf("%s: %+v", c.file, im)
		}
		for ch := range got.Channels() {
			want := outside.Floats(outside.FFmpeg(t, "-i", path, "-af", fmt.Sprintf("pan=mono|c0=c%d", ch), "-f", "f32le", "-"))
			equal(t, c.file, samples(t, got, ch), want)
		}
	}
}

// A sine sweep at 44.1 and 96 kHz brought to 48 kHz is held against the sweep
// computed at 48 kHz, and against sox's resampler (rate -v): both within
// −100 dB, away from the ends and below both bands' edges.
func TestResampling(t *testing.T) {
	const seconds, low, high = 2.0, 50.0, 15000.0
	sweep := func(rate int) []float32 {
		v := make([]float32, int(seconds*float64(rate)))
		for i := range v {
			x := float64(i) / float64(rate)
			v[i] = float32(0.7 * math.Sin(2*math.Pi*(low*x+(high-low)*x*x/(2*seconds))))
		}
		return v
	}
	for _, from := range []int{44100, 96000} {
		pcm := sweep(from)
		var file bytes.Buffer
		w, err := wav.NewWriter(&file, wav.Format{Channels: 1, Rate: from, Bits: 32, Float: true}, int64(len(pcm)), false, wav.Meta{TimeReference: int64(from) * 3600})
		if err == nil {
			err = w.Write([][]float32{pcm})
		}
		if err != nil {
			t.Fatal(err)
		}
		im, c, err := take(t, library(t), "sweep.wav", file.Bytes(), 48000)
		if err != nil {
			t.Fatal(err)
		}
		if im.StartTC != 48000*3600 {
			t.Errorf("%d Hz: starts at %d", from, im.StartTC)
		}
		got, want := samples(t, c, 0), sweep(48000)
		if d := len(got) - len(want); d < -1 || d > 1 {
			t.Fatalf("%d Hz: %d samples, want %d", from, len(got), len(want))
		}
		far := func(a, b []float32) float64 {
			worst := 0.0
			for i := 2000; i < min(len(a), len(b))-2000; i++ {
				worst = max(worst, math.Abs(float64(a[i]-b[i])))
			}
			return 20 * math.Log10(worst)
		}
		if db := far(got, want); db > -100 {
			t.Errorf("%d Hz: %.1f dB from the sweep", from, db)
		}
		path := filepath.Join(t.TempDir(), "s.wav")
		if err := os.WriteFile(path, file.Bytes(), 0o600); err != nil {
			t.Fatal(err)
		}
		sox := outside.Floats(outside.Run(t, nil, "sox", "-D", path, "-t", "f32", "-", "rate", "-v", "48000"))
		if db := far(got, sox); db > -100 {
			t.Errorf("%d Hz: %.1f dB from sox", from, db)
		}
		ff := outside.Floats(outside.FFmpeg(t, "-i", path, "-af", "aresample=48000:filter_size=256:cutoff=0.98", "-f", "f32le", "-"))
		if db := far(got, ff); db > -90 {
			t.Errorf("%d Hz: %.1f dB from ffmpeg's own resampler", from, db)
		}
	}
}

func TestStartTimeAndName(t *testing.T) {
	file, err := os.ReadFile("../demo/sound/warden take 3.flac")
	if err != nil {
		t.Fatal(err)
	}
	im, _, err := take(t, library(t), "x.flac", file, 48000)
	if err != nil || im.Title != "warden take 3" || im.StartTC != (20*3600+14*60)*48000 {
		t.Errorf("%+v %v", im, err)
	}
}

// The same file is stored once; more channels are kept apart and picked from.
func TestManyChannelsAndTheSameTwice(t *testing.T) {
	l := library(t)
	path := filepath.Join(t.TempDir(), "poly.wav")
	outside.FFmpeg(t, "-f", "lavfi", "-i", "aevalsrc=0.1|0.2|0.3|0.4|0.5:s=44100:d=1:c=5.0", "-c:a", "pcm_f32le", path)
	file, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	for range 2 {
		im, c, err := take(t, l, "poly.wav", file, 48000)
		if err != nil || c.Channels() != 5 || im.Channels != 5 {
			t.Fatal(im, err)
		}
		for ch := range 5 {
			if got := samples(t, c, ch)[24000]; math.Abs(float64(got)-0.1*float64(ch+1)) > 1e-4 {
				t.Errorf("channel %d is %g", ch, got)
			}
		}
		p := Pick(c, 3, 1)
		one := make([]float32, 1)
		if err := p.ReadAt(one, 1, 24000); err != nil || p.Channels() != 2 || math.Abs(float64(one[0])-0.2) > 1e-4 {
			t.Error("the wrong channel was picked")
		}
	}
	u, err := l.Reuse(fmt.Sprintf("%x", sha256.Sum256(file)), "poly.wav")
	if err != nil {
		t.Fatal(err)
	}
	defer u.Discard()
	if im, err := l.Import(context.Background(), u, 44100, func(float64) {}); err != nil || im.Length != 44100 {
		t.Error(im, err)
	}
	for _, bad := range []string{"", "..", strings.Repeat("a", 63) + "/", strings.Repeat("A", 64)} {
		if _, err := l.Copy(bad, 48000); !errors.Is(err, ErrNoCopy) {
			t.Errorf("%q: %v", bad, err)
		}
	}
}

func TestOverviewIsOfTheSamples(t *testing.T) {
	file, err := os.ReadFile("../demo/sound/opening bed.flac")
	if err != nil {
		t.Fatal(err)
	}
	_, c, err := take(t, library(t), "bed.flac", file, 48000)
	if err != nil {
		t.Fatal(err)
	}
	for ch := range 2 {
		var o sound.Overview
		o.Add(samples(t, c, ch))
		o.Finish()
		for level := range sound.Levels {
			got, err := c.Overview(ch, level, 0, 1<<40)
			if err != nil || !bytes.Equal(got, o.Take(level)) {
				t.Errorf("level %d differs: %v", level, err)
			}
		}
	}
	if b, err := c.Overview(0, 0, 1<<40, 5); err != nil || b != nil {
		t.Error("buckets beyond the end")
	}
}

// Whatever a FLAC file holds, it is decoded or refused, and never more is given
// than was asked for.
func FuzzFLAC(f *testing.F) {
	whole, err := os.ReadFile("../demo/sound/spot effects.flac")
	if err != nil {
		f.Fatal(err)
	}
	f.Add(whole[:9000])
	f.Add(whole[:60])
	f.Fuzz(func(t *testing.T, file []byte) {
		path := filepath.Join(t.TempDir(), "x")
		if err := os.WriteFile(path, append([]byte("fLaC"), file...), 0o600); err != nil {
			t.Fatal(err)
		}
		in, err := os.Open(path)
		if err != nil {
			t.Fatal(err)
		}
		defer in.Close()
		d, desc, err := decode(in, "x.flac")
		if err != nil {
			return
		}
		part := blocks(desc.channels)
		for range 50 {
			n, err := d.Read(part)
			if err != nil {
				break
			}
			if n < 1 || n > blockLen {
				t.Fatalf("%d samples", n)
			}
		}
	})
}
