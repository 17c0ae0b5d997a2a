package treat

import (
	"fmt"
	"math"
	"slices"

	"blendseam/core/gain"
)

// Expander lowers what lies under a level: a gentle downward expander for pauses.
// Times are in milliseconds. The zero value does nothing.
type Expander struct {
	ThresholdDB float64 `json:"thresholdDB"` // dBFS RMS; what is louder stays
	RangeDB     float64 `json:"rangeDB"`     // by how much it lowers at most, up to 60; 0 for none
	Ratio       float64 `json:"ratio"`       // dB that come out for each dB under the threshold, 1.2 to 10
	Attack      float64 `json:"attack"`      // how long it opens
	Hold        float64 `json:"hold"`        // how long it stays open after what was loud
	Release     float64 `json:"release"`     // how long it takes to close all the way
	Ahead       float64 `json:"ahead"`       // how long before a loud place it begins to open
}

// UsualExpander is a gentle one. Common practice: a range of 6 to 12 dB, so that the
// room stays; opening ahead of the word, closing slowly.
var UsualExpander = Expander{ThresholdDB: -50, RangeDB: 8, Ratio: 2, Attack: 10, Hold: 150, Release: 250, Ahead: 10}

// The longest times of an expander, in milliseconds.
const (
	mostAttack  = 200
	mostRelease = 2000
)

// On reports whether it does anything.
func (e Expander) On() bool { return e.RangeDB != 0 }

func (e Expander) check() error {
	if !e.On() {
		return nil
	}
	for _, n := range []struct {
		name          string
		v, least, top float64
		unit          string
	}{
		{"threshold", e.ThresholdDB, -100, 0, "dBFS"}, {"range", e.RangeDB, 0, 60, "dB"}, {"ratio", e.Ratio, 1.2, 10, "to 1"},
		{"attack", e.Attack, 1, mostAttack, "ms"}, {"look-ahead", e.Ahead, 0, mostAttack, "ms"},
		{"hold", e.Hold, 0, mostRelease, "ms"}, {"release", e.Release, 10, mostRelease, "ms"},
	} {
		if !(n.v >= n.least && n.v <= n.top) {
			return fmt.Errorf("the %s of an expander goes from %g to %g %s; %g is outside", n.name, n.least, n.top, n.unit, n.v)
		}
	}
	return nil
}

// SteadyDB is what the expander does to a steady sound of a level, in dB: for each dB
// under the threshold ratio − 1 dB down, to the end of the range.
func (e Expander) SteadyDB(dBFS float64) float64 {
	if !e.On() || dBFS >= e.ThresholdDB {
		return 0
	}
	return -min(e.RangeDB, (e.ThresholdDB-dBFS)*(e.Ratio-1))
}

// around is how many hops to both sides a level is told by: 10 ms together, one period
// of the lowest voices.
const around = 5

// expansion is an expander in hops of a millisecond. It reckons a gain for each, by
// places that do not move, and goes straight from one to the next. Each comes from a
// bounded stretch around its place, so that it is the same wherever reckoning begins.
type expansion struct {
	Expander
	samples        float64   // that a level is told by
	hold, up, down int       // in hops
	ahead          int       // hops by which the gain is shifted to be early; negative for late
	steady         []float64 // what it does to the level around each hop from first on, as far as it was asked last
	first          int64
}

func newExpansion(e Expander, hop int64) *expansion {
	x := &expansion{Expander: e, samples: float64(2 * around * hop)}
	x.up, x.down = max(int(e.Attack), 1), max(int(e.Release), 1)
	x.ahead = int(e.Ahead) - x.up
	// What opens earlier than it has to must not close earlier.
	x.hold = int(e.Hold) + max(x.ahead, 0)
	return x
}

// memory and sight are how many hops before and after a place its gain depends on,
// besides those that a level is told by.
func (x *expansion) memory() int64 { return int64(x.hold+x.down+max(-x.ahead, 0)) + 1 }
func (x *expansion) sight() int64  { return int64(x.up+max(x.ahead, 0)) + 1 }

