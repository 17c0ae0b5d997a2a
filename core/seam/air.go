package seam

import (
	"context"
	"math"
	"slices"
	"sort"

	"blendseam/core/measure"
	"blendseam/core/reel"
)

// air tells what the room does at the seam, as all of it is heard.
func (m *Meter) air(ctx context.Context, out *Measure) error {
	if out.Role != reel.Dialogue && out.Role != reel.RoomTone {
		return nil
	}
	floor := math.Pow(10, hushed/10)
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
	before, err := m.under(ctx, out.Seam, max(a-m.seconds(underReach), 0), max(a, 1))
	if err != nil {
		return err
	}
	after, err := m.under(ctx, out.Seam, b, b+m.seconds(underReach))
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

// under is the power of the room that other tracks hold under a seam's own in a
// span. Here silence counts: what is there for a tenth of the time alone
// covers nothing.
func (m *Meter) under(ctx context.Context, s reel.Seam, from, to int64) (float64, error) {
	var frames []float64
	for _, t := range m.order {
		if t.ID == s.Track || t.ID == s.To || t.Mute || len(m.within(t.ID, from, to)) == 0 {
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
	if len(frames) == 0 {
		return 0, nil
	}
	slices.Sort(frames)
	return frames[len(frames)/10], nil
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
	if s.Kind == reel.CutSeam || s.Kind == reel.StruckSeam {
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

// searchEnd is the first clip of a lane that ends after a place.
func searchEnd(lane []reel.Clip, at int64) int {
	return sort.Search(len(lane), func(i int) bool { return lane[i].End() > at })
}
