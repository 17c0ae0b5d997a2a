package seam

import (
	"context"
	"fmt"

	"blendseam/core/measure"
	"blendseam/core/reel"
	"blendseam/core/sound"
)

// Measure measures a seam of the meter's reel.
func (m *Meter) Measure(ctx context.Context, s reel.Seam) (Measure, error) {
	return m.MeasureAs(ctx, s, m.Print(s))
}

// MeasureAs measures a seam whose print is known, as [Meter.Print] gives it.
func (m *Meter) MeasureAs(ctx context.Context, s reel.Seam, print string) (Measure, error) {
	out := Measure{Seam: s, Print: print, Click: measure.NoClick, rate: m.rate}
	left, okL := m.r.Clip(s.Left)
	right, okR := m.r.Clip(s.Right)
	if !okL && !okR {
		return out, fmt.Errorf("the clips of that seam are gone")
	}
	t, _ := m.r.Track(s.Track)
	out.Role, out.Muted = t.Role, t.Mute
	if out.Lacks, out.Absent = m.lacks(left, right, okL, okR); out.Lacks != "" {
		return out, nil
	}
	if okL {
		out.With = m.tails[left.ID]
	}
	switch s.Kind {
	case reel.HeadSeam:
		out.Fade = right.FadeIn.Length
	case reel.TailSeam:
		out.Fade = left.FadeOut.Length
	}
	out.Hole, out.Edges = m.silence(s)
	if s.Kind == reel.StruckSeam {
		return out, m.struck(ctx, &out, left)
	}
	if out.Muted || s.Continues && out.With.ID == 0 {
		m.handles(&out, left, right, okL, okR)
		return out, nil
	}
	if err := m.sides(&out, left, right, okL, okR); err != nil {
		return out, err
	}
	m.handles(&out, left, right, okL, okR)
	if err := m.join(ctx, &out); err != nil {
		return out, err
	}
	if okL && okR {
		if err := m.through(ctx, &out, left, right); err != nil {
			return out, err
		}
	}
	return out, m.air(ctx, &out)
}

// lacks says which material is missing, where any is, and whether that is a whole recording.
func (m *Meter) lacks(left, right reel.Clip, okL, okR bool) (says string, absent bool) {
	for _, c := range []struct {
		reel.Clip
		ok bool
	}{{left, okL}, {right, okR}} {
		if !c.ok {
			continue
		}
		src, known := m.r.Source(c.Source)
		if !known {
			return fmt.Sprintf("“%s” plays a source that is not in this reel", c.Name), false
		}
		reader, err := m.open(src)
		if err != nil {
			return fmt.Sprintf("the recording of “%s” cannot be read", c.Name), false
		}
		if _, silent := reader.(sound.Silence); silent {
			return fmt.Sprintf("the recording of “%s” is missing", c.Name), true
		}
		if end := c.Offset + c.Length; end > reader.Len() || c.Offset < 0 {
			return fmt.Sprintf("“%s” reaches %d samples past its recording", c.Name, max(end-reader.Len(), -c.Offset)), false
		}
		if tail := m.tails[c.ID]; c.Offset+c.Length+tail.After > reader.Len() || m.heads[c.ID].Before > c.Offset {
			return fmt.Sprintf("the blend of “%s” reaches past its recording", c.Name), false
		}
	}
	return "", false
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
			out.Out = quietSide()
		}
		src, _ := m.r.Source(left.Source)
		out.Out.Handle = src.Length - left.Offset - left.Length
	}
	if okR {
		if out.In == nil {
			out.In = quietSide()
		}
		out.In.Handle = right.Offset
	}
}
