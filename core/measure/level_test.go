package measure

import (
	"math"
	"testing"
)

// A full-scale sine has an RMS of 1/√2, −3.01 dBFS re 1.0 (textbook).
func TestSine(t *testing.T) {
	v := make([]float32, 48000)
	for i := range v {
		v[i] = float32(math.Sin(2 * math.Pi * 997 * float64(i) / 48000))
	}
	if got := RMS(v); math.Abs(got+3.0103) > 0.001 {
		t.Errorf("RMS %g", got)
	}
	if got := Peak(v); math.Abs(got) > 0.001 {
		t.Errorf("peak %g", got)
	}
	for i, l := range Course(4800, 480, v, v) {
		if i > 10 && i < 90 && math.Abs(l+3.0103) > 0.05 {
			t.Errorf("level %g at %d", l, i)
		}
	}
}

func TestSilence(t *testing.T) {
	z := make([]float32, 100)
	if RMS(z) != Silence || Peak(z) != Silence || RMS() != Silence || Course(10, 10, z)[3] != Silence || Course(1, 1) != nil {
		t.Error("silence is not told")
	}
}
