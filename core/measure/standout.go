package measure

import (
	"math"
	"slices"
)

// Limits for a click in steady noise, chosen on joins of white, pink and brown noise from
// −60 to −30 dBFS and of recorded speech (accuracy/click_test.go).
const (
	overNoise  = 6.0    // dB above the 95th percentile
	faintClick = 1e-7   // power, −70 dBFS; fainter clicks are inaudible
	windowOf   = 0.0015 // seconds
	maskBefore = 0.03   // seconds of forward masking
	maskAfter  = 0.006  // seconds of backward masking
	spreads    = 15.0   // dB that masking loses from one band to the next
	steadyFor  = 0.068  // seconds examined on each side for steady noise
	steadiest  = 10.9   // see [energies.unsteady]
	steadySide = 12.5   // the limit for one side
)

// standOut returns by how many dB the energy in the 1.5 ms around a place exceeds the
// 95th percentile of such windows in the 30 ms before and the 6 ms after, in the band
// above 2, 5 or 9 kHz in which it does so most; −Inf where that is too faint to be
// heard. Sound in one band also masks the next, less by 15 dB, as masking spreads
// upwards. steady reports whether both sides are steady noise above 2 kHz.
func standOut(rate int, v []float32, at int) (above float64, steady bool) {
	above = math.Inf(-1)
	masks := 1e-13
	n := int(windowOf * float64(rate))
	hop, settled := max(n/6, 1), rate/500
	for band, hz := range []float64{2000, 5000, 9000} {
		if hz > float64(rate)/2 {
			break
		}
		e := newEnergies(rate, v, hz, n)
		if band == 0 {
			reach := int(steadyFor * float64(rate))
			before, after := e.unsteady(max(at-reach, settled), at-n/2, hop), e.unsteady(at+n/2, at+reach, hop)
			if !(before+after <= 2*steadiest && max(before, after) <= steadySide) {
				return above, false
			}
		}
		near := 0.0
		for _, w := range e.windows(at-n/2-hop, at+n/2+hop, hop) {
			near = max(near, w)
		}
		around := append(e.windows(max(at-int(maskBefore*float64(rate)), settled), at-n/2, hop), e.windows(at+n/2, at+n/2+int(maskAfter*float64(rate)), hop)...)
		slices.Sort(around)
		masks = max(masks*math.Pow(10, -spreads/10), around[len(around)*95/100])
		if near >= faintClick {
			above = max(above, 10*math.Log10(near/masks))
		}
	}
	return above, true
}

// energies are running sums of a sound above a frequency.
type energies struct {
	sums   []float64 // of the squares
	fourth []float64 // of the fourth powers
	n      int       // samples of a window
}

// newEnergies filters a sound by two first-order high-passes.
func newEnergies(rate int, v []float32, hz float64, n int) energies {
	a := math.Exp(-2 * math.Pi * hz / float64(rate))
	e := energies{make([]float64, len(v)+1), make([]float64, len(v)+1), n}
	var x, y [2]float64
	for i, f := range v {
		s := float64(f)
		for j := range x {
			t := a * (y[j] + s - x[j])
			x[j], y[j], s = s, t, t
		}
		e.sums[i+1] = e.sums[i] + s*s
		e.fourth[i+1] = e.fourth[i] + s*s*s*s
	}
	return e
}

// windows returns the mean powers of the windows that lie in [from, to).
func (e energies) windows(from, to, hop int) (out []float64) {
	for at := max(from, 0); at+e.n <= min(to, len(e.sums)-1); at += hop {
		out = append(out, max(e.sums[at+e.n]-e.sums[at], 0)/float64(e.n))
	}
	return out
}

// unsteady grades how unlike steady noise a stretch is: the range of its windows in dB,
// from the 10th to the 90th percentile, plus twice its kurtosis, which is 3 for noise of
// any band. The mean of 68 ms on both sides is under 10.9 in 99.8 % of joins of noise,
// also of noise without anything above 8 kHz, and over 11 in 99.8 % of joins of recorded
// speech. It is +Inf for digital silence and for a stretch that is too short.
func (e energies) unsteady(from, to, hop int) float64 {
	all := e.windows(from, to, hop)
	if len(all) < 20 {
		return math.Inf(1)
	}
	slices.Sort(all)
	a, b := max(from, 0), min(to, len(e.sums)-1)
	n := float64(b - a)
	second, fourth := (e.sums[b]-e.sums[a])/n, (e.fourth[b]-e.fourth[a])/n
	if second < 1e-13 {
		return math.Inf(1)
	}
	return 10*math.Log10((all[len(all)*9/10]+1e-13)/(all[len(all)/10]+1e-13)) + 2*fourth/(second*second)
}
