package measure

import "math"

// NoClick is the reading of Click where nothing steps out.
const NoClick = -60.0

// The reach of the prediction, at 48 kHz; other rates in proportion.
const (
	clickOrder   = 32
	clickSeconds = 0.02
	clickWithin  = 0.0007 // of the cut, in seconds: samples that are predicted
	minStep      = 0.001  // −60 dBFS: a smaller step is never a click
)

// Click tells how far a join steps out of what the sound around it lets one
// expect, in dB. Both sides of the cut are predicted from the other by linear
// prediction over 20 ms, order 32 at 48 kHz; the smaller of the two peak
// residuals stands over the larger side's RMS residual. After S. J. Godsill
// and P. J. W. Rayner, Digital Audio Restoration (1998), from memory. From
// about 12 dB on it is heard as a click. v holds the sound, cut is the place
// of the first incoming sample.
func Click(rate int, v []float32, cut int) float64 {
	scale := float64(rate) / 48000
	order, reach := int(clickOrder*scale+0.5), int(clickSeconds*float64(rate))
	within := max(int(clickWithin*float64(rate)), 4)
	if cut < within || cut > len(v)-within {
		return NoClick
	}
	// Only a sudden change can click: the largest step from sample to sample
	// right at the cut.
	out, in := v[max(cut-reach, 0):cut], v[cut:min(cut+reach, len(v))]
	if len(out) < 2*order || len(in) < 2*order {
		return NoClick
	}
	step := 0.0
	for i := cut - 1; i <= cut+1; i++ {
		step = max(step, math.Abs(float64(v[i])-float64(v[i-1])))
	}
	if step < minStep {
		return NoClick
	}
	ahead := newPredictor(out, order)
	back := newPredictor(reversed(in), order)
	rms := math.Sqrt(max(ahead.power, back.power))
	if rms == 0 {
		return NoClick
	}
	peak := min(ahead.peak(in[:within]), back.peak(reversed(out[len(out)-within:])))
	if peak <= 0 {
		return NoClick
	}
	return max(20*math.Log10(peak/rms), NoClick)
}

func reversed(v []float32) []float32 {
	out := make([]float32, len(v))
	for i, s := range v {
		out[len(v)-1-i] = s
	}
	return out
}

// predictor foretells a sound from its past.
type predictor struct {
	past  []float32
	a     []float64 // v[n] ≈ −Σ a[k]·v[n−k]
	power float64   // of the residual over the past
}

// newPredictor fits the coefficients to a stretch by the autocorrelation
// method: Levinson and Durbin's recursion on the windowed stretch.
func newPredictor(v []float32, order int) predictor {
	n := len(v)
	w := make([]float64, n)
	for i, s := range v {
		w[i] = float64(s) * (0.5 - 0.5*math.Cos(2*math.Pi*(float64(i)+0.5)/float64(n)))
	}
	r := make([]float64, order+1)
	for k := range r {
		for i := k; i < n; i++ {
			r[k] += w[i] * w[i-k]
		}
	}
	p := predictor{past: v, a: make([]float64, order+1)}
	p.a[0] = 1
	e := r[0] * (1 + 1e-9)
	if e == 0 {
		return p
	}
	next := make([]float64, order+1)
	for m := 1; m <= order; m++ {
		k := r[m]
		for j := 1; j < m; j++ {
			k += p.a[j] * r[m-j]
		}
		k /= -e
		copy(next, p.a)
		for j := 1; j < m; j++ {
			next[j] = p.a[j] + k*p.a[m-j]
		}
		next[m] = k
		copy(p.a, next)
		e *= 1 - k*k
		if e <= 0 {
			break
		}
	}
	for i := order; i < n; i++ {
		d := p.residual(v, i)
		p.power += d * d / float64(n-order)
	}
	return p
}

func (p predictor) residual(v []float32, i int) float64 {
	sum := float64(v[i])
	for k := 1; k < len(p.a); k++ {
		sum += p.a[k] * float64(v[i-k])
	}
	return sum
}

// peak is the largest residual in what comes, each sample predicted from what
// truly came before it.
func (p predictor) peak(next []float32) float64 {
	order := len(p.a) - 1
	all := append(append(make([]float32, 0, order+len(next)), p.past[len(p.past)-order:]...), next...)
	top := 0.0
	for i := order; i < len(all); i++ {
		top = max(top, math.Abs(p.residual(all, i)))
	}
	return top
}
