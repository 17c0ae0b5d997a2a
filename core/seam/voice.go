package seam

import (
	"context"

	"blendseam/core/measure"
	"blendseam/core/reel"
)

// Voice is how loud somebody speaks in a clip, as its track plays it.
type Voice struct {
	LUFS    float64 // gated (ITU-R BS.1770-5), of the tenths of a second in which something is said
	Seconds float64 // how long something is said
	Known   bool    // whether that is long enough, and loud enough, to tell
}

// voiceBlock is how much of a clip is read at a time, in tenths of a second.
const voiceBlock = 100

// Voice listens through a whole clip. Pauses do not count, nor do fades and
// blends. How far it can be
// off is measured on recorded voices: accuracy/voice_test.go.
func (m *Meter) Voice(ctx context.Context, c reel.Clip) (Voice, error) {
	voiced, err := m.voiced(c, stretch{c.ID, c.Start, c.End()}, true)
	if err != nil {
		return Voice{}, err
	}
	out := Voice{LUFS: measure.NoLoudness}
	for _, on := range voiced {
		if on {
			out.Seconds += 0.1
		}
	}
	if out.Seconds < leastVoice {
		return out, nil
	}
	tenth := int64(m.rate / 10)
	var l *measure.Loudness
	sides := 0
	for k := 0; k < len(voiced); k += voiceBlock {
		if err := ctx.Err(); err != nil {
			return out, err
		}
		n := min(voiceBlock, len(voiced)-k)
		from := c.Start + int64(k)*tenth
		v, err := m.material(c, from, from+int64(n)*tenth)
		if err != nil {
			return out, err
		}
		if l == nil {
			l, sides = measure.NewLoudness(m.rate, len(v)), len(v)
		}
		m.listen(l, v, voiced, k, n, false)
	}
	out.LUFS = sided(l.Integrated(), sides)
	out.Known = out.LUFS > measure.NoLoudness+sameSides
	return out, nil
}

// listen adds the tenths of a second from the first on, so many, in which
// something is said, and those beside them. Pauses are silence, which the gate
// leaves out; without them what is said follows on what is said, so that phrases
// that begin and end between the blocks of the gate are not told too low.
func (m *Meter) listen(l *measure.Loudness, v [][]float32, voiced []bool, first, n int, pauses bool) {
	tenth := m.rate / 10
	part := make([][]float32, len(v))
	for k := first; k < first+n; k++ {
		if !voiced[k] && (k == 0 || !voiced[k-1]) && (k+1 == len(voiced) || !voiced[k+1]) {
			if pauses {
				l.Skip(1)
			}
			continue
		}
		for i := range v {
			part[i] = v[i][(k-first)*tenth : (k-first+1)*tenth]
		}
		l.Add(part)
	}
}

// sameSides is what two sides that are the same are louder than one, in LU.
const sameSides = 3.0103

func sided(lufs float64, sides int) float64 {
	if sides == 1 {
		return lufs + sameSides
	}
	return lufs
}

// Speech are the stretches of the reel in which something is said in a clip, to a
// tenth of a second. Breaths of two tenths within a phrase do not part it.
func (m *Meter) Speech(ctx context.Context, c reel.Clip) ([]reel.Stretch, error) {
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	voiced, err := m.voiced(c, stretch{c.ID, c.Start, c.End()}, true)
	if err != nil {
		return nil, err
	}
	tenth := int64(m.rate / 10)
	var out []reel.Stretch
	for k, on := range voiced {
		if !on {
			continue
		}
		from, to := c.Start+int64(k)*tenth, min(c.Start+int64(k+1)*tenth, c.End())
		if n := len(out); n > 0 && from-out[n-1].To <= 2*tenth {
			out[n-1].To = to
		} else {
			out = append(out, reel.Stretch{From: from, To: to})
		}
	}
	return out, nil
}
