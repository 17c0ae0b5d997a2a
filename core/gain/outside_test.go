package gain

import (
	"encoding/binary"
	"fmt"
	"math"
	"testing"

	"blendseam/outside"
)

// floats runs a program that writes float64 samples and returns them.
func floats(t *testing.T, stdin []byte, name string, args ...string) []float64 {
	t.Helper()
	out := outside.Run(t, stdin, name, args...)
	v := make([]float64, len(out)/8)
	for i := range v {
		v[i] = math.Float64frombits(binary.LittleEndian.Uint64(out[8*i:]))
	}
	return v
}

// ones is n samples of 1 as float64.
func ones(n int) []byte { return steady(n, 1) }

func steady(n int, v float64) []byte {
	b := make([]byte, 8*n)
	for i := range n {
		binary.LittleEndian.PutUint64(b[8*i:], math.Float64bits(v))
	}
	return b
}

// Reference: ffmpeg's afade with the curves tri, qsin and hsin, to 1e-6.
func TestShapesAgainstFFmpeg(t *testing.T) {
	for shape, curve := range map[Shape]string{Linear: "tri", QuarterSine: "qsin", Smooth: "hsin"} {
		for _, rate := range []int{44100, 48000} {
			for _, fall := range []bool{false, true} {
				const n = 4801
				kind := "in"
				if fall {
					kind = "out"
				}
				r := fmt.Sprint(rate)
				got := make([]float32, n)
				Curve{Shape: shape, Len: n, Fall: fall}.Fill(got, 0)
				want := floats(t, ones(n), "ffmpeg", "-v", "error", "-f", "f64le", "-ar", r, "-ac", "1", "-i", "-",
					"-af", fmt.Sprintf("afade=type=%s:start_sample=0:nb_samples=%d:curve=%s", kind, n, curve), "-f", "f64le", "-")
				compare(t, fmt.Sprintf("%s %s at %d", shape, kind, rate), got, want, 1e-6, 1)
			}
		}
	}
}

// Reference: sox fade t, q and h. sox holds samples as 32-bit integers, so
// that a steady half of full scale is faded here.
func TestShapesAgainstSox(t *testing.T) {
	for shape, curve := range map[Shape]string{Linear: "t", QuarterSine: "q", Smooth: "h"} {
		const n = 4800
		got := make([]float32, n)
		Curve{Shape: shape, Len: n}.Fill(got, 0)
		want := floats(t, steady(n*2, 0.5), "sox", "-t", "f64", "-r", "48000", "-c", "1", "-", "-t", "f64", "-", "fade", curve, fmt.Sprintf("%ds", n))
		compare(t, fmt.Sprintf("sox fade %s", curve), got, want[:n], 1e-6, 0.5)
	}
}

func compare(t *testing.T, what string, got []float32, want []float64, limit, scale float64) {
	t.Helper()
	if len(want) != len(got) {
		t.Fatalf("%s: the reference has %d samples, not %d", what, len(want), len(got))
	}
	worst := 0.0
	for i := range got {
		worst = max(worst, math.Abs(float64(got[i])-want[i]/scale))
	}
	if worst > limit {
		t.Errorf("%s: off by %.2g", what, worst)
	}
}
