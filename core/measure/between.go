package measure

import (
	"math"
	"slices"
)

// phases is how many values are computed for each sample, and length how many
// samples each of them goes by.
const (
	phases = 8
	length = 48
)

// The samples of a window, counted from its oldest, that lie nearest to where its
// values are: they hold nearly all that a value is made of.
const (
	nearFrom = length/2 - 4
	nearTo   = length/2 + 4
)

// phase is the interpolating filter at a part of the way between two samples.
type phase struct {
	taps      [length]float64 // for the samples of a window, the oldest first
	near, far float64         // the roots of the sums of their squares: of those near, and of the others
}

// bank is the interpolating filter: a sinc in a Kaiser window (β 8), a phase
// for each eighth of the way between two samples. ITU-R BS.1770-5 annex 2 gives
// four phases of twelve taps as the least that will do; those read up to 0.7 dB
// too little near half the rate.
var bank = func() (b [phases]phase) {
	const beta = 8
	for p := range b {
		var sum float64
		t := &b[p].taps
		for k := range t {
			x := float64(k-length/2) + float64(p)/phases
			w := 2 * x / length
			h := bessel(beta*math.Sqrt(max(1-w*w, 0))) / bessel(beta)
			if x != 0 {
				h *= math.Sin(math.Pi*x) / (math.Pi * x)
			}
			t[k] = h
			sum += h
		}
		for k := range t {
			t[k] /= sum // what stays the same keeps its level
			if k >= nearFrom && k < nearTo {
				b[p].near += t[k] * t[k]
			} else {
				b[p].far += t[k] * t[k]
			}
		}
		b[p].near, b[p].far = math.Sqrt(b[p].near), math.Sqrt(b[p].far)
	}
	return b
}()

// mostNear and mostFar are the largest near and far of all phases, squared; mostGain is the
// largest value that samples of at most 1 can have between them: the largest sum of a phase.
var mostNear, mostFar, mostGain = func() (near, far, gain float64) {
	for _, p := range bank {
		sum := 0.0
		for _, h := range p.taps {
			sum += math.Abs(h)
		}
		near, far, gain = max(near, p.near*p.near), max(far, p.far*p.far), max(gain, sum)
	}
	return near, far, gain
}()

// mostBend bears on how far a value can be from the sample beside it: as the taps of a
// phase add up to 1, it is that sample and each other one's difference from it times a
// tap; and samples k apart differ by no more than k of the steepest steps.
var mostBend = func() (most float64) {
	for _, p := range bank {
		sum := 0.0
		for k, h := range p.taps {
			sum += math.Abs(h) * math.Abs(float64(k-length/2))
		}
		most = max(most, sum)
	}
	return most * (1 + 1e-9)
}()

// bessel is the modified Bessel function of the first kind, order zero.
func bessel(x float64) float64 {
	sum, term := 1.0, 1.0
	for k := 1.0; term > 1e-18*sum; k++ {
		term *= x / (2 * k) * x / (2 * k)
		sum += term
	}
	return sum
}

// BetweenDelay is how many samples later [Between] tells of a place.
const BetweenDelay = length / 2

// afresh is after how many samples running sums are made anew, so that nothing that is
// rounded in them adds up.
const afresh = 64

// Between tells how large a signal is between its samples, by eight times oversampling
// after ITU-R BS.1770-5 annex 2. Most of a signal is far below its peaks: a value is no
// larger than the root of the energy of what it is made of (Cauchy and Schwarz), and is
// computed only where that reaches a limit.
type Between struct {
	v []float64 // the last samples, and those that are looked at
}

// Scan takes the next samples. Wherever the largest value after the sample BetweenDelay
// before one, up to the one that follows that, is above a limit, or may be, it is given
// to found by the place of the sample; found tells the limit from there on.
func (b *Between) Scan(x []float32, limit float64, found func(i int, top float64) float64) {
	b.scan(x, limit, found)
	b.end()
}

