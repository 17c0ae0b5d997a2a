package level

import (
	"bytes"
	"context"
	"encoding/binary"
	"math"
	"math/rand/v2"
	"os/exec"
	"regexp"
	"strconv"
	"testing"

	"blendseam/core/gain"
	"blendseam/core/reel"
	"blendseam/core/sound"
)

// noise is a sound whose largest sample is where it was put.
func noise(n int, peak float32, seed uint64) []float32 {
	rng := rand.New(rand.NewPCG(seed, 1))
	v := make([]float32, n)
	for i := range v {
		v[i] = (rng.Float32() - 0.5) * peak
	}
	v[n/3] = -peak
	return v
}

func TestPeakOfASpan(t *testing.T) {
	ctx := context.Background()
	v := sound.Memory{noise(300_000, 0.5, 1), noise(300_000, 0.25, 2)}
	for _, c := range []struct {
		from, n int64
		want    float64
	}{{0, 300_000, 0.5}, {100_000, 1, 0.5}, {100_001, 0, 0}, {400_000, 100, 0}, {-500, 1 << 20, 0.5}} {
		got, err := Peaks(ctx, v, c.from, c.n)
		if err != nil || max(got[0], got[1]) != c.want {
			t.Errorf("%+v: %g, %v", c, got, err)
		}
	}
	if got, _ := Peaks(ctx, v, 100_001, 199_999); got[0] >= 0.26 || got[0] < 0.2 || got[1] >= 0.2 {
		t.Errorf("without the largest it is %g", got)
	}
	odd := sound.Memory{{0, float32(math.NaN()), 0.1}}
	if got, _ := Peaks(ctx, odd, 0, 3); got[0] == got[0] {
		t.Errorf("with a sample that is no number it is %g", got)
	}
	if got := ClipPeak(reel.Clip{GainDB: 6}, [2]float64{0.5, 0.1}); math.Abs(got+0.0206) > 0.001 { // 20·log10(0.5) + 6
		t.Errorf("%g", got)
	}
	for _, silent := range []float64{ClipPeak(reel.Clip{}, [2]float64{}), ClipPeak(reel.Clip{GainDB: gain.MinDB}, [2]float64{1, 1})} {
		if !math.IsInf(silent, -1) {
			t.Errorf("silence peaks at %g", silent)
		}
	}
	// The louder side may be turned down: then the other tells.
	if got := ClipPeak(reel.Clip{Balance: 1, RightDB: -6}, [2]float64{0.9, 0.5}); math.Abs(got+12.0206) > 0.001 {
		t.Errorf("%g", got)
	}
	stop, cancel := context.WithCancel(ctx)
	cancel()
	if _, err := Peaks(stop, v, 0, 300_000); err == nil {
		t.Error("it went on")
	}
}

// ffmpeg's volumedetect and volume filters tell the same peak, to the tenth of a
// dB that it prints.
func TestPeakAgainstFFmpeg(t *testing.T) {
	if _, err := exec.LookPath("ffmpeg"); err != nil {
		t.Fatal(err)
	}
	for i, db := range []float64{0, -7.3, 5.5, -31.2} {
		v := noise(96_000, 0.42, uint64(i))
		var raw bytes.Buffer
		if err := binary.Write(&raw, binary.LittleEndian, v); err != nil {
			t.Fatal(err)
		}
		cmd := exec.Command("ffmpeg", "-hide_banner", "-f", "f32le", "-ar", "48000", "-ac", "1", "-i", "pipe:0", "-af", "volume="+strconv.FormatFloat(db, 'f', -1, 64)+"dB:precision=double,volumedetect", "-f", "null", "-")
		cmd.Stdin = &raw
		out, err := cmd.CombinedOutput()
		if err != nil {
			t.Fatalf("%v\n%s", err, out)
		}
		m := regexp.MustCompile(`max_volume: (-?[\d.]+) dB`).FindSubmatch(out)
		if m == nil {
			t.Fatalf("%s", out)
		}
		want, _ := strconv.ParseFloat(string(m[1]), 64)
		peak, err := Peaks(context.Background(), sound.Memory{v}, 0, int64(len(v)))
		if err != nil {
			t.Fatal(err)
		}
		if got := ClipPeak(reel.Clip{GainDB: db}, peak); math.Abs(got-want) > 0.06 {
			t.Errorf("%g dB: %g, ffmpeg says %g", db, got, want)
		}
	}
}
