package seam

import (
	"context"
	"fmt"
	"math"
	"slices"
	"sort"

	"blendseam/core/measure"
	"blendseam/core/mix"
	"blendseam/core/reel"
)

// searchEnd is the first clip of a lane that ends after a place.
func searchEnd(lane []reel.Clip, at int64) int {
	return sort.Search(len(lane), func(i int) bool { return lane[i].End() > at })
}

// Measure measures a seam of the meter's reel.
func (m *Meter) Measure(ctx context.Context, s reel.Seam) (Measure, error) {
	out := Measure{Seam: s, Print: m.Print(s), Click: measure.NoClick, rate: m.rate}
	left, okL := m.r.Clip(s.Left)
	right, okR := m.r.Clip(s.Right)
	if !okL && !okR {
		return out, fmt.Errorf("the clips of that seam are gone")
	}
	t, _ := m.r.Track(s.Track)
	out.Role, out.Muted = t.Role, t.Mute
	if out.Lacks = m.lacks(left, right, okL, okR); out.Lacks != "" {
		return out, nil
	}
	if okL {
		out.Blend = m.tails[left.ID]
	}
	switch s.Kind {
	case reel.HeadSeam:
		out.Fade = right.FadeIn.Length
	case reel.TailSeam:
		out.Fade = left.FadeOut.Length
	}
	out.Hole, out.Edges = m.silence(s)
	if out.Muted || s.Continues && out.Blend.ID == 0 {
		m.handles(&out, left, right, okL, okR)
		return out, nil
	}
	if err := m.sides(&out, left, right, okL, okR); err != nil {
		return out, err
	}
	m.handles(&out, left, right, okL, okR)
	if err := m.join(ctx, &out, left, right); err != nil {
		return out, err
	}
	if okL && okR {
		if err := m.through(ctx, &out, left, right); err != nil {
			return out, err
		}
	}
	return out, m.air(ctx, &out)
}

// lacks says which material is missing, where any is.
func (m *Meter) lacks(left, right reel.Clip, okL, okR bool) string {
	for _, c := range []struct {
		reel.Clip
		ok bool
	}{{left, okL}, {right, okR}} {
		if !c.ok {
			continue
		}
		src, known := m.r.Source(c.Source)
		if !known {
			return fmt.Sprintf("“%s” plays a source that is not in this reel", c.Name)
		}
		reader, err := m.open(src)
		if err != nil {
			return fmt.Sprintf("the recording of “%s” cannot be read", c.Name)
		}
		if end := c.Offset + c.Length; end > reader.Len() || c.Offset < 0 {
			return fmt.Sprintf("“%s” reaches %d samples past its recording", c.Name, max(end-reader.Len(), -c.Offset))
		}
		if tail := m.tails[c.ID]; c.Offset+c.Length+tail.After > reader.Len() || m.heads[c.ID].Before > c.Offset {
			return fmt.Sprintf("the blend of “%s” reaches past its recording", c.Name)
		}
	}
	return ""
}

// full is where a clip sounds without fade or blend.
func (m *Meter) full(c reel.Clip) (from, to int64) {
	from = c.Start + max(c.FadeIn.Length, m.heads[c.ID].After)
	to = c.End() - max(c.FadeOut.Length, m.tails[c.ID].Before)
	return from, max(to, from)
}

// sides measures what is away from the join.
func (m *Meter) sides(out *Measure, left, right reel.Clip, okL, okR bool) (err error) {
	cut := out.Kind == reel.CutSeam
	if okL {
		out.Out, err = m.side(left, true, out.Role, cut)
	}
	if okR && err == nil {
		out.In, err = m.side(right, false, out.Role, cut)
	}
	return err
}

func (m *Meter) handles(out *Measure, left, right reel.Clip, okL, okR bool) {
	if okL {
		if out.Out == nil {
			out.Out = &Side{Peak: measure.Silence, RMS: measure.Silence, Room: measure.Silence, Heard: measure.Silence, Voice: measure.NoLoudness}
		}
		src, _ := m.r.Source(left.Source)
		out.Out.Handle = src.Length - left.Offset - left.Length
	}
	if okR {
		if out.In == nil {
			out.In = &Side{Peak: measure.Silence, RMS: measure.Silence, Room: measure.Silence, Heard: measure.Silence, Voice: measure.NoLoudness}
		}
		out.In.Handle = right.Offset
	}
}

