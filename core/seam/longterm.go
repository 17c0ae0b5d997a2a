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
	tenth, size := int64(m.rate/10), int64(m.spec.Segment())
	var sums [2][len(measure.BandCentres)]float64
	var counts [2]int
	v := make([]float32, size)
	for k, on := range voiced {
		if err := ctx.Err(); err != nil {
			return out, err
		}
		which := 1
		if on {
			out.Seconds += 0.1
			which = 0
		} else if k > 0 && voiced[k-1] || k+1 < len(voiced) && voiced[k+1] {
			continue // what touches speech may hold some of it
		}
		at := int64(k)*tenth + (tenth-size)/2
		for ch := range min(reader.Channels(), 2) {
			if err := reader.ReadAt(v, ch, c.Offset+at); err != nil {
				return out, err
			}
			for b, db := range m.spec.Of(v, []int{0}) {
				sums[which][b] += power(db)
			}
			counts[which]++
		}
	}
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
