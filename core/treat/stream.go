package treat

// Source gives a sound over places: dst holds a slice for each channel, all of one
// length, to be filled from place 'from' on. What is silent may be left unfilled when
// that is told.
type Source func(dst [][]float32, from int64) (silent bool, err error)

// Stream is a treated sound. It is reckoned in pieces [k·grid, (k+1)·grid). The filters
// of each are run up from silence so far before it that what they would remember has sunk
// under −150 dB of it, the gains of the expander come from the levels of a bounded
// stretch of such pieces, those of a tone from what its filter reaches. A piece is always
// reckoned alike, so that what is read does not depend on what was read before, to the
// bit; from a filter that had run since the beginning it differs by no more than that
// bound. It is not safe for concurrent use.
type Stream struct {
	filters
	lowers   *expansion
	kept     []piece // a ring of those that the gains of two depend on
	before   int64   // how many of them come before the first
	after    int64   // and after the last
	lowered  [2]lowered
	channels int
}

// lowered are the gains of a piece. Those of two that follow each other are there, as
// what is read at a time may reach into the second.
type lowered struct {
	k       int64
	have    bool
	factors []float64 // of its hops and of the one beyond; nil where nothing is lowered
}

// NewStream treats a sound of one channel or two at a rate.
func NewStream(s Settings, rate, channels int, source Source) *Stream {
	hop := int64(rate) / 1000
	t := &Stream{filters: newFilters(s, rate, hop, source), channels: channels}
	if s.Expander.On() {
		t.lowers = newExpansion(s.Expander, hop)
		t.hop = hop
		hops := t.grid / hop
		t.before, t.after = (t.lowers.before()+hops-1)/hops, (t.lowers.after()+hops-1)/hops
	}
	t.kept = make([]piece, t.before+2+t.after)
	return t
}

// MostMemory is how long what went before bears on what a treatment makes, in seconds:
// the longest hold and release of an expander and what it looks at besides, more than
// any filter rings. MostAhead is how far what comes does: its longest attack and
// look-ahead, and half of the filter of a tone.
const (
	MostMemory = 4.5
	MostAhead  = 0.6
)

// Of is the stretch of the sound that what is read of [from, to) is reckoned from.
func (t *Stream) Of(from, to int64) (a, b int64) {
	return (floorDiv(from, t.grid)-t.before)*t.grid - t.back, (floorDiv(to-1, t.grid)+1+t.after)*t.grid + t.ahead
}

// End is where the piece of a place ends: up to there all comes from the same stretch.
func (t *Stream) End(at int64) int64 { return (floorDiv(at, t.grid) + 1) * t.grid }

// One fills dst with one channel from a place on.
func (t *Stream) One(dst []float32, ch int, from int64) error {
	for done := int64(0); done < int64(len(dst)); {
		at := from + done
		k := floorDiv(at, t.grid)
		how, err := t.at(k)
		if err != nil {
			return err
		}
		p, err := t.filtered(k)
		if err != nil {
			return err
		}
		lo := at - k*t.grid
		v := dst[done:min(done+t.grid-lo, int64(len(dst)))]
		if p.silent {
			clear(v)
		} else {
			copy(v, p.v[ch][lo:])
			t.lower(v, lo, how.factors)
		}
		done += int64(len(v))
	}
	return nil
}

// lower puts the gains of a piece on what was read of it.
func (t *Stream) lower(v []float32, at int64, factors []float64) {
	if factors == nil {
		return
	}
	for i := int64(0); i < int64(len(v)); {
		h := (at + i) / t.hop
		end := min((h+1)*t.hop-at, int64(len(v)))
		from, to := factors[h], factors[h+1]
		part, along := v[i:end], float64(at+i-h*t.hop)
		i = end
		if from == 1 && to == 1 {
			continue
		}
		step := (to - from) / float64(t.hop)
		for j, x := range part {
			part[j] = float32(float64(x) * (from + step*(along+float64(j))))
		}
	}
}

// Silent reports whether all that is read of [from, to) is silent.
func (t *Stream) Silent(from, to int64) (bool, error) {
	for k := floorDiv(from, t.grid); k*t.grid < to; k++ {
		if p, err := t.filtered(k); err != nil || !p.silent {
			return false, err
		}
	}
	return true, nil
}

// Has reports whether what is read of [from, to) is there.
func (t *Stream) Has(from, to int64) bool {
	for k := floorDiv(from, t.grid); k*t.grid < to; k++ {
		how, p := t.lowered[k&1], t.slot(k)
		if !how.have || how.k != k || !p.have || p.k != k {
			return false
		}
	}
	return true
}

// Prepare makes what is read of [from, to), unless it is there. Of what is longer than a
// piece only the end is kept.
func (t *Stream) Prepare(from, to int64) error {
	for k := floorDiv(from, t.grid); k*t.grid < to; k++ {
		if _, err := t.at(k); err != nil {
			return err
		}
		if _, err := t.filtered(k); err != nil { // its gains may have been there without it
			return err
		}
	}
	return nil
}

// Rest lets go of all that is kept. What is read next is made anew, and is the same.
func (t *Stream) Rest() {
	t.tone = nil
	clear(t.kept)
	t.lowered = [2]lowered{}
	if t.lowers != nil {
		t.lowers.steady = nil
	}
}

// slot is where a piece is kept.
func (t *Stream) slot(k int64) *piece {
	n := int64(len(t.kept))
	return &t.kept[k-floorDiv(k, n)*n]
}

// filtered sees to it that a piece is kept.
func (t *Stream) filtered(k int64) (*piece, error) {
	p := t.slot(k)
	if p.have && p.k == k {
		return p, nil
	}
	return p, t.reckon(p, k, t.channels)
}

// at sees to it that a piece is there, with its gains.
func (t *Stream) at(k int64) (*lowered, error) {
	how := &t.lowered[k&1]
	if how.have && how.k == k {
		return how, nil
	}
	how.have = false
	p, err := t.filtered(k)
	if err != nil {
		return nil, err
	}
	if t.lowers != nil && !p.silent {
		around := make([]*piece, t.before+1+t.after)
		for i := range around {
			if around[i], err = t.filtered(k - t.before + int64(i)); err != nil {
				return nil, err
			}
		}
		hops := t.grid / t.hop
		how.factors = t.lowers.factors(how.factors, around, k-t.before, k*hops, hops)
	}
	how.k, how.have = k, true
	return how, nil
}
