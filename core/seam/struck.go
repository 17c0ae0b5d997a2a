package seam

import (
	"context"
	"fmt"
	"math"

	"blendseam/core/floor"
	"blendseam/core/measure"
	"blendseam/core/mix"
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
	src, _ := m.r.Source(c.Source)
	room, err := m.ear.Room(src, (k.From+k.To)/2)
	if err != nil {
		return err
	}
	around := room.Level
	if around > measure.Silence {
		around += m.onTrack(c, (k.From+k.To)/2)
	}
	out.Out.Room, out.Out.Known, out.Out.Gated, out.Out.Unsure = around, room.State != floor.NotKnown, room.State == floor.Gated, room.Uncertain
	inside, err := m.sound(ctx, out.Track, from, to, 0)
	if err != nil {
		return err
	}
	out.In.Peak, out.In.RMS = measure.Peak(inside...), measure.RMS(inside...)
	out.In.Known = true
	if out.In.RMS > measure.Silence {
		if out.In.Room, err = m.inside(ctx, out, c, k, around); err != nil {
			return err
		}
	}
	// What other tracks hold meanwhile is there with and without the strike.
	under, err := m.under(ctx, out.Seam, from, to)
	if err != nil {
		return err
	}
	hush := math.Pow(10, hushed/10)
	before, within := power(around)+under.power+hush, power(out.In.Room)+under.power+hush
	out.Out.Heard, out.In.Heard = measure.Level(before), measure.Level(within)
	out.Step = 10 * math.Log10(within/before)
	out.Off = math.Sqrt(sq(room.Uncertain*power(around)/before) + sq(0.4))
	out.Known = (out.Out.Known || power(around)*drowned < under.power) && under.known
	if !out.Known {
		out.WhyNot = fmt.Sprintf("Room not known: “%s” has no pause within %.0f s of the strike to hear it in.", c.Name, floor.Reach)
	}
	if out.In.RMS <= measure.Silence && under.power == 0 {
		out.Hole = out.Gap
		for _, t := range m.order {
			if t.ID != out.Track && !t.Mute && len(m.within(t.ID, from, to)) > 0 {
				out.Hole = 0 // something is laid there, if not all through it
			}
		}
	}
	return m.edges(ctx, out, from, to)
}

// inside returns the level in dBFS, above 188 Hz, of the sound within a strike. The
// cover and the room that a lowered clip keeps count; the struck sound does not.
func (m *Meter) inside(ctx context.Context, out *Measure, c reel.Clip, k reel.Strike, around float64) (float64, error) {
	from, to := out.At, out.At+out.Gap
	left := sq(k.Left())
	if k.Cover.Source != 0 && !m.expands(c) {
		level, err := m.coverAlone(ctx, c, k, from, to)
		return measure.Level(power(level)*(1-left) + power(around)*left), err
	}
	margin := m.seconds(edgeReach)
	hop := int64(floor.Hop(m.rate))
	from -= from % hop // whole hops: both directions must cover the same samples
	v, err := m.sound(ctx, out.Track, from-margin, from+(to-from+hop-1)/hop*hop+margin, 0)
	if err != nil {
		return measure.Silence, err
	}
	p := floor.BothWays(m.rate, v...).Total()
	a, b := margin/hop, margin/hop+(to-from)/hop-1 // frames within the strike
	if b <= a {
		return out.In.RMS, nil
	}
	p = p[a:b]
	if k.LowerDB != 0 && k.Cover.Source == 0 {
		return measure.Level(steadyPower(p)), nil
	}
	return measure.Level(mean(p)), nil
}

// expands reports whether a clip goes through an expander, whose gain depends on the
// clip's own sound.
func (m *Meter) expands(c reel.Clip) bool {
	for _, t := range m.treatments(c) {
		if t.Does.Expander.On() {
			return true
		}
	}
	return false
}

// coverAlone returns the level in dBFS, above 188 Hz, of the room tone that covers a
// strike in [from, to) of the reel. It renders the tone without the clip's own sound:
// after a loud word, the band filters of the analyser ring for longer than many strikes last.
func (m *Meter) coverAlone(ctx context.Context, c reel.Clip, k reel.Strike, from, to int64) (float64, error) {
	tone, ok := m.r.Source(k.Cover.Source)
	if !ok {
		return measure.Silence, nil
	}
	// A strike of a few samples is measured over at least the longest ring of the filters.
	margin := m.seconds(edgeReach)
	start := max(from-margin, c.Start-c.Offset)
	end := min(to+margin, c.Start-c.Offset+tone.Length)
	c.Source, c.Offset, c.Start, c.Length = tone.ID, c.Offset+start-c.Start, start, end-start
	c.GainDB += k.Cover.GainDB
	c.FadeIn, c.FadeOut = reel.Fade{}, reel.Fade{}
	alone := *m.r
	alone.Clips, alone.Blends, alone.Strikes = []reel.Clip{c}, nil, nil
	mx, err := mix.New(&alone, m.open, mix.Options{})
	if err != nil {
		return measure.Silence, err
	}
	left, right := make([]float32, end-start), make([]float32, end-start)
	if err := mx.Render(ctx, left, right, start); err != nil {
		return measure.Silence, err
	}
	return measure.Level(mean(floor.BothWays(m.rate, left, right).Total())), nil
}

func mean(p []float64) (out float64) {
	for _, x := range p {
		out += x / float64(len(p))
	}
	return out
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
	src, _ := m.r.Source(c.Source)
	around, err := m.ear.Room(src, (k.From+k.To)/2)
	if err != nil {
		return out, err
	}
	colour, err := m.ear.Colour(src, around)
	if err != nil {
		return out, err
	}
	if colour.Segments > 0 {
		by := m.onTrack(c, (k.From+k.To)/2)
		for i := range colour.Bands {
			colour.Bands[i] += by
		}
		out.Out = &SideSpectrum{Room: colour.Bands[:]}
	}
	v, err := m.sound(ctx, s.Track, s.At, s.At+s.Gap, 0)
	if err != nil {
		return out, err
	}
	var starts []int
	for at := 0; at+m.spec.Segment() <= len(v[0]); at += m.spec.Segment() / 2 {
		starts = append(starts, at)
	}
	if len(starts) > 0 {
		bands := m.spec.Of(v[0], starts)
		out.In = &SideSpectrum{Room: bands[:]}
		if colour.Segments > 0 {
			d := m.spec.Apart(colour.Bands, bands, colour.Segments, len(starts))
			out.Distance = &d
		}
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
	return none("No quiet stretch nearby to cover it with. Save a swatch, or use a synthetic room."), nil
}
