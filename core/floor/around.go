package floor

import (
	"math"

	"blendseam/core/sound"
)

// Reach is how far around a place its room is listened for, in seconds; and
// closely how far where the room is well heard so near.
const (
	Reach   = 10.0
	closely = 3.0
)

// Track gives the frames of a channel that lie in [from, to), fewer where the
// recording begins or ends.
type Track interface {
	Floor(ch int, from, to int64) ([]Frame, error)
}

// Count is the number of frames of so many samples.
func Count(rate int, samples int64) int64 { return max(samples/int64(Hop(rate))-1, 0) }

// Collect takes the frames of some channels together: the mean of their powers,
// each weighed by its gain in power.
func Collect(of Track, gains []float64, from, to int64) (Powers, error) {
	var out Powers
	for ch, g := range gains {
		f, err := of.Floor(ch, from, to)
		if err != nil {
			return nil, err
		}
		if out == nil {
			out = make(Powers, len(f))
		}
		for t := range min(len(f), len(out)) {
			for b, v := range f[t] {
				out[t][b] += powers[v] * g / float64(len(gains))
			}
		}
	}
	return out, nil
}

// Around tells the room around a place of a recording of so many samples. Where
// it is well heard within 3 s, that counts; else all within 10 s does.
func Around(of Track, gains []float64, rate int, length, place int64) (Room, error) {
	hop := int64(Hop(rate))
	n, at := Count(rate, length), place/hop
	from, to := max(at-int64(100*Reach), 0), min(at+int64(100*Reach), n)
	if from >= to {
		return Room{Level: Silence}, nil
	}
	p, err := Collect(of, gains, from, to)
	if err != nil {
		return Room{}, err
	}
	far := Hear(p, from)
	a, b := max(at-int64(100*closely), from), min(at+int64(100*closely), to)
	if b-a < 2*pause || b-a == to-from {
		return far, nil
	}
	if by := Hear(p[a-from:min(b-from, int64(len(p)))], a); by.State == Heard && len(by.Places) > 1 && by.Seconds >= 0.3 {
		if far.State == NotKnown || math.Abs(by.Level-far.Level) > 2*(by.Uncertain+far.Uncertain) {
			return by, nil
		}
	}
	return far, nil
}

// page is how many frames of a recording without kept ones are made at a time.
const page = 1024

// Made are frames that are made of the sound when they are asked for. It is not
// safe for concurrent use.
type Made struct {
	r    sound.Reader
	rate int
	have map[[2]int64][]Frame // by channel and page
}

// Of gives frames of a recording: its own, where it keeps some, else they are
// made.
func Of(r sound.Reader, rate int) Track {
	if own, ok := r.(Track); ok {
		return own
	}
	return &Made{r, rate, map[[2]int64][]Frame{}}
}

// warm is how much sound an analyser is given before what it is asked for, in
// frames: a whole number of samples of the lowest band at every rate, so that
// they are the same as in the whole.
const warm = 256

// Floor implements Track.
func (m *Made) Floor(ch int, from, to int64) ([]Frame, error) {
	from, to = max(from, 0), min(to, Count(m.rate, m.r.Len()))
	var out []Frame
	for p := from / page; p*page < to; p++ {
		have, ok := m.have[[2]int64{int64(ch), p}]
		if !ok {
			var err error
			if have, err = m.make(ch, p); err != nil {
				return nil, err
			}
			m.have[[2]int64{int64(ch), p}] = have
		}
		a, b := max(from-p*page, 0), min(to-p*page, int64(len(have)))
		if a < b {
			out = append(out, have[a:b]...)
		}
	}
	return out, nil
}

func (m *Made) make(ch int, p int64) ([]Frame, error) {
	hop := int64(Hop(m.rate))
	from, to := max(p*page-warm, 0), min((p+1)*page+1, m.r.Len()/hop)
	v := make([]float32, max(to-from, 0)*hop)
	if err := m.r.ReadAt(v, ch, from*hop); err != nil {
		return nil, err
	}
	a := NewAnalyser(m.rate)
	a.Add(v)
	f := a.Take()
	return f[min(p*page-from, int64(len(f))):], nil
}
