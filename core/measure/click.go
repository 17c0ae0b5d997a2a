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
	beneath      = 1e-7   // power, −70 dBFS, of white noise that nothing is predicted better than
)

// Click returns how far a join exceeds what the sound around it predicts, in dB. From
// about 12 dB on it is heard as a click. v holds at least 20 ms, better 70, on both sides;
// cut is the index of the first incoming sample.
//
// Both sides of the cut are predicted from the other by linear prediction over 20 ms,
// order 32 at 48 kHz. The result is the smaller of the two peak residuals over the
// larger side's RMS residual. After S. J. Godsill and P. J. W. Rayner, Digital Audio
// Restoration (1998), from memory. Both include white noise of −70 dBFS: without it, sound
// with an empty top band is predicted almost perfectly, and every join counts as a click. Rates above 50 kHz are decimated first: the same join has the
// same value at 48 and 96 kHz.
//
// Three cases read −6 dB at most, as they are not heard as clicks. The step between the
// two samples at the cut is under −60 dBFS. In steady noise on both sides, the energy
// above 2 kHz at the cut does not stand out from the noise (see [standOut]). In other
// sounds, the prediction fails by no more than it does elsewhere around the cut.
func Click(rate int, v []float32, cut int) float64 {
	if cut < 0 || cut > len(v) {
		return NoClick
	}
	for rate > 50000 {
		v, cut = halved(v, cut)
		rate /= 2
	}
	scale := float64(rate) / 48000
	order, reach := int(clickOrder*scale+0.5), int(clickSeconds*float64(rate))
	within := max(int(clickWithin*float64(rate)), 4)
	if cut < within || cut > len(v)-within {
		return NoClick
	}
	out, in := v[max(cut-reach, 0):cut], v[cut:min(cut+reach, len(v))]
	if len(out) < 2*order || len(in) < 2*order {
		return NoClick
	}
	step := math.Abs(float64(v[cut]) - float64(v[cut-1]))
	if !(step >= minStep) || step > math.MaxFloat32 {
		return NoClick
	}
	ahead := newPredictor(out, order)
	back := newPredictor(reversed(in), order)
	rms := math.Sqrt(max(ahead.power, back.power) + beneath)
	after, before := in[:within], reversed(out[len(out)-within:])
	peakAfter, peakBefore := ahead.peak(after), back.peak(before)
	peak := min(peakAfter, peakBefore)
	if peak <= 0 {
		return NoClick
	}
	over := max(20*math.Log10(peak/rms), NoClick)
	top := max(ahead.top, back.top) + 4*math.Sqrt(beneath)
	least := seldom
	if setsIn(rate, v, cut) {
		least = seldomThere
	}
	// A join is where it is made: both predictions fail at its very samples.
	there := min(ahead.peak(after[:1])/peakAfter, back.peak(before[:1])/peakBefore)
	heard := peak >= plain*top || peak >= least*top && there >= atOnce
	if over > NoClick/10 {
		if above, steady := standOut(rate, v, cut); steady {
			heard = above >= overNoise
		}
	}
	if !heard {
		return min(over, NoClick/10)
	}
	return over
}

// How large the error of the prediction at a join is at least beside the largest
// in the 20 ms around it: at the pulses of a voice, and where a drum is hit,
// prediction fails by itself, though seldom right at the cut. Calibrated on
// recorded speech and drums.
const (
	seldom      = 0.85
	seldomThere = 1.2 // where the sound sets in or breaks off
	plain       = 2.2 // sufficient anywhere within 0.7 ms of the cut
	atOnce      = 0.4 // share of the largest error that falls to the sample next to the cut
)

// setsIn reports whether what changes from sample to sample gets much louder or
// quieter within 2 ms of a place.
func setsIn(rate int, v []float32, at int) bool {
	n := rate / 500
	changes := func(from, to int) (sum float64) {
		for i := max(from, 1); i < min(to, len(v)); i++ {
			d := float64(v[i]) - float64(v[i-1])
			sum += d * d
		}
		return sum
	}
	a, b := changes(at-n, at), changes(at+1, at+n+1)
	return a > onset*b || b > onset*a
}

// onset is how many times the power of the changes changes then.
const onset = 5

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
	top   float64   // the largest of it, but for the last third of a millisecond
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
	for i := range w { // the noise that is added goes through the window as well
		h := 0.5 - 0.5*math.Cos(2*math.Pi*(float64(i)+0.5)/float64(n))
		r[0] += beneath * h * h
	}
	p := predictor{past: v, a: make([]float64, order+1)}
	p.a[0] = 1
	e := r[0]
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
		if i < n-order/2 {
			p.top = max(p.top, math.Abs(d))
		}
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
