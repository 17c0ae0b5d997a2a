package seam

import (
	"context"
	"math"

	"blendseam/core/floor"
	"blendseam/core/measure"
	"blendseam/core/mix"
	"blendseam/core/reel"
)

// join measures right at the cut: whether it clicks, and whether it cuts into
// sound.
func (m *Meter) join(ctx context.Context, out *Measure) error {
	reach := m.seconds(joinReach)
	v, err := m.both(ctx, out.Seam, out.At-reach, out.At+reach)
	if err != nil {
		return err
	}
	for _, ch := range v {
		out.Click = max(out.Click, measure.Click(m.rate, ch, int(reach)))
	}
	// How far over the room it is on either side, above the rumble.
	wide := m.seconds(edgeReach)
	if v, err = m.both(ctx, out.Seam, out.At-wide, out.At+wide); err != nil {
		return err
	}
	p, hop := floor.Sound(m.rate, v...).Total(), floor.Hop(m.rate)
	at := int(wide) / hop
	edge := func(p []float64, s *Side) {
		if s == nil || s.Room <= measure.Silence || len(p) == 0 {
			return
		}
		var sum float64
		for _, x := range p {
			sum += x / float64(len(p))
		}
		s.Edge = measure.Level(sum) - s.Room
	}
	edge(p[at-3:at-1], out.Out) // frames of 20 ms, the last of which ends at the cut
	edge(p[at:at+2], out.In)
	return nil
}

// both renders the track of a seam, or the two tracks of one that a blend
// makes over two.
func (m *Meter) both(ctx context.Context, s reel.Seam, from, to int64) ([][]float32, error) {
	v, err := m.sound(ctx, s.Track, from, to, 0)
	if err != nil || s.To == 0 {
		return v, err
	}
	w, err := m.sound(ctx, s.To, from, to, 1)
	if err != nil {
		return nil, err
	}
	if len(v) != len(w) {
		v, w = [][]float32{v[0], v[len(v)-1]}, [][]float32{w[0], w[len(w)-1]}
	}
	sum := make([][]float32, len(v))
	for i := range v {
		sum[i] = make([]float32, len(v[i]))
		for k := range v[i] {
			sum[i][k] = v[i][k] + w[i][k]
		}
	}
	return sum, nil
}

// edgeReach is how much is rendered either way so that the filters settle, in
// seconds.
const edgeReach = 0.12

// usual is the length of the window over which likeness is told where there is
// no blend, in seconds.
const usual = 0.12

// through measures the blend: how like its sides are, and what the power does
// through it.
func (m *Meter) through(ctx context.Context, out *Measure, left, right reel.Clip) error {
	b := out.With
	if b.ID == 0 {
		room := m.r.BlendRoom(left, right)
		n := m.seconds(usual)
		b = reel.Blend{Left: left.ID, Right: right.ID, Before: min(n/2, room.Before), After: min(n/2, room.After)}
		if b.Length() < m.seconds(0.01) {
			return nil // no window in which both are there
		}
	}
	p, err := mix.NewPair(m.r, m.open, b)
	if err != nil {
		return err
	}
	l, err := p.Likeness()
	if err != nil {
		return err
	}
	out.Like = &Alike{l, l.Bounded()}
	if out.With.ID == 0 || b.Length() < m.seconds(0.02) {
		return nil
	}
	// Against two unrelated sides that share the power: the straight line
	// between the ends, where both keep their level. Halves of the window that
	// lie over one another are looked at, as the cross terms of shorter ones
	// are chance.
	from, to := b.Window(left.End())
	v, err := m.both(ctx, out.Seam, from, to)
	if err != nil {
		return err
	}
	want, err := p.Shared(b.Lean)
	if err != nil {
		return err
	}
	got := make([]float64, len(want))
	for _, ch := range v {
		for i, s := range ch {
			got[i] += float64(s) * float64(s) * float64(2/len(v))
		}
	}
	out.Sag = worst(got, want, int(m.seconds(sagWindow)))
	half := len(got) / 2
	for at := 0; at+half <= len(got); at += max(half/2, 1) {
		var g, w float64
		for i := at; i < at+half; i++ {
			g, w = g+got[i], w+want[i]
		}
		if w <= 0 {
			continue
		}
		if d := 10 * math.Log10(max(g, 1e-30)/w); math.Abs(d) > math.Abs(out.Dip) {
			out.Dip = max(d, -60)
		}
	}
	return nil
}

// sagWindow is the shortest window in which a dip through a blend counts, in
// seconds.
const sagWindow = 0.03

// worst is by how much powers differ most from those that they are held
// against, over windows of n, in dB; only where there is something to hold
// against: no more than 20 dB under the loudest.
func worst(got, want []float64, n int) float64 {
	if n = min(n, len(got)); n == 0 {
		return 0
	}
	var top float64
	sums := func(at int) (g, w float64) {
		for i := at; i < at+n; i++ {
			g, w = g+got[i], w+want[i]
		}
		return g, w
	}
	for at := 0; at+n <= len(got); at += max(n/3, 1) {
		_, w := sums(at)
		top = max(top, w)
	}
	out := 0.0
	for at := 0; at+n <= len(got); at += max(n/3, 1) {
		g, w := sums(at)
		if w <= top/100 || w <= 0 {
			continue
		}
		if d := 10 * math.Log10(max(g, 1e-30)/w); math.Abs(d) > math.Abs(out) {
			out = max(d, -60)
		}
	}
	return out
}
