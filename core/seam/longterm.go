package seam

import (
	"context"
	"math"

	"blendseam/core/measure"
	"blendseam/core/mix"
	"blendseam/core/reel"
)

// LongTerm is the long-term spectrum of what is said in a clip, and of its pauses.
type LongTerm struct {
	Speech  measure.Bands // dBFS a third-octave band; Silence where there is none
	Pauses  measure.Bands // the same of what is not speech; Silence where there are none
	Seconds float64       // how long something is said

	tenths []tenth
}

// tenth sums the powers of a tenth of a second of speech in third-octave bands.
type tenth struct {
	at    int // tenths of a second from the clip's start
	sums  [len(measure.BandCentres)]float64
	total float64
}

// The blocks of the jackknife: at least a second, which is longer than a syllable, and so
// few that a whole phrase lies in one, as the sounds of a phrase depend on each other.
const (
	blockTenths = 10
	mostBlocks  = 8
)

// Blocks divides the speech into at most eight blocks of at least a second. It returns
// where each begins, in tenths of a second from the clip's start.
func (l LongTerm) Blocks() (starts []int) {
	n := max(min(len(l.tenths)/blockTenths, mostBlocks), 1)
	for i := range n {
		if at := i * len(l.tenths) / n; at < len(l.tenths) {
			starts = append(starts, l.tenths[at].at)
		}
	}
	return starts
}

// Without returns the spectra of speech with one block left out, for each of some
// blocks that begin at starts and end where the next does.
func (l LongTerm) Without(starts []int) []measure.Bands {
	out := make([]measure.Bands, len(starts))
	for i := range out {
		from, to := starts[i], math.MaxInt
		if i+1 < len(starts) {
			to = starts[i+1]
		}
		var sums [len(measure.BandCentres)]float64
		n := 0
		for _, t := range l.tenths {
			if t.at >= from && t.at < to {
				continue
			}
			n++
			for k, p := range t.sums {
				sums[k] += p
			}
		}
		for k, p := range sums {
			out[i][k] = measure.Level(p / float64(max(n, 1)))
		}
	}
	return out
}

// sameWords is the least correlation of the envelopes of two clips with the same words.
// In accuracy/samewords_test.go it recognises 44 to 58 % of such clips in different rooms
// and no other words in 449 pairs. A missed pair only gets a larger uncertainty.
const sameWords = 0.75

// SameWords reports whether two clips hold the same words, for example from two microphones,
// and by how many tenths of a second the words of m begin later.
func (l LongTerm) SameWords(m LongTerm) (lag int, ok bool) {
	a, b := l.envelope(), m.envelope()
	n := min(len(l.tenths), len(m.tenths))
	best := sameWords
	for d := n - len(a); d <= len(b)-n; d++ { // they overlap by at least the shorter speech
		from, to := max(0, -d), min(len(a), len(b)-d)
		if to-from < n {
			continue
		}
		if r := correlation(a[from:to], b[from+d:to+d]); r > best {
			best, lag, ok = r, d, true
		}
	}
	return lag, ok
}

// envelope returns the level of speech in each tenth of a second, in dB above a floor 30 dB
// below the loudest; pauses are 0.
func (l LongTerm) envelope() []float64 {
	if len(l.tenths) == 0 {
		return nil
	}
	out := make([]float64, l.tenths[len(l.tenths)-1].at+1)
	top := 0.0
	for _, t := range l.tenths {
		top = max(top, t.total)
	}
	for _, t := range l.tenths {
		if t.total > 0 {
			out[t.at] = max(30+10*math.Log10(t.total/top), 0)
		}
	}
	return out
}

func correlation(a, b []float64) float64 {
	var ma, mb, aa, bb, ab float64
	for i := range a {
		ma, mb = ma+a[i]/float64(len(a)), mb+b[i]/float64(len(a))
	}
	for i := range a {
		x, y := a[i]-ma, b[i]-mb
		aa, bb, ab = aa+x*x, bb+y*y, ab+x*y
	}
	if aa == 0 || bb == 0 {
		return 0
	}
	return ab / math.Sqrt(aa*bb)
}

// LongTerm listens through a whole clip as it sounds before its gain and before its
// track. Segments of 85 ms that lie in speech, or in pauses, count.
func (m *Meter) LongTerm(ctx context.Context, c reel.Clip) (LongTerm, error) {
	var out LongTerm
	voiced, err := m.voiced(c, stretch{c.ID, c.Start, c.End()}, true)
	if err != nil {
		return out, err
	}
	reader, err := mix.Material(m.r, c, m.open)
	if err != nil {
		return out, err
	}
	step, size := int64(m.rate/10), int64(m.spec.Segment())
	var sums [2][len(measure.BandCentres)]float64
	var counts [2]int
	v := make([]float32, size)
	for k, on := range voiced {
		if err := ctx.Err(); err != nil {
			return out, err
		}
		which := 1
		if on {
			out.tenths = append(out.tenths, tenth{at: k})
			which = 0
		} else if k > 0 && voiced[k-1] || k+1 < len(voiced) && voiced[k+1] {
			continue // what touches speech may hold some of it
		}
		at := int64(k)*step + (step-size)/2
		for ch := range min(reader.Channels(), 2) {
			if err := reader.ReadAt(v, ch, c.Offset+at); err != nil {
				return out, err
			}
			bands := m.spec.Of(v, []int{0})
			for b, db := range bands {
				sums[which][b] += power(db)
			}
			if which == 0 {
				out.tenths[len(out.tenths)-1].add(bands)
			}
			counts[which]++
		}
	}
	out.Seconds = float64(len(out.tenths)) / 10
	for b := range out.Speech {
		out.Speech[b] = measure.Level(sums[0][b] / float64(max(counts[0], 1)))
		out.Pauses[b] = measure.Level(sums[1][b] / float64(max(counts[1], 1)))
	}
	return out, nil
}

// leastSpectrum is how long something has to be said so that its spectrum can be told,
// in seconds.
const leastSpectrum = 2.0

// Known reports whether there was enough speech to tell.
func (l LongTerm) Known() bool { return l.Seconds >= leastSpectrum }

// over is how far speech lies over the pauses in a band, in dB.
func (l LongTerm) over(band int) float64 {
	if l.Pauses[band] <= measure.Silence {
		return math.Inf(1)
	}
	return l.Speech[band] - l.Pauses[band]
}

// Over reports whether speech stands out in a band, so that what is told of it is the
// voice and not the room.
func (l LongTerm) Over(band int) bool {
	return l.Speech[band] > measure.Silence && l.over(band) >= spectrumOver
}

// spectrumOver is how far speech lies over the pauses where it counts as heard, in dB.
const spectrumOver = 3.0

// add counts the spectrum of one channel.
func (t *tenth) add(bands measure.Bands) {
	for k, db := range bands {
		p := power(db)
		t.sums[k] += p
		t.total += p
	}
}
