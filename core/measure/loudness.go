package measure

import (
	"math"
	"slices"
)

// Loudness measures programme loudness after ITU-R BS.1770-5: K-weighting,
// blocks of 400 ms that overlap by three quarters, an absolute gate at
// −70 LUFS and a relative one 10 LU below what passes it. Front channels
// count alike, so that one or two channels are what it takes.
type Loudness struct {
	hop      int // samples in 10 ms
	channels []kWeighting
	power    float64   // of the hop that is being filled, all channels
	filled   int       // samples in it
	hops     []float64 // mean power of each whole hop
}

// NoLoudness is the loudness given where no block passes the absolute gate.
const NoLoudness = -70.0

// NewLoudness is a measurement of so many channels at a sample rate in hertz.
func NewLoudness(rate, channels int) *Loudness {
	l := &Loudness{hop: rate / 100}
	for range channels {
		l.channels = append(l.channels, newKWeighting(float64(rate)))
	}
	return l
}

// Add takes the next samples, a slice for each channel, all of one length.
func (l *Loudness) Add(channels [][]float32) {
	var before kWeighting // of the channel before, as it was
	for at, n := 0, len(channels[0]); at < n; {
		end := min(n, at+l.hop-l.filled)
		last := 0.0
		for c := range channels {
			// A voice in the middle is looked at once.
			if c > 0 && l.channels[c] == before && slices.Equal(channels[c][at:end], channels[c-1][at:end]) {
				l.channels[c] = l.channels[c-1]
			} else {
				before = l.channels[c]
				last = l.channels[c].power(channels[c][at:end])
			}
			l.power += last
		}
		l.filled += end - at
		at = end
		if l.filled == l.hop {
			l.hops = append(l.hops, l.power/float64(l.hop))
			l.power, l.filled = 0, 0
		}
	}
}

// Silence takes so many samples of nothing.
func (l *Loudness) Silence(n int) {
	nothing := make([]float32, min(n, l.hop))
	channels := make([][]float32, len(l.channels))
	for n > 0 {
		k := min(n, l.hop-l.filled)
		n -= k
		if l.quiet() {
			if l.filled += k; l.filled == l.hop {
				l.hops = append(l.hops, l.power/float64(l.hop))
				l.power, l.filled = 0, 0
			}
			continue
		}
		for c := range channels {
			channels[c] = nothing[:k]
		}
		l.Add(channels)
	}
}

// quiet reports whether the filters remember nothing.
func (l *Loudness) quiet() bool {
	for _, k := range l.channels {
		if k.shelf.s1 != 0 || k.shelf.s2 != 0 || k.high.s1 != 0 || k.high.s2 != 0 {
			return false
		}
	}
	return true
}

// Hops are the mean K-weighted powers of each whole 10 ms so far. They must not be
// written to.
func (l *Loudness) Hops() []float64 { return l.hops }

// Join takes the powers of what follows, as [Loudness.Hops] gives them, so that what
// was measured in parts counts as a whole.
func (l *Loudness) Join(hops []float64) { l.hops = append(l.hops, hops...) }

// Skip lets so many whole tenths of a second pass as silence, where what is
// there is known to be gated out. What was filled of a tenth is left out.
func (l *Loudness) Skip(tenths int) {
	l.power, l.filled = 0, 0
	for range tenths * tenth {
		l.hops = append(l.hops, 0)
	}
	for i := range l.channels {
		k := &l.channels[i]
		k.shelf.s1, k.shelf.s2, k.high.s1, k.high.s2 = 0, 0, 0, 0
	}
}

// lufs is the loudness of a mean power, BS.1770-5 equation 2.
func lufs(power float64) float64 { return -0.691 + 10*math.Log10(power) }

// tenth is how many hops a tenth of a second has.
const tenth = 10

// over calls do with the power of each window of so many tenths of a second,
// which begin so many hops apart.
func (l *Loudness) over(tenths, step int, do func(power float64)) {
	n := tenths * tenth
	var sum float64
	for i, p := range l.hops {
		sum += p
		if i >= n {
			sum -= l.hops[i-n]
		}
		if i >= n-1 && (i-n+1)%step == 0 {
			do(max(sum, 0) / float64(n))
		}
	}
}

// Integrated is the gated loudness of all so far, in LUFS; NoLoudness when no
// block passes the gate, as where there is less than 400 ms.
func (l *Loudness) Integrated() float64 {
	mean := func(gate float64) (float64, bool) {
		var sum float64
		n := 0
		l.over(4, tenth, func(p float64) {
			if p > 0 && lufs(p) > gate {
				sum += p
				n++
			}
		})
		return sum / float64(max(n, 1)), n > 0
	}
	p, ok := mean(NoLoudness)
	if !ok {
		return NoLoudness
	}
	// What did not pass the first gate does not pass the second, however low it is.
	if p, ok = mean(max(lufs(p)-10, NoLoudness)); !ok {
		return NoLoudness
	}
	return lufs(p)
}

