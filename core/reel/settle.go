package reel

import (
	"fmt"
	"maps"
	"slices"
)

// ends finds the blends at the ends of clips, for many clips at once.
type ends struct{ head, tail map[ID]Blend }

func (r *Reel) ends() ends {
	e := ends{make(map[ID]Blend, len(r.Blends)), make(map[ID]Blend, len(r.Blends))}
	for _, b := range r.Blends {
		e.tail[b.Left], e.head[b.Right] = b, b
	}
	return e
}

// reach is how far the fades and blends at a clip's ends reach into it.
func (e ends) reach(c Clip) (head, tail int64) {
	return max(c.FadeIn.Length, e.head[c.ID].After), max(c.FadeOut.Length, e.tail[c.ID].Before)
}

// settle takes blends away whose clips no longer meet, shortens blends and
// fades to what their material allows, and says so.
func (r *Reel) settle(d difference, o *Outcome) {
	note := func(format string, a ...any) { o.Notes = append(o.Notes, fmt.Sprintf(format, a...)) }
	at := ends{map[ID]Blend{}, map[ID]Blend{}}
	var touched []Blend
	gone := map[ID]bool{}
	for _, b := range r.Blends {
		if !d.altered[b.Left] && !d.altered[b.Right] && d.by(b.Left) == d.by(b.Right) {
			continue
		}
		left, okL := r.Clip(b.Left)
		right, okR := r.Clip(b.Right)
		if okL && okR && touch(left, right) {
			at.tail[b.Left], at.head[b.Right] = b, b
			touched = append(touched, b)
			continue
		}
		gone[b.ID] = true
		switch {
		case okL && okR:
			note("Blend removed: “%s” and “%s” no longer meet.", left.Name, right.Name)
		case okL:
			note("Blend at the end of “%s” removed with its other side.", left.Name)
		case okR:
			note("Blend at the start of “%s” removed with its other side.", right.Name)
		}
	}
	if len(gone) > 0 {
		r.Blends = slices.DeleteFunc(slices.Clone(r.Blends), func(b Blend) bool { return gone[b.ID] })
	}
	// What lies at the two ends of a clip that became too short for both gives
	// way in proportion.
	most := map[ID][2]int64{}
	for _, id := range slices.Sorted(maps.Keys(d.altered)) {
		c, there := r.Clip(id)
		head, tail := at.reach(c)
		if !there || head+tail <= c.Length {
			continue
		}
		h := int64(float64(c.Length) * float64(head) / float64(head+tail))
		t := min(c.Length-h, tail)
		most[c.ID] = [2]int64{h, t}
		was := c
		if c.FadeIn.Length > h {
			c.FadeIn.Length = h
			note("Fade in of “%s” shortened to %s.", c.Name, r.Props.say(h))
		}
		if c.FadeOut.Length > t {
			c.FadeOut.Length = t
			note("Fade out of “%s” shortened to %s.", c.Name, r.Props.say(t))
		}
		if c != was {
			r.Clips = with(r.Clips, c)
		}
	}
	for _, b := range touched {
		left, _ := r.Clip(b.Left)
		right, _ := r.Clip(b.Right)
		ahead, _ := r.spare(right)
		_, beyond := r.spare(left)
		before, after := min(b.Before, ahead), min(b.After, beyond)
		if m, ok := most[left.ID]; ok {
			before = min(before, m[1])
		}
		if m, ok := most[right.ID]; ok {
			after = min(after, m[0])
		}
		if before == b.Before && after == b.After {
			continue
		}
		if d := b.Before - b.After; d >= -1 && d <= 1 { // it lay evenly across the cut, and still does
			before, after = min(before, after), min(before, after)
		}
		if before+after < 1 {
			r.Blends = without(r.Blends, b.ID)
			note("Blend of “%s” into “%s” removed: no handle left.", left.Name, right.Name)
			continue
		}
		b.Before, b.After = before, after
		r.Blends = with(r.Blends, b)
		note("Blend of “%s” into “%s” shortened to %s: no more handle.", left.Name, right.Name, r.Props.say(before+after))
	}
}

// touch reports whether one clip begins where the other ends, on the same
// track or on another: a blend can join them.
func touch(left, right Clip) bool { return left.End() == right.Start && left.ID != right.ID }

// meet reports whether two clips share a cut on their track.
func meet(left, right Clip) bool { return left.Track == right.Track && left.End() == right.Start }
