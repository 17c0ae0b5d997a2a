package treat

import (
	"math"
	"sync"
)

// filters are what a treatment puts a sound through before its expander, piece by piece.
type filters struct {
	source   Source
	sections []Biquad
	voicing  func() *fir // makes the filter of a tone; nil where there is none
	tone     *fir        // once it is needed, as it takes its time
	back     int64       // how far before a piece its sound is needed: the tone, and the run-up of the sections
	ahead    int64       // how far after
	runUp    int64       // of the sections
	grid     int64       // how long a piece is: a whole number of hops
	hop      int64       // of the expander; 0 where levels are not needed
}

// leastGrid is the shortest piece, in samples, but for what makes it whole hops.
const leastGrid = 32768

// forgotten is the share of the past that a run-up may leave: −180 dB of the slowest
// section; all of them together stay under −150.
const forgotten = 1e-9

func newFilters(s Settings, rate int, hop int64, source Source) filters {
	f := filters{source: source, sections: s.sections(rate), grid: (leastGrid + hop - 1) / hop * hop}
	if !s.Tone.none() {
		f.voicing = func() *fir { return newFIR(s.Tone, rate) }
		f.back, f.ahead = int64(reach(rate)), int64(reach(rate))
	}
	slowest := 0.0
	for _, b := range f.sections {
		slowest = max(slowest, b.radius())
	}
	if slowest > 0 {
		f.runUp = int64(math.Ceil(math.Log(forgotten)/math.Log(slowest))) + int64(64*len(f.sections))
	}
	f.back += f.runUp
	for f.grid < 3*(f.back+f.ahead) {
		f.grid *= 2
	}
	return f
}

// piece is a stretch of a filtered sound.
type piece struct {
	k      int64 // it begins at k grids
	have   bool
	silent bool
	v      [][]float32 // by channel
	powers [][]float64 // of each hop, the sum of its squares, by channel
}

// scratch keeps the room that pieces are reckoned in, which all streams share.
var scratch sync.Pool

// work is the room of a piece: as it was read, and as a tone leaves it.
type work struct {
	dry [2][]float32
	wet [2][]float64
}

func (w *work) take(channels, n int) (dry [][]float32) {
	for ch := range channels {
		if cap(w.dry[ch]) < n {
			w.dry[ch] = make([]float32, n)
		}
		dry = append(dry, w.dry[ch][:n])
	}
	return dry
}

// reckon makes a piece.
func (f *filters) reckon(p *piece, k int64, channels int) error {
	p.have = false
	room, _ := scratch.Get().(*work)
	if room == nil {
		room = &work{}
	}
	defer scratch.Put(room)
	dry := room.take(channels, int(f.back+f.grid+f.ahead))
	silent, err := f.source(dry, k*f.grid-f.back)
	if err != nil {
		return err
	}
	p.k, p.have, p.silent = k, true, silent
	if silent {
		return nil
	}
	if p.v == nil {
		p.v, p.powers = make([][]float32, channels), make([][]float64, channels)
		for ch := range p.v {
			p.v[ch] = make([]float32, f.grid)
			if f.hop > 0 {
				p.powers[ch] = make([]float64, f.grid/f.hop)
			}
		}
	}
	for ch := range p.v {
		f.run(p.v[ch], dry[ch], &room.wet[ch])
		for h := range p.powers[ch] {
			p.powers[ch][h] = squares(p.v[ch][int64(h)*f.hop:][:f.hop])
		}
	}
	return nil
}

// run filters what was read into a piece.
func (f *filters) run(dst, dry []float32, wet *[]float64) {
	if f.voicing != nil {
		if f.tone == nil {
			f.tone = f.voicing()
		}
		if cap(*wet) < len(dry) {
			*wet = make([]float64, len(dry))
		}
		v := (*wet)[:len(dry)]
		for i, x := range dry {
			v[i] = float64(x)
		}
		f.tone.apply(v)
		v = v[f.tone.half : len(v)-f.tone.half]
		run(f.sections, make([]state, len(f.sections)), v)
		for i, x := range v[f.runUp:] {
			dst[i] = float32(x)
		}
		return
	}
	if len(f.sections) == 0 {
		copy(dst, dry)
		return
	}
	// In parts that stay at hand.
	var room [512]float64
	past, skip := make([]state, len(f.sections)), int(f.runUp)
	for at := 0; at < len(dry); at += len(room) {
		part := dry[at:min(at+len(room), len(dry))]
		v := room[:len(part)]
		first := min(max(skip-at, 0), len(v))
		out := dst[max(at-skip, 0):]
		if sunk(past) && silent(part) {
			clear(past)
			clear(out[:len(v)-first])
			continue
		}
		for i, x := range part {
			v[i] = float64(x)
		}
		run(f.sections, past, v)
		for i, x := range v[first:] {
			out[i] = float32(x)
		}
	}
}

// sunk reports whether what sections remember is under −300 dBFS: nothing that a sample
// can hold comes of it but numbers so small that they are slow.
func sunk(past []state) bool {
	for _, p := range past {
		if !(math.Abs(p.s1) < 1e-15 && math.Abs(p.s2) < 1e-15) {
			return false
		}
	}
	return true
}

func silent(v []float32) bool {
	for _, x := range v {
		if x != 0 {
			return false
		}
	}
	return true
}

// squares is the sum of the squares of samples, added up in four rows that do not wait
// for each other.
func squares(v []float32) float64 {
	var a, b, c, d float64
	for len(v) >= 4 {
		w, x, y, z := float64(v[0]), float64(v[1]), float64(v[2]), float64(v[3])
		a, b, c, d = a+w*w, b+x*x, c+y*y, d+z*z
		v = v[4:]
	}
	for _, x := range v {
		a += float64(x) * float64(x)
	}
	return (a + b) + (c + d)
}
