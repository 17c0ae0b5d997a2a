// Package master brings a finished mix to how loud it is to be.
package master

import (
	"math"

	"blendseam/core/measure"
)

// Limiter keeps the peaks of a sound under a ceiling, those between the samples too: it
// looks ahead, goes down in time and comes back slowly. All channels get the same gain,
// so that nothing moves between them. It takes a sound from its first sample to its last.
//
// Each sample needs a gain that brings the peaks beside it to the ceiling. The least of
// those over the time that is looked ahead comes back by a release, and is averaged over
// the same time before: so the gain at a peak is a mean of gains that are each as low as
// it needs, and it goes straight.
type Limiter struct {
	ceiling float64
	ahead   int     // samples
	back    float64 // what is left of what is lacking to 1 after a sample
	in      [][]float32
	peaks   []measure.Between
	n       int // samples taken
	last    float64
	least   []needed  // by place, rising, so that the first is the least
	gain    float64   // after the release
	lane    []float64 // of the last samples, to be averaged
	sum     float64
	deepest float64
	skip    int // samples of the run-up that are still to come out
}

// needed is the gain that a sample needs.
type needed struct {
	at   int
	gain float64
}

const (
	limiterAhead   = 0.005 // seconds
	limiterRelease = 0.15  // seconds until all but 1/e has come back
	// What a gain that moves may add between samples, and meters differ by, in dB.
	limiterMargin = 0.15
)

// NewLimiter is a limiter with a ceiling in dBTP.
func NewLimiter(rate, channels int, ceilingDB float64) *Limiter {
	l := &Limiter{
		ceiling: math.Pow(10, (ceilingDB-limiterMargin)/20), ahead: max(int(limiterAhead*float64(rate)), 8),
		back: math.Exp(-1 / (limiterRelease * float64(rate))), last: 1, gain: 1, deepest: 1,
		in: make([][]float32, channels), peaks: make([]measure.Between, channels),
	}
	l.lane = make([]float64, l.ahead)
	for i := range l.lane {
		l.lane[i] = 1
	}
	l.sum = float64(l.ahead)
	// It begins before the sound does, so that it can be down at its first sample.
	l.skip = l.ahead
	silent := make([][]float32, channels)
	for ch := range silent {
		silent[ch] = make([]float32, l.ahead)
	}
	l.Add(silent)
	return l
}

// Deepest is by how much it went down at most so far, in dB.
func (l *Limiter) Deepest() float64 { return max(-20*math.Log10(l.deepest), 0) }

// late is how many samples after it was taken a sample is given.
func (l *Limiter) late() int { return measure.BetweenDelay + l.ahead }

// Add takes samples, a slice for each channel, and gives those that are done. They come
// later than they were taken, and are good until it is called again.
func (l *Limiter) Add(channels [][]float32) [][]float32 {
	for ch, v := range channels {
		l.in[ch] = append(l.in[ch], v...)
	}
	var gains []float64
	tops := make([]float64, len(channels[0]))
	for ch, v := range channels {
		l.peaks[ch].Scan(v, l.ceiling, func(i int, top float64) float64 {
			tops[i] = max(tops[i], top)
			return l.ceiling
		})
	}
	for _, top := range tops {
		if g, ok := l.step(top); ok {
			gains = append(gains, g)
		}
	}
	return l.give(gains)
}

// End gives the samples that are still to come.
func (l *Limiter) End() [][]float32 {
	left := len(l.in[0]) - l.skip
	silent := make([][]float32, len(l.in))
	for ch := range silent {
		silent[ch] = make([]float32, l.late())
	}
	out := l.Add(silent)
	for ch := range out {
		out[ch] = out[ch][:left]
	}
	return out
}

// step takes the largest value that is known next, and gives the gain of the next sample
// where that is known.
func (l *Limiter) step(top float64) (float64, bool) {
	at := l.n - measure.BetweenDelay // top is between this sample and the next
	l.n++
	if at < 0 {
		return 0, false
	}
	need := 1.0
	if top > l.ceiling {
		need = l.ceiling / top
	}
	own := min(need, l.last)
	l.last = need
	for len(l.least) > 0 && l.least[len(l.least)-1].gain >= own {
		l.least = l.least[:len(l.least)-1]
	}
	l.least = append(l.least, needed{at, own})
	k := at - l.ahead
	if k < 0 {
		return 0, false
	}
	for l.least[0].at < k {
		l.least = l.least[1:]
	}
	l.gain = min(l.least[0].gain, 1-(1-l.gain)*l.back)
	i := k % l.ahead
	l.sum += l.gain - l.lane[i]
	l.lane[i] = l.gain
	if i == 0 { // anew, as what is added and taken away for hours would drift
		l.sum = 0
		for _, g := range l.lane {
			l.sum += g
		}
	}
	return min(l.sum/float64(l.ahead), 1), true
}

// give puts gains on the oldest samples and takes these out.
func (l *Limiter) give(gains []float64) [][]float32 {
	out := make([][]float32, len(l.in))
	for ch := range l.in {
		part := l.in[ch][:len(gains)]
		out[ch] = make([]float32, len(gains))
		for i, g := range gains {
			out[ch][i] = float32(float64(part[i]) * g)
		}
		l.in[ch] = append(l.in[ch][:0], l.in[ch][len(gains):]...)
	}
	for _, g := range gains {
		l.deepest = min(l.deepest, g)
	}
	if n := min(l.skip, len(gains)); n > 0 {
		l.skip -= n
		for ch := range out {
			out[ch] = out[ch][n:]
		}
	}
	return out
}