// before and after are how many hops around a stretch its gains depend on.
func (x *expansion) before() int64 { return x.memory() + around }
func (x *expansion) after() int64  { return x.sight() + around + 1 }

// factors are those of so many hops from one on, and of the one beyond, from pieces that
// follow each other and reach as far on both sides as before and after say.
func (x *expansion) factors(room []float64, pieces []*piece, first, from, hops int64) []float64 {
	lo, hi := from-x.memory(), from+hops+x.sight()
	x.listen(pieces, first*hops, hops, lo, hi)
	g := slices.Clone(x.steady)
	held(g, x.hold)
	fall(g, x.RangeDB/float64(x.down))
	rise(g, x.RangeDB/float64(x.up))
	room = room[:0]
	for h := from; h <= from+hops; h++ {
		f := 1.0
		if db := g[h+int64(x.ahead)-lo]; db != 0 {
			f = gain.FromDB(db)
		}
		room = append(room, f)
	}
	return room
}

// listen reckons what the expander does to the levels around hops from lo to hi. Those
// that were reckoned for the piece before are there.
func (x *expansion) listen(pieces []*piece, first, each, lo, hi int64) {
	out := make([]float64, 0, hi-lo+1)
	if have := x.first + int64(len(x.steady)); x.first <= lo && lo < have {
		out = append(out, x.steady[lo-x.first:]...)
	}
	x.first, x.steady = lo, out
	loud := x.samples * math.Pow(10, x.ThresholdDB/10)
	for _, sum := range sums(pieces, first, each, lo+int64(len(out)), hi) {
		db := 0.0
		if sum < loud {
			db = x.SteadyDB(10 * math.Log10(sum/x.samples))
		}
		x.steady = append(x.steady, db)
	}
}

// sums are those of the squares around each hop from lo to hi, of the louder channel.
func sums(pieces []*piece, first, each, lo, hi int64) []float64 {
	out := make([]float64, hi-lo+1)
	powers := make([]float64, len(out)+2*around-1) // of each hop, those around the outermost too
	for ch := range 2 {
		heard := false
		for i, p := range pieces {
			at := first + int64(i)*each - (lo - around) // of the piece, among the powers
			a, b := max(at, 0), min(at+each, int64(len(powers)))
			if a >= b {
				continue
			}
			if p.silent || ch >= len(p.powers) {
				clear(powers[a:b])
				continue
			}
			heard = true
			copy(powers[a:b], p.powers[ch][a-at:])
		}
		if !heard {
			continue
		}
		for h := range out {
			var sum float64
			for _, p := range powers[h : h+2*around] {
				sum += p
			}
			out[h] = max(out[h], sum)
		}
	}
	return out
}

// held keeps each gain up for so many hops: the largest of those that went before.
func held(g []float64, n int) {
	if n == 0 {
		return
	}
	// The largest of a window, by a queue of those that can still be it.
	was := append([]float64(nil), g...)
	var queue []int
	for i := range was {
		for len(queue) > 0 && was[queue[len(queue)-1]] <= was[i] {
			queue = queue[:len(queue)-1]
		}
		queue = append(queue, i)
		if queue[0] < i-n {
			queue = queue[1:]
		}
		g[i] = was[queue[0]]
	}
}

// fall and rise let a gain go down, or come up, by no more than so many dB a hop.
func fall(g []float64, step float64) {
	for i := 1; i < len(g); i++ {
		g[i] = max(g[i], g[i-1]-step)
	}
}

func rise(g []float64, step float64) {
	for i := len(g) - 2; i >= 0; i-- {
		g[i] = max(g[i], g[i+1]-step)
	}
}

func floorDiv(a, b int64) int64 {
	q := a / b
	if a%b < 0 {
		q--
	}
	return q
}
