package measure

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"
)

// Silence that is told is measured as samples of nothing are, however it is cut up.
func TestToldSilence(t *testing.T) {
	rng := rand.New(rand.NewPCG(2, 3))
	for range 20 {
		a, b := NewLoudness(48000, 2), NewLoudness(48000, 2)
		p, q := NewTruePeak(2), NewTruePeak(2)
		for range 30 {
			n := rng.IntN(30000) + 1
			v := [][]float32{make([]float32, n), make([]float32, n)}
			if rng.IntN(2) == 0 {
				for ch := range v {
					for i := range v[ch] {
						v[ch][i] = float32(rng.NormFloat64() * 0.1)
					}
				}
				b.Add(v)
				q.Add(v)
			} else {
				for left := n; left > 0; {
					k := rng.IntN(left) + 1
					b.Silence(k)
					q.Silence(k)
					left -= k
				}
			}
			a.Add(v)
			p.Add(v)
			if x, y := p.DB(), q.DB(); x != y {
				t.Fatalf("a true peak of %g, not %g", y, x)
			}
		}
		// Sums are rounded where parts are cut.
		if !slices.EqualFunc(a.Hops(), b.Hops(), func(x, y float64) bool { return math.Abs(x-y) <= 1e-12*x+1e-40 }) {
			t.Fatal("the loudness differs")
		}
	}
}
