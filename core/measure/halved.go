package measure

import "math"

// halved takes the sound on both sides of a cut to half its rate, and returns where the
// cut is then. Each side is filtered alone, continued beyond the cut by odd reflection, so
// which keeps the step at the cut sharp.
func halved(v []float32, cut int) ([]float32, int) {
	out := halfSide(reversed(v[:cut]), 1)
	in := halfSide(v[cut:], 0)
	return append(reversed(out), in...), len(out)
}

// halfSide takes every second sample from the first on, band-limited. The
// sound begins at the cut; it is continued before its first sample by odd reflection.
func halfSide(v []float32, first int) []float32 {
	var out []float32
	for at := first; at < len(v); at += 2 {
		sum := halfTaps[0] * float64(v[at])
		for k := 1; k < len(halfTaps); k++ {
			if halfTaps[k] != 0 {
				sum += halfTaps[k] * (reflected(v, at-k) + reflected(v, at+k))
			}
		}
		out = append(out, float32(sum))
	}
	return out
}

func reflected(v []float32, i int) float64 {
	last := len(v) - 1
	switch {
	case i < 0:
		return 2*float64(v[0]) - float64(v[min(-i, last)])
	case i > last:
		return 2*float64(v[last]) - float64(v[max(2*last-i, 0)])
	}
	return float64(v[i])
}

// halfTaps is the right half of a half-band filter: a sinc under a Hann window of 47
// samples, with a gain of 1 at 0 Hz.
var halfTaps = func() (out [24]float64) {
	const n = len(out)
	out[0] = 0.5
	sum := 0.5
	for k := 1; k < n; k += 2 {
		x := math.Pi * float64(k) / 2
		out[k] = math.Sin(x) / x / 2 * (0.5 + 0.5*math.Cos(math.Pi*float64(k)/float64(n)))
		sum += 2 * out[k]
	}
	for k := range out {
		out[k] /= sum
	}
	return out
}()