// join measures right at the cut: whether it clicks, and whether it cuts into
// sound.
func (m *Meter) join(ctx context.Context, out *Measure, left, right reel.Clip) error {
	reach := m.seconds(joinReach)
	v, err := m.both(ctx, out.Seam, out.At-reach, out.At+reach)
	if err != nil {
		return err
	}
	for _, ch := range v {
		out.Click = max(out.Click, measure.Click(m.rate, ch, int(reach)))
	}
	near := int(m.seconds(0.03))
	edge := func(part func([]float32) []float32, s *Side) {
		if s == nil || s.Room <= measure.Silence {
			return
		}
		parts := make([][]float32, len(v))
		for i := range v {
			parts[i] = part(v[i])
		}
		s.Edge = measure.RMS(parts...) - s.Room
	}
	edge(func(x []float32) []float32 { return x[int(reach)-near : reach] }, out.Out)
	edge(func(x []float32) []float32 { return x[reach : int(reach)+near] }, out.In)
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

// usual is the length of the window over which likeness is told where there is
// no blend, in seconds.
const usual = 0.12

// through measures the blend: how like its sides are, and what the power does
// through it.
func (m *Meter) through(ctx context.Context, out *Measure, left, right reel.Clip) error {
	b := out.Blend
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
	if out.Blend.ID == 0 || b.Length() < m.seconds(0.02) {
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

// air tells what the room does at the seam, as all of it is heard.
func (m *Meter) air(ctx context.Context, out *Measure) error {
	if out.Role != reel.Dialogue && out.Role != reel.RoomTone {
		return nil
	}
	floor := math.Pow(10, hushed/10)
	under := func(from, to int64) (float64, error) {
		var frames []float64
		for _, t := range m.order {
			if t.ID == out.Track || t.ID == out.To || t.Mute || len(m.within(t.ID, from, to)) == 0 {
				continue
			}
			v, err := m.sound(ctx, t.ID, from, to, 0)
			if err != nil {
				return 0, err
			}
			own := measure.Frames(m.rate, v...)
			if frames == nil {
				frames = own
				continue
			}
			for i := range frames {
				frames[i] += own[i]
			}
		}
		// Here silence counts: what is there for a tenth of the time alone
		// covers nothing.
		if len(frames) == 0 {
			return 0, nil
		}
		slices.Sort(frames)
		return frames[len(frames)/10], nil
	}
	length := out.Blend.Length()
	if out.Kind != reel.CutSeam {
		length = out.Fade
	}
	a, b := out.At-out.Blend.Before, out.At+out.Blend.After
	switch out.Kind {
	case reel.HeadSeam:
		b = out.At + out.Fade
	case reel.TailSeam:
		a = out.At - out.Fade
	}
	before, err := under(max(a-m.seconds(underReach), 0), max(a, 1))
	if err != nil {
		return err
	}
	after, err := under(b, b+m.seconds(underReach))
	if err != nil {
		return err
	}
	power := func(s *Side) float64 {
		if s == nil || s.Room <= measure.Silence {
			return 0
		}
		return math.Pow(10, s.Room/10)
	}
	own, next := power(out.Out), power(out.In)
	from, to := own+before+floor, next+after+floor
	if out.Out != nil {
		out.Out.Heard = measure.Level(from)
	}
	if out.In != nil {
		out.In.Heard = measure.Level(to)
	}
	out.Step = 10 * math.Log10(to/from)
	// Not the doing of this seam when it goes the other way.
	if out.Edges || (next-own)*out.Step < 0 {
		out.Room = 0
	} else {
		out.Room = out.Step * m.part(length)
	}
	if out.Out != nil && out.In != nil && out.Out.known && out.In.known && own+next > before+after {
		out.Tint = out.Out.bands.Distance(out.In.bands) * m.part(length)
	}
	return nil
}

// glide is the time over which a change of the room is taken in at once.
const glide = 0.2

// part is how much of a change that is spread over so many samples happens
// within glide.
func (m *Meter) part(length int64) float64 {
	return min(1, glide*float64(m.rate)/float64(max(length, 1)))
}

// within are the clips of a track that sound in a span.
func (m *Meter) within(track reel.ID, from, to int64) []reel.Clip {
	lane := m.lanes[track]
	lo := searchEnd(lane, from)
	hi := lo
	for hi < len(lane) && lane[hi].Start < to {
		hi++
	}
	return lane[lo:hi]
}

// silence is how long the programme is digital silence from the end of a tail
// on, and whether the programme begins or ends at the seam.
func (m *Meter) silence(s reel.Seam) (hole int64, edges bool) {
	if s.Kind == reel.CutSeam {
		return 0, false
	}
	nothing := true // on the far side of the seam, for good
	next := int64(math.MaxInt64)
	for _, t := range m.order {
		if t.Mute {
			continue
		}
		lane := m.lanes[t.ID]
		if s.Kind == reel.HeadSeam {
			nothing = nothing && (len(lane) == 0 || lane[0].Start-m.heads[lane[0].ID].Before >= s.At)
			continue
		}
		i := searchEnd(lane, s.At)
		if i > 0 { // a blend may let it sound on
			before := lane[i-1]
			if end := before.End() + m.tails[before.ID].After; end > s.At {
				next = min(next, s.At)
			}
		}
		if i < len(lane) {
			nothing = false
			next = min(next, max(lane[i].Start-m.heads[lane[i].ID].Before, s.At))
		}
	}
	if nothing {
		return 0, true
	}
	if s.Kind == reel.TailSeam && next > s.At {
		return next - s.At, false
	}
	return 0, false
}
