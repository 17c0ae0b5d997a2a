package seam

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"

	"blendseam/core/gain"
	"blendseam/core/measure"
	"blendseam/core/mix"
	"blendseam/core/reel"
)

// Better is a place where a join would be quieter and more alike.
type Better struct {
	Edit  reel.Edit // nil for the cut as it is
	By    int64     // samples that the cut rolls, later is positive
	Slip  int64     // samples that the incoming content slips, later is positive
	Level float64   // dBFS, the louder side within 10 ms
	Gap   float64   // dB, incoming side over outgoing side there
	Jump  float64   // from the last outgoing sample to the first incoming one, of full scale
	Bend  float64   // change of slope there, of full scale per sample
	R     float64   // correlation of the two sides within 10 ms
	Click float64   // dB over prediction
	Word  bool      // it would cut into a word
	cost  float64
}

// MostBetter is how many places are offered.
const MostBetter = 5

// around are the two sides of a seam on one time axis, in the middle of which
// the cut lies now: mono, with the gains of their clips.
type around struct {
	out, in         []float32
	oo, ii, oi      []float64 // running sums of squares and products
	roomOut, roomIn float64
	rate            int
}

func (m *Meter) around(left, right reel.Clip, reach int64, slip int64) (*around, error) {
	a := &around{rate: m.rate, roomOut: hushed, roomIn: hushed}
	read := func(c reel.Clip, at int64) ([]float32, error) {
		reader, err := mix.Material(m.r, c, m.open)
		if err != nil {
			return nil, err
		}
		t, _ := m.r.Track(c.Track)
		left, right := c.Gains(reel.Track{GainDB: t.GainDB}) // where it is panned does not count
		gains := [2]float32{float32(left / float64(reader.Channels())), float32(right / float64(reader.Channels()))}
		out, part := make([]float32, 2*reach), make([]float32, 2*reach)
		for ch := range reader.Channels() {
			if err := reader.ReadAt(part, ch, at-reach); err != nil {
				return nil, err
			}
			for i, v := range part {
				out[i] += v * gains[ch]
			}
		}
		return out, nil
	}
	var err error
	if a.out, err = read(left, left.Offset+left.Length); err == nil {
		a.in, err = read(right, right.Offset-slip)
	}
	n := len(a.out)
	a.oo, a.ii, a.oi = make([]float64, n+1), make([]float64, n+1), make([]float64, n+1)
	for i := range a.out {
		if err != nil {
			return nil, err
		}
		x, y := float64(a.out[i]), float64(a.in[i])
		a.oo[i+1], a.ii[i+1], a.oi[i+1] = a.oo[i]+x*x, a.ii[i]+y*y, a.oi[i]+x*y
	}
	return a, err
}

func (a *around) level(sums []float64, from, to int) float64 {
	from, to = max(from, 0), min(to, len(sums)-1)
	if to <= from {
		return measure.Silence
	}
	return measure.Level((sums[to] - sums[from]) / float64(to-from))
}

// at looks at a cut at a place of the axis.
func (a *around) at(p int) Better {
	w, near := a.rate/100, a.rate*3/100
	lo, li := a.level(a.oo, p-w, p), a.level(a.ii, p, p+w)
	b := Better{Level: max(lo, li), Gap: li - lo}
	b.Jump = math.Abs(float64(a.in[p]) - float64(a.out[p-1]))
	b.Bend = math.Abs(float64(a.in[p+1]-a.in[p]) - float64(a.out[p-1]-a.out[p-2]))
	from, to := max(p-w, 0), min(p+w, len(a.out))
	b.R = gain.Like(a.oo[to]-a.oo[from], a.ii[to]-a.ii[from], a.oi[to]-a.oi[from]).R
	over := func(sums []float64, from, to int, room float64) bool {
		return a.level(sums, from, to)-room >= 15
	}
	// A word is cut into where one side's own sound goes on across the place.
	b.Word = over(a.oo, p-near, p, a.roomOut) && over(a.oo, p, p+near, a.roomOut) ||
		over(a.ii, p-near, p, a.roomIn) && over(a.ii, p, p+near, a.roomIn)
	rms := math.Sqrt((a.oo[to]-a.oo[from]+a.ii[to]-a.ii[from])/float64(2*(to-from))) + 1e-6
	room := max(a.roomOut, a.roomIn)
	b.cost = max(b.Level-room, 0)/4 + math.Abs(b.Gap)/4 + 3*b.Jump/rms + 3*b.Bend/rms + 2*(1-b.R)
	return b
}