func (b *Between) scan(x []float32, limit float64, found func(int, float64) float64) {
	b.begin()
	before := 0.0 // the largest sample of the part before, which is longer than a window
	for _, s := range b.v {
		before = max(before, math.Abs(s))
	}
	at := len(b.v)
	b.v = slices.Grow(b.v, len(x))[:at+len(x)]
	for i, s := range x {
		b.v[at+i] = float64(s)
	}
	for from := 0; from < len(x); from += afresh {
		to := min(from+afresh, len(x))
		top := float64(peakOf(x[from:to]))
		// Else nothing between them can reach it.
		if most := max(before, top); !(most*mostGain <= limit || most+mostBend*b.steepest(from, to) <= limit) {
			limit = b.part(from, to, limit, found)
		}
		before = top
	}
}

// steepest is the most by which a sample differs from the one before, in the windows of
// a part.
func (b *Between) steepest(from, to int) float64 {
	v := b.v[from : to+length]
	d, was := 0.0, v[0]
	for _, x := range v[1:] {
		d = max(d, math.Abs(x-was))
		was = x
	}
	return d
}

// peakOf is the largest sample, of either sign. Without their signs, numbers are in the
// order of their bits.
func peakOf(x []float32) float32 {
	top := uint32(0)
	for _, s := range x {
		top = max(top, math.Float32bits(s)&^(1<<31))
	}
	return math.Float32frombits(top)
}

// begin is before the first samples: it was silent.
func (b *Between) begin() {
	if b.v == nil {
		b.v = make([]float64, length)
	}
}

// end forgets all but the last samples.
func (b *Between) end() {
	if n := len(b.v) - length; n > 0 {
		copy(b.v, b.v[n:])
		b.v = b.v[:length]
	}
}

// same takes the next samples of a channel where they are those of another, as they
// were until now: a voice in the middle is looked at once.
func (b *Between) same(o *Between, own, others []float32) bool {
	b.begin()
	if !slices.Equal(own, others) || !slices.Equal(b.v, o.v[:length]) {
		return false
	}
	b.v = append(b.v[:0], o.v...)
	return true
}

// part scans a part of the samples.
func (b *Between) part(from, to int, limit float64, found func(int, float64) float64) float64 {
	v := b.v[from : to+length]
	var near, all, whole float64
	for k, s := range v[:length] {
		all += s * s
		if k >= nearFrom && k < nearTo {
			near += s * s
		}
	}
	whole = all
	for _, s := range v[length:] {
		whole += s * s
	}
	// What the running sums may be wrong by is less than a little of all that was in them.
	rest := 1e-13 * whole
	squared := limit * limit
	for i := range to - from {
		w := v[i : i+length+1]
		in, enters, leaves, out := w[length], w[nearTo], w[nearFrom], w[0]
		near += enters*enters - leaves*leaves
		all += in*in - out*out
		n, f := mostNear*(near+rest), mostFar*(all-near+2*rest)
		// (√n + √f)² ≤ limit², without roots.
		if d := squared - n - f; d >= 0 && 4*n*f <= d*d {
			continue
		}
		if top := largest((*[length]float64)(w[1:]), math.Sqrt(max(all-near, 0)+2*rest), limit); top > limit {
			limit = found(from+i, top)
			squared = limit * limit
		}
	}
	return limit
}

// largest is the largest value of a window, as far as one is above a limit; far is the
// root of the energy of what is not near.
func largest(w *[length]float64, far, limit float64) float64 {
	// The first phase is the sample itself.
	top := max(limit, math.Abs(w[length/2]))
	for i := 1; i < phases; i++ {
		p := &bank[i]
		h := &p.taps
		// Two sums keep the adder busy.
		y0 := h[nearFrom]*w[nearFrom] + h[nearFrom+2]*w[nearFrom+2] + h[nearFrom+4]*w[nearFrom+4] + h[nearFrom+6]*w[nearFrom+6]
		y1 := h[nearFrom+1]*w[nearFrom+1] + h[nearFrom+3]*w[nearFrom+3] + h[nearFrom+5]*w[nearFrom+5] + h[nearFrom+7]*w[nearFrom+7]
		if math.Abs(y0+y1)+p.far*far <= top {
			continue
		}
		for k := 0; k < nearFrom; k += 2 {
			y0 += h[k] * w[k]
			y1 += h[k+1] * w[k+1]
		}
		for k := nearTo; k < length; k += 2 {
			y0 += h[k] * w[k]
			y1 += h[k+1] * w[k+1]
		}
		top = max(top, math.Abs(y0+y1))
	}
	return top
}
