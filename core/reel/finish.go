package reel

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
)

// finish ends every edit of clips: it holds the locks, lets blends and fades
// go or shorten that no longer have their material, and tells which gaps open.
func (r *Reel) finish(out *Reel, o Outcome) (*Reel, Outcome, error) {
	d := compare(r, out)
	if err := r.keepLocks(out, d); err != nil {
		return nil, Outcome{}, err
	}
	out.settle(d, &o)
	r.tellGaps(out, d, &o)
	return out, o, nil
}

// difference is how the clips of two reels differ. It keeps an edit of a few
// clips from looking at thousands.
type difference struct {
	altered map[ID]bool // in more than their place in time; new ones and ones that went are among them
	moved   []int64     // by id: in their place alone, by so much; nil when none
	tracks  map[ID]bool // where any of them lie, or lay
}

// by is how far a clip was moved.
func (d difference) by(id ID) int64 {
	if int(id) < len(d.moved) {
		return d.moved[id]
	}
	return 0
}

func compare(r, out *Reel) difference {
	d := difference{altered: map[ID]bool{}, tracks: map[ID]bool{}}
	alter := func(c *Clip) { d.altered[c.ID], d.tracks[c.Track] = true, true }
	a, b := r.Clips, out.Clips
	for len(a) > 0 && len(b) > 0 {
		x, y := &a[0], &b[0]
		switch {
		case x.ID < y.ID:
			alter(x)
			a = a[1:]
			continue
		case y.ID < x.ID:
			alter(y)
			b = b[1:]
			continue
		case x != y && *x != *y:
			still := *y
			still.Start = x.Start
			if still == *x {
				if d.moved == nil {
					d.moved = make([]int64, r.Clips[len(r.Clips)-1].ID+1)
				}
				d.moved[x.ID], d.tracks[x.Track] = y.Start-x.Start, true
			} else {
				alter(x)
				alter(y)
			}
		}
		a, b = a[1:], b[1:]
	}
	for i := range a {
		alter(&a[i])
	}
	for i := range b {
		alter(&b[i])
	}
	return d
}

// locked is the refusal of an edit of clips on a locked track.
func locked(t Track) *Refusal {
	no := refuse("Track %s is locked.", t.Name)
	no.Possible = "Unlock it to edit its clips."
	open := false
	no.Offer = &SetTrack{Track: t.ID, Locked: &open}
	return no
}

// open is the track of an id when its clips can be edited.
func (r *Reel) open(id ID) (Track, error) {
	t, ok := r.Track(id)
	if !ok {
		return t, refuse("That track is gone.")
	}
	if t.Locked {
		return t, locked(t)
	}
	return t, nil
}

// opened are the tracks of the ids when their clips can be edited, each once.
func (r *Reel) opened(ids []ID) (map[ID]bool, error) {
	if len(ids) == 0 {
		return nil, refuse("No track is chosen.")
	}
	out := map[ID]bool{}
	for _, id := range ids {
		if _, err := r.open(id); err != nil {
			return nil, err
		}
		out[id] = true
	}
	return out, nil
}

// keepLocks refuses a reel in which something on a locked track has changed.
func (r *Reel) keepLocks(out *Reel, d difference) error {
	for _, t := range r.Tracks {
		if t.Locked && d.tracks[t.ID] {
			return locked(t)
		}
	}
	return nil
}

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
		if okL && okR && meet(left, right) {
			at.tail[b.Left], at.head[b.Right] = b, b
			touched = append(touched, b)
			continue
		}
		gone[b.ID] = true
		switch {
		case okL && okR:
			note("The blend between “%s” and “%s” went, as they no longer meet.", left.Name, right.Name)
		case okL:
			note("The blend at the end of “%s” went with its other side.", left.Name)
		case okR:
			note("The blend at the start of “%s” went with its other side.", right.Name)
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
			note("The fade in of “%s” was shortened to %s.", c.Name, r.Props.say(h))
		}
		if c.FadeOut.Length > t {
			c.FadeOut.Length = t
			note("The fade out of “%s” was shortened to %s.", c.Name, r.Props.say(t))
		}
		if c != was {
			r.Clips = with(r.Clips, c)
		}
	}
	for _, b := range touched {
		left, _ := r.Clip(b.Left)
		right, _ := r.Clip(b.Right)
		src, _ := r.Source(left.Source)
		before, after := min(b.Before, right.Offset), min(b.After, src.Length-left.Offset-left.Length)
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
			note("The blend of “%s” into “%s” went: there is no material left for it.", left.Name, right.Name)
			continue
		}
		b.Before, b.After = before, after
		r.Blends = with(r.Blends, b)
		note("The blend of “%s” into “%s” was shortened to %s, as long as its material lasts.", left.Name, right.Name, r.Props.say(before+after))
	}
}

// meet reports whether two clips share a cut.
func meet(left, right Clip) bool { return left.Track == right.Track && left.End() == right.Start }

// Gap is a stretch of a track between two clips where no clip lies.
type Gap struct {
	Track ID    `json:"track"`
	From  int64 `json:"from"`
	To    int64 `json:"to"`
}

// strip is where a clip lies, in less room than the clip itself takes.
type strip struct {
	id         ID
	start, end int64
}

// strips are the clips of the chosen tracks by start.
func (r *Reel) strips(tracks map[ID]bool) map[ID][]strip {
	sizes, out := map[ID]int{}, map[ID][]strip{}
	for i := range r.Clips {
		sizes[r.Clips[i].Track]++
	}
	for i := range r.Clips {
		c := &r.Clips[i]
		if !tracks[c.Track] {
			continue
		}
		if out[c.Track] == nil {
			out[c.Track] = make([]strip, 0, sizes[c.Track])
		}
		out[c.Track] = append(out[c.Track], strip{c.ID, c.Start, c.End()})
	}
	for _, lane := range out {
		slices.SortFunc(lane, func(a, b strip) int { return cmp.Compare(a.start, b.start) })
	}
	return out
}

// tellGaps adds the gaps to the outcome that lie in out where an edge met
// another clip before.
func (r *Reel) tellGaps(out *Reel, d difference, o *Outcome) {
	told := map[Gap]bool{}
	for _, g := range o.Opens {
		told[g] = true
	}
	// On which ends clips met others before; found when the first gap asks.
	var metHead, metTail map[ID]bool
	met := func() {
		metHead, metTail = map[ID]bool{}, map[ID]bool{}
		all := map[ID]bool{}
		for _, t := range r.Tracks {
			all[t.ID] = true
		}
		for _, lane := range r.strips(all) {
			for i := 1; i < len(lane); i++ {
				if lane[i-1].end == lane[i].start {
					metTail[lane[i-1].id], metHead[lane[i].id] = true, true
				}
			}
		}
	}
	lanes := out.strips(d.tracks)
	for _, t := range out.Tracks {
		lane := lanes[t.ID]
		for i := 1; i < len(lane); i++ {
			a, b := lane[i-1], lane[i]
			if a.end == b.start {
				continue
			}
			if metHead == nil {
				met()
			}
			if g := (Gap{t.ID, a.end, b.start}); !told[g] && (metTail[a.id] || metHead[b.id]) {
				o.Opens = append(o.Opens, g)
			}
		}
	}
	for i, g := range o.Opens {
		if i == 3 && len(o.Opens) > 4 {
			o.Says = append(o.Says, fmt.Sprintf("%d more gaps open", len(o.Opens)-i))
			break
		}
		t, _ := out.Track(g.Track)
		o.Says = append(o.Says, fmt.Sprintf("a gap of %s opens on %s", r.Props.distance(g.To-g.From), t.Name))
	}
}
