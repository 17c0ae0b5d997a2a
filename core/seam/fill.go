package seam

import (
	"fmt"
	"math"

	"blendseam/core/gain"
	"blendseam/core/reel"
)

// proposeFade fades what has no neighbour, where it would click or the room
// would come or go at once.
func (m *Meter) proposeFade(j Judgement) (Plan, error) {
	if j.Verdict == Fine && j.Fade > 0 {
		return none("The fade that is there is fine."), nil
	}
	clip, end := j.Right, reel.Head
	if j.Kind == reel.TailSeam {
		clip, end = j.Left, reel.Tail
	}
	c, _ := m.r.Clip(clip)
	want := max(shortFade, float64(j.Fade)/float64(m.rate))
	if j.has("room") {
		want = max(want, stretchOf(j.Step, m.r.Props.Limits.Full().Room.Hear))
	}
	n := min(m.seconds(min(want, longFade)), m.fadeRoom(c, end))
	if j.Role == reel.Dialogue {
		var err error
		if end == reel.Head {
			n, err = m.quiet(c, c.Offset, true, n)
		} else {
			n, err = m.quiet(c, c.Offset+c.Length, false, n)
		}
		if err != nil {
			return Plan{}, err
		}
	}
	n = min(max(n, m.seconds(0.005)), m.fadeRoom(c, end))
	if n <= j.Fade || n < 1 {
		return none("A longer fade would take sound away."), nil
	}
	word := "fade in"
	if end == reel.Tail {
		word = "fade out"
	}
	return Plan{
		Edit: &reel.SetFade{Clip: c.ID, End: end, Fade: reel.Fade{Length: n, Shape: gain.QuarterSine, Bend: gain.Even}},
		Says: fmt.Sprintf("%s %s", word, span(1000*float64(n)/float64(m.rate))),
	}, nil
}

// fadeRoom is how long a fade at a clip's end can be.
func (m *Meter) fadeRoom(c reel.Clip, end reel.End) int64 {
	if end == reel.Head {
		return c.Length - max(c.FadeOut.Length, m.tails[c.ID].Before)
	}
	return c.Length - max(c.FadeIn.Length, m.heads[c.ID].After)
}

// fillHole lets the sound before a hole run on over it, or that after it begin
// earlier, when there is quiet material for it.
func (m *Meter) fillHole(j Judgement) (Plan, error) {
	left, _ := m.r.Clip(j.Left)
	src, _ := m.r.Source(left.Source)
	handle := src.Length - left.Offset - left.Length
	free := int64(math.MaxInt64)
	lane := m.lanes[left.Track]
	var next reel.Clip // that it would meet
	if i := searchEnd(lane, left.End()); i < len(lane) {
		next, free = lane[i], lane[i].Start-left.End()
	}
	far := min(handle, free, j.Hole+m.seconds(overHole))
	if far >= j.Hole {
		var err error
		if j.Role == reel.Dialogue {
			far, err = m.quiet(left, left.Offset+left.Length, true, far)
		}
		if err != nil {
			return Plan{}, err
		}
	}
	if far >= j.Hole {
		edits := []reel.Edit{}
		if left.FadeOut.Length > 0 {
			edits = append(edits, &reel.SetFade{Clip: left.ID, End: reel.Tail, Fade: reel.NoFade})
		}
		edits = append(edits, &reel.Trim{Clips: []reel.ID{left.ID}, End: reel.Tail, By: far, Later: reel.Stay})
		if over := far - j.Hole; over > 0 && far < free {
			edits = append(edits, &reel.SetFade{Clip: left.ID, End: reel.Tail, Fade: reel.Fade{Length: over, Shape: gain.Smooth, Bend: gain.Even}})
		}
		half := m.seconds(shortBlend / 2)
		if before, after := min(half, next.Offset), min(half, handle-far); far == free && next.FadeIn.Length == 0 && before+after > 0 {
			edits = append(edits, &reel.SetBlend{Left: left.ID, Right: next.ID, Before: before, After: after, Law: gain.ConstantPower, Lean: gain.Even})
		}
		return Plan{
			Edit: &reel.Together{Label: "let “" + left.Name + "” run on over the hole", Edits: edits},
			Says: fmt.Sprintf("let it run on by %s from its handle", span(1000*float64(far)/float64(m.rate))),
		}, nil
	}
	// What comes after may begin earlier.
	for _, t := range m.order {
		if t.Mute || t.Locked {
			continue
		}
		i := searchEnd(m.lanes[t.ID], j.At)
		if i >= len(m.lanes[t.ID]) {
			continue
		}
		c := m.lanes[t.ID][i]
		if c.Start != j.At+j.Hole || c.Offset < j.Hole || m.heads[c.ID].ID != 0 {
			continue
		}
		reach := j.Hole
		if t.Role == reel.Dialogue {
			var err error
			if reach, err = m.quiet(c, c.Offset, false, j.Hole); err != nil {
				return Plan{}, err
			}
		}
		if reach < j.Hole {
			continue
		}
		return Plan{
			Edit: &reel.Trim{Clips: []reel.ID{c.ID}, End: reel.Head, By: -j.Hole, Later: reel.Stay},
			Says: fmt.Sprintf("let “%s” begin %s earlier", c.Name, span(1000*float64(j.Hole)/float64(m.rate))),
		}, nil
	}
	return none("No quiet handle of %s on either side. Add room tone, or close the gap.", span(1000*float64(j.Hole)/float64(m.rate))), nil
}
