package seam

import (
	"context"
	"math"
	"slices"
	"sort"

	"blendseam/core/floor"
	"blendseam/core/measure"
	"blendseam/core/reel"
)

// air tells what the room does at the seam, as all of it is heard.
func (m *Meter) air(ctx context.Context, out *Measure) error {
	if out.Role != reel.Dialogue && out.Role != reel.RoomTone {
		return nil
	}
	hush := math.Pow(10, hushed/10)
	length := out.With.Length()
	if out.Kind != reel.CutSeam {
		length = out.Fade
	}
	a, b := out.At-out.With.Before, out.At+out.With.After
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
	own, next := roomOf(out.Out), roomOf(out.In)
	// What is far quieter than what sounds under it all the same need not be known.
	for _, side := range []struct {
		*part
		under float64
	}{{&own, before.power}, {&next, after.power}} {
		if !side.known && side.power*drowned < side.under {
			side.known = true
		}
	}
	from, to := own.power+before.power+hush, next.power+after.power+hush
	if out.Out != nil {
		out.Out.Heard = measure.Level(from)
	}
	if out.In != nil {
		out.In.Heard = measure.Level(to)
	}
	out.Known = own.known && next.known && before.known && after.known
	if out.WhyNot = m.unheard(out, own.known, next.known); !out.Known {
		return nil
	}
	out.Step = 10 * math.Log10(to/from)
	out.Off = math.Sqrt(sq(own.unsure*own.power/from) + sq(before.unsure*before.power/from) + sq(next.unsure*next.power/to) + sq(after.unsure*after.power/to))
	// Not the doing of this seam when it goes the other way.
	if out.Edges || (next.power-own.power)*out.Step < 0 {
		out.Room = 0
	} else {
		out.Room = out.Step * m.share(length)
	}
	if out.coloured() && own.power+next.power > before.power+after.power {
		out.Tint = m.spec.Apart(out.Out.colour.Bands, out.In.colour.Bands, out.Out.colour.Segments, out.In.colour.Segments) * m.share(length)
	}
	return nil
}

// part is what one of those that sound together adds to the room.
type part struct {
	power, unsure float64 // dB of uncertainty
	known         bool
}

// drowned is how many times more what covers a room has to be so that it need
// not be known.
const drowned = 10

func roomOf(s *Side) part {
	if s == nil {
		return part{known: true}
	}
	return part{power(s.Room), s.Unsure, s.Known}
}

func sq(v float64) float64 { return v * v }

// coloured reports whether the spectra of both rooms were heard.
func (m *Measure) coloured() bool {
	return m.Out != nil && m.In != nil && m.Out.colour.Segments > 0 && m.In.colour.Segments > 0
}

// under is the room that other tracks hold under a seam's own in a span: of
// dialogue what is heard of it in its recordings, of all else what sounds. Here
// silence counts: what is there for a part of the time alone covers nothing.
func (m *Meter) under(ctx context.Context, s reel.Seam, from, to int64) (part, error) {
	out := part{known: true}
	var unsure float64
	for _, t := range m.order {
		clips := m.within(t.ID, from, to)
		if t.ID == s.Track || t.ID == s.To || t.Mute || len(clips) == 0 {
			continue
		}
		if t.Role == reel.Dialogue {
			p, off, known, err := m.roomOfLane(clips, from, to)
			if err != nil {
				return out, err
			}
			out.known = out.known && known
			unsure += sq(off * p)
			out.power += p
			continue
		}
		v, err := m.sound(ctx, t.ID, from, to, 0)
		if err != nil {
			return out, err
		}
		p := steadyPower(floor.Sound(m.rate, v...).Total())
		unsure += sq(0.5 * p)
		out.power += p
	}
	if out.power > 0 {
		out.unsure = math.Sqrt(unsure) / out.power
	}
	return out, nil
}

// roomOfLane is the room of clips of a track over a span, each for as long as it
// is there; none where they leave more than a tenth of it empty.
func (m *Meter) roomOfLane(clips []reel.Clip, from, to int64) (power, unsure float64, known bool, err error) {
	known = true
	var filled int64
	for _, c := range clips {
		a, b := max(c.Start, from), min(c.End(), to)
		src, _ := m.r.Source(c.Source)
		r, err := m.ear.Room(src, c.Offset+(a+b)/2-c.Start)
		if err != nil {
			return 0, 0, false, err
		}
		if r.State == floor.NotKnown {
			known = false
		}
		part := float64(b-a) / float64(to-from)
		filled += b - a
		unsure = max(unsure, r.Uncertain)
		if r.Level > measure.Silence {
			db, off, err := m.heardAs(c, r, c.Offset+(a+b)/2-c.Start)
			if err != nil {
				return 0, 0, false, err
			}
			power += part * math.Pow(10, db/10)
			unsure = max(unsure, off)
		}
	}
	if filled < (to-from)*9/10 {
		return 0, 0, true, nil
	}
	return power, unsure, known, nil
}

// steadyPower is the power of what sounds all the time: the mean of the frames
// near that which nine tenths of them reach. Of steady sound that is all of it.
func steadyPower(p []float64) float64 {
	if len(p) == 0 {
		return 0
	}
	all := slices.Clone(p)
	slices.Sort(all)
	low := all[len(all)/10]
	var sum float64
	n := 0
	for _, v := range all {
		if v >= low/2 && v <= 4*low {
			sum += v
			n++
		}
	}
	if n == 0 {
		return 0
	}
	return sum / float64(n)
}

// glide is the time over which a change of the room is taken in at once.
const glide = 0.2

// share is how much of a change that is spread over so many samples happens
// within glide.
func (m *Meter) share(length int64) float64 {
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
