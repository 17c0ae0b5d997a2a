package seam

import (
	"context"
	"math"

	"blendseam/core/measure"
	"blendseam/core/reel"
	"blendseam/core/roomtone"
)

// struck measures a struck span: what the room does where it is, against what
// it does around it. Out is the clip around the span, In what is heard in it.
func (m *Meter) struck(ctx context.Context, out *Measure, c reel.Clip) error {
	k, ok := m.r.Strike(out.Right)
	if !ok {
		return nil
	}
	out.Cover = k.Cover.Source != 0
	from, to := out.At, out.At+out.Gap
	out.Out, out.In = quietSide(), quietSide()
	if out.Muted {
		return nil
	}
	room, err := roomtone.BesideStrike(m.r, m.open, k)
	if err != nil {
		return err
	}
	around := room.Level
	if around > measure.Silence {
		t, _ := m.r.Track(c.Track)
		around += c.GainDB + t.GainDB
	}
	inside, err := m.sound(ctx, out.Track, from, to, 0)
	if err != nil {
		return err
	}
	out.In.Peak, out.In.RMS = measure.Peak(inside...), measure.RMS(inside...)
	frames := measure.Frames(m.rate, inside...)
	if out.In.Room = roomtone.Air(frames); len(frames) == 0 || k.LowerDB == 0 {
		out.In.Room = out.In.RMS // what is left is the room alone
	}
	out.Out.Room = around
	// What other tracks hold meanwhile is there with and without the strike.
	under, err := m.under(ctx, out.Seam, from, to)
	if err != nil {
		return err
	}
	floor := math.Pow(10, hushed/10)
	power := func(db float64) float64 {
		if db <= measure.Silence {
			return 0
		}
		return math.Pow(10, db/10)
	}
	before, within := power(around)+under+floor, power(out.In.Room)+under+floor
	out.Out.Heard, out.In.Heard = measure.Level(before), measure.Level(within)
	out.Step = 10 * math.Log10(within/before)
	if out.In.RMS <= measure.Silence && under == 0 {
		out.Hole = out.Gap
		for _, t := range m.order {
			if t.ID != out.Track && !t.Mute && len(m.within(t.ID, from, to)) > 0 {
				out.Hole = 0 // something is laid there, if not all through it
			}
		}
	}
	return m.edges(ctx, out, from, to)
}

// edges tells whether an end of a struck span clicks.
func (m *Meter) edges(ctx context.Context, out *Measure, from, to int64) error {
	reach := m.seconds(joinReach)
	for _, at := range []int64{from, to} {
		v, err := m.sound(ctx, out.Track, at-reach, at+reach, 1)
		if err != nil {
			return err
		}
		for _, ch := range v {
			out.Click = max(out.Click, measure.Click(m.rate, ch, int(reach)))
		}
	}
	return nil
}

func quietSide() *Side {
	return &Side{Peak: measure.Silence, RMS: measure.Silence, Room: measure.Silence, Heard: measure.Silence, Voice: measure.NoLoudness}
}

// struckSpectra are the third-octave levels around a struck span and in it.
func (m *Meter) struckSpectra(ctx context.Context, s reel.Seam, k reel.Strike) (Spectra, error) {
	out := Spectra{Centres: measure.BandCentres[:]}
	c, _ := m.r.Clip(s.Left)
	lo, hi := k.Reach()
	reach := m.seconds(roomReach)
	at := c.Start - c.Offset
	for i, part := range [][2]int64{{max(lo-reach, 0), lo}, {s.At - at, s.At - at + s.Gap}, {hi, hi + reach}} {
		v, err := m.material(c, at+part[0], at+part[1])
		if err != nil {
			return out, err
		}
		quiet := m.spec.Quiet(v[0], 12)
		if len(quiet) == 0 {
			continue
		}
		bands := m.spec.Of(v[0], quiet)
		side := &SideSpectrum{Room: bands[:]}
		if i == 1 {
			out.In = side
		} else if out.Out == nil {
			out.Out = side
		}
	}
	if out.Out != nil && out.In != nil {
		var a, b measure.Bands
		copy(a[:], out.Out.Room)
		copy(b[:], out.In.Room)
		d := a.Distance(b)
		out.Distance = &d
	}
	return out, nil
}

// coverStrike proposes the likest tone for a struck span with nothing under it.
func (m *Meter) coverStrike(ctx context.Context, j Judgement) (Plan, error) {
	k, ok := m.r.Strike(j.Right)
	if !ok || j.Verdict == Fine {
		return none("What is struck there is fine."), nil
	}
	all, err := roomtone.ForStrike(ctx, m.r, m.open, roomtone.Finding(m.r, m.open), k, roomtone.Kept(m.r, m.open), false)
	if err != nil {
		return Plan{}, err
	}
	src, _ := m.r.Source(k.Cover.Source)
	for _, one := range all {
		if !one.Of(src) {
			return Plan{Edit: one.Cover(k.ID), Says: "cover it with " + one.Says}, nil
		}
	}
	return none("There is no quiet stretch nearby to cover it with; keep a swatch, or take a made-up room."), nil
}