// Momentary is the loudest 400 ms, in LUFS, of windows 10 ms apart: EBU Tech
// 3341 asks for what no coarser steps would miss.
func (l *Loudness) Momentary() float64 { return l.loudest(4) }

// ShortTerm is the loudest 3 s, in LUFS, of windows 10 ms apart.
func (l *Loudness) ShortTerm() float64 { return l.loudest(30) }

// Course is the loudness through all so far, in LUFS: of windows of so many tenths
// of a second, a value each so many tenths, the first where the first window ends.
// NoLoudness where there is less.
func (l *Loudness) Course(tenths, every int) []float64 {
	var out []float64
	l.over(tenths, every*tenth, func(p float64) {
		db := NoLoudness
		if p > 0 {
			db = max(lufs(p), NoLoudness)
		}
		out = append(out, db)
	})
	return out
}

func (l *Loudness) loudest(tenths int) float64 {
	top := NoLoudness
	l.over(tenths, 1, func(p float64) {
		if p > 0 {
			top = max(top, lufs(p))
		}
	})
	return top
}

// Range is the loudness range after EBU Tech 3342, in LU: from the 10th to the
// 95th percentile of the short-term loudness, a value each 100 ms, of what passes
// an absolute gate at −70 LUFS and a relative one 20 LU below the mean of that.
// 0 where there is less than 3 s.
func (l *Loudness) Range() float64 {
	var all []float64
	var sum float64
	l.over(30, tenth, func(p float64) {
		if p > 0 && lufs(p) >= NoLoudness {
			all = append(all, p)
			sum += p
		}
	})
	if len(all) == 0 {
		return 0
	}
	gate := sum / float64(len(all)) / 100
	slices.Sort(all)
	for len(all) > 0 && all[0] < gate {
		all = all[1:]
	}
	at := func(part float64) float64 { return lufs(all[int(math.Round(part*float64(len(all)-1)))]) }
	return at(0.95) - at(0.1)
}

// biquad is a second-order section, a0 = 1, in transposed direct form II.
type biquad struct {
	b0, b1, b2, a1, a2 float64
	s1, s2             float64
}

// kWeighting is the pre-filter of BS.1770-5 annex 1: a shelf for the head and
// a high pass.
type kWeighting struct{ shelf, high biquad }

// power filters samples and gives the sum of their squares.
func (k *kWeighting) power(v []float32) (sum float64) {
	a, b := k.shelf, k.high // the states stay in registers
	if a.s1 == 0 && a.s2 == 0 && b.s1 == 0 && b.s2 == 0 && peakOf(v) == 0 {
		return 0 // silence that has lasted
	}
	for _, s := range v {
		x := float64(s)
		y := a.b0*x + a.s1
		a.s1 = (a.b1*x + a.s2) - a.a1*y // what waits for y is done last
		a.s2 = a.b2*x - a.a2*y
		z := y + b.s1 // b0 = 1, b1 = −2, b2 = 1
		b.s1 = (b.s2 - 2*y) - b.a1*z
		b.s2 = y - b.a2*z
		sum += z * z
	}
	for _, s := range []*float64{&a.s1, &a.s2, &b.s1, &b.s2} {
		if math.Abs(*s) < 1e-25 { // numbers that die away for ever are slow
			*s = 0
		}
	}
	k.shelf, k.high = a, b
	return sum
}

// newKWeighting derives both sections for a rate. The standard gives their
// coefficients at 48 kHz alone; these are the analogue prototypes behind them,
// warped by the bilinear transform, and give its tables to 1e-6 there.
func newKWeighting(rate float64) kWeighting {
	const (
		shelfHz, shelfDB, shelfQ = 1681.974450955533, 3.999843853973347, 0.7071752369554196
		highHz, highQ            = 38.13547087602444, 0.5003270373238773
	)
	k := math.Tan(math.Pi * shelfHz / rate)
	vh := math.Pow(10, shelfDB/20)
	vb := math.Pow(vh, 0.4996667741545416)
	a0 := 1 + k/shelfQ + k*k
	shelf := biquad{
		b0: (vh + vb*k/shelfQ + k*k) / a0, b1: 2 * (k*k - vh) / a0, b2: (vh - vb*k/shelfQ + k*k) / a0,
		a1: 2 * (k*k - 1) / a0, a2: (1 - k/shelfQ + k*k) / a0,
	}
	k = math.Tan(math.Pi * highHz / rate)
	a0 = 1 + k/highQ + k*k
	high := biquad{b0: 1, b1: -2, b2: 1, a1: 2 * (k*k - 1) / a0, a2: (1 - k/highQ + k*k) / a0}
	return kWeighting{shelf, high}
}
