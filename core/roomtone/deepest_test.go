package roomtone

import (
	"math"
	"testing"
)

// The quietest of a stretch is told though something far too loud came before,
// and digital silence is none of it.
func TestDeepest(t *testing.T) {
	high := make([]float64, 500) // ten seconds
	for i := range high {
		high[i] = 1e-6
	}
	high[3] = 1e40 // a sample of 1e20
	for i := 200; i < 230; i++ {
		high[i] = 0
	}
	for i := 300; i < 310; i++ {
		high[i] = 1e-8
	}
	for k, p := range deepest(high, 10, 1) {
		if want := 1e-8; math.Abs(p/want-1) > 1e-9 {
			t.Errorf("second %d: %g, want %g", k, p, want)
		}
	}
	if got := deepest(make([]float64, 60), 10, 1); !math.IsInf(got[0], 1) {
		t.Errorf("of silence: %g", got[0])
	}
}
