package treat

import (
	"math"
	"sync"
)

// Source gives a sound over places: dst holds a slice for each channel, all of one
// length, to be filled from place 'from' on. What is silent may be left unfilled when
// that is told.
type Source func(dst [][]float32, from int64) (silent bool, err error)

// Stream is a treated sound. It is reckoned in pieces [k·grid, (k+1)·grid), each run
// up from silence so far before it that what the filters would remember has sunk under
// −150 dB of it; gains of the expander and of a tone come from bounded stretches and
// are reckoned over all of these. A piece is always reckoned alike, so that what is
// read does not depend on what was read before, to the bit; from a filter that had run
// since the beginning it differs by no more than that bound. It is not safe for
// concurrent use.
type Stream struct {
	source   Source
	sections []Biquad
	tone     *fir
	lowers   *expansion
	runUp    int64 // of the filters
	back     int64 // how far before a piece its sound is needed
	ahead    int64 // how far after
	grid     int64
	piece    int64 // that is kept; grids from 0
	have     bool
	silent   bool
	kept     [][]float32
}

// leastGrid is the shortest piece, in samples.
const leastGrid = 32768

// forgotten is the share of the past that a run-up may leave: −180 dB of the slowest
// section; all of them together stay under −150.
const forgotten = 1e-9

// NewStream treats a sound of one channel or two at a rate.
func NewStream(s Settings, rate, channels int, source Source) *Stream {
	t := &Stream{source: source, sections: s.sections(rate), grid: leastGrid, kept: make([][]float32, channels)}
	if !s.Tone.none() {
		t.tone = newFIR(s.Tone, rate)
		t.back, t.ahead = int64(t.tone.half), int64(t.tone.half)
	}
	slowest := 0.0
	for _, b := range t.sections {
		slowest = max(slowest, b.radius())
	}
	if slowest > 0 {
		t.runUp = int64(math.Ceil(math.Log(forgotten)/math.Log(slowest))) + int64(64*len(t.sections))
	}
	t.back += t.runUp
	if s.Expander.On() {
		t.lowers = newExpansion(s.Expander, rate)
		t.back += t.lowers.before()
		t.ahead += t.lowers.after()
	}
	for t.grid < 3*(t.back+t.ahead) {
		t.grid *= 2
	}
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
	return floorDiv(from, t.grid)*t.grid - t.back, (floorDiv(to-1, t.grid)+1)*t.grid + t.ahead
}

// scratch keeps the room that pieces are reckoned in, which all streams share.
var scratch sync.Pool

// One fills dst with one channel from a place on.
func (t *Stream) One(dst []float32, ch int, from int64) error {
	for done := int64(0); done < int64(len(dst)); {
		at := from + done
		k := floorDiv(at, t.grid)
		if err := t.at(k); err != nil {
			return err
		}
		lo := at - k*t.grid
		v := dst[done:min(done+t.grid-lo, int64(len(dst)))]
		if t.silent {
			clear(v)
		} else {
			copy(v, t.kept[ch][lo:])
		}
		done += int64(len(v))
	}
	return nil
}

// Has reports whether the piece of a place is there.
func (t *Stream) Has(at int64) bool { return t.have && t.piece == floorDiv(at, t.grid) }

// Prepare makes the piece of a place, unless it is there.
func (t *Stream) Prepare(at int64) error { return t.at(floorDiv(at, t.grid)) }

// at sees to it that a piece is there.
func (t *Stream) at(k int64) error {
	if t.have && t.piece == k {
		return nil
	}
	return t.reckon(k)
}

// reckon makes a piece.
func (t *Stream) reckon(k int64) error {
	t.have = false
	first, total := k*t.grid-t.back, t.back+t.grid+t.ahead
	room, _ := scratch.Get().(*work)
	if room == nil {
		room = &work{}
	}
	defer scratch.Put(room)
	dry, v := room.take(len(t.kept), int(total))
	silent, err := t.source(dry, first)
	if err != nil {
		return err
	}
	t.piece, t.have, t.silent = k, true, silent
	if silent {
		return nil
	}
	for ch := range v {
		wet := v[ch][:len(dry[ch])]
		for i, x := range dry[ch] {
			wet[i] = float64(x)
		}
		skip := 0
		if t.tone != nil {
			t.tone.apply(v[ch])
			skip = t.tone.half
			clear(v[ch][:skip])
			clear(v[ch][len(v[ch])-skip:])
		}
		run(t.sections, make([]state, len(t.sections)), v[ch][skip:])
	}
	if t.lowers != nil {
		t.lowers.apply(v, first, k*t.grid, t.grid)
	}
	for ch := range v {
		if t.kept[ch] == nil {
			t.kept[ch] = make([]float32, t.grid)
		}
		wet, kept := v[ch][t.back:], t.kept[ch]
		wet = wet[:len(kept)]
		for i, x := range wet {
			kept[i] = float32(x)
		}
	}
	return nil
}

// work is the room of a piece: as it was read, and as it is reckoned.
type work struct {
	dry [2][]float32
	wet [2][]float64
}

func (w *work) take(channels, n int) (dry [][]float32, wet [][]float64) {
	for ch := range channels {
		if cap(w.dry[ch]) < n {
			w.dry[ch], w.wet[ch] = make([]float32, n), make([]float64, n)
		}
		dry, wet = append(dry, w.dry[ch][:n]), append(wet, w.wet[ch][:n])
	}
	return dry, wet
}