// Better looks within a reach of the cut, in samples, for places where the
// join is quietest and most alike. Sync sound is rolled alone, so that both
// sides keep their time; wild sound may slip, to align the waves. Places that
// would cut into a word are never offered. The first is the cut as it is.
func (m *Meter) Better(ctx context.Context, s reel.Seam, reach int64) ([]Better, error) {
	left, okL := m.r.Clip(s.Left)
	right, okR := m.r.Clip(s.Right)
	if !okL || !okR {
		return nil, fmt.Errorf("a cut is where two clips meet")
	}
	margin := m.seconds(0.06)
	t, _ := m.r.Track(s.Track)
	var rooms [2]float64
	for i, c := range []reel.Clip{left, right} {
		room, err := m.hushedAt(c, i == 0)
		if err != nil {
			return nil, err
		}
		rooms[i] = room
	}
	look := func(slip int64) (*around, error) {
		a, err := m.around(left, right, reach+margin, slip)
		if err == nil {
			a.roomOut, a.roomIn = rooms[0], rooms[1]
		}
		return a, err
	}
	a, err := look(0)
	if err != nil {
		return nil, err
	}
	here := a.at(int(reach + margin))
	here.Click = a.click(int(reach + margin))
	here.cost += max(here.Click-6, 0) / 4
	out := []Better{here}
	slips := []int64{0}
	if t.Role != reel.Dialogue {
		if lag := a.align(int(m.seconds(0.02))); lag != 0 {
			slips = append(slips, lag)
		}
	}
	earlier, later := reach, reach
	if t.Role == reel.Dialogue {
		if earlier, later, err = m.rolls(left, right, reach); err != nil {
			return nil, err
		}
	}
	var all []Better
	for _, slip := range slips {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		if a, err = look(slip); err != nil {
			return nil, err
		}
		for _, b := range m.places(a, left, right, reach, slip) {
			if b.By >= -earlier && b.By <= later {
				all = append(all, b)
			}
		}
	}
	slices.SortStableFunc(all, func(x, y Better) int { return cmp.Compare(x.cost, y.cost) })
	apart := m.seconds(0.005)
	for _, b := range all {
		if len(out) > MostBetter || b.cost >= here.cost {
			break
		}
		if slices.ContainsFunc(out[1:], func(o Better) bool { return o.Slip == b.Slip && abs(o.By-b.By) < apart }) {
			continue
		}
		if _, err := b.Edit.Apply(m.r); err != nil {
			continue
		}
		out = append(out, b)
	}
	return out, nil
}

// places are the best of each millisecond, to the sample.
func (m *Meter) places(a *around, left, right reel.Clip, reach, slip int64) []Better {
	margin := int64(len(a.out))/2 - reach
	var out []Better
	for at := -reach; at < reach; at += m.seconds(0.001) {
		best := Better{cost: math.Inf(1)}
		for by := at; by < at+m.seconds(0.001); by++ {
			p := int(reach + margin + by)
			// Only where the value is met: all others are worse beside it.
			if b := a.at(p); !b.Word && b.cost < best.cost {
				b.By, b.Slip = by, slip
				best = b
			}
		}
		if math.IsInf(best.cost, 1) || best.By == 0 && slip == 0 {
			continue
		}
		best.Click = a.click(int(reach + margin + best.By))
		best.cost += max(best.Click-6, 0) / 4
		best.Edit = betterEdit(left, right, best)
		out = append(out, best)
	}
	return out
}

func betterEdit(left, right reel.Clip, b Better) reel.Edit {
	roll := &reel.Roll{Left: left.ID, Right: right.ID, By: b.By}
	if b.Slip == 0 {
		return roll
	}
	slip := &reel.Slip{Clips: []reel.ID{right.ID}, By: b.Slip}
	if b.By == 0 {
		return slip
	}
	return &reel.Together{Label: "better cut of “" + left.Name + "” and “" + right.Name + "”", Edits: []reel.Edit{slip, roll}}
}

func (a *around) click(p int) float64 {
	joined := append(append([]float32(nil), a.out[:p]...), a.in[p:]...)
	return measure.Click(a.rate, joined, p)
}

// align is the slip of the incoming side at which the two are most alike
// around the cut; 0 when none is clearly better.
func (a *around) align(most int) int64 {
	c, w := len(a.out)/2, a.rate/50
	best, lag := 0.0, 0
	for d := -most; d <= most; d++ {
		var x, y, xy float64
		for i := c - w; i < c+w; i++ {
			k := i - d
			if k < 0 || k >= len(a.in) {
				continue
			}
			o, n := float64(a.out[i]), float64(a.in[k])
			x, y, xy = x+o*o, y+n*n, xy+o*n
		}
		r := gain.Like(x, y, xy).R
		if d == 0 {
			r += 0.1
		}
		if r > best {
			best, lag = r, d
		}
	}
	return int64(lag)
}

func abs(v int64) int64 {
	if v < 0 {
		return -v
	}
	return v
}
