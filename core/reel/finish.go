package reel

import "fmt"

// finish ends every edit of clips: it holds the locks, lets blends and fades
// go or shorten that no longer have their material, and tells which gaps open.
func (r *Reel) finish(out *Reel, o Outcome) (*Reel, Outcome, error) {
	out.settle(&o)
	if err := r.keepLocks(out); err != nil {
		return nil, Outcome{}, err
	}
	r.tellGaps(out, &o)
	return out, o, nil
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
func (r *Reel) keepLocks(out *Reel) error {
	any := false
	for _, t := range r.Tracks {
		any = any || t.Locked
	}
	if !any {
		return nil
	}
	held := func(c *Clip) error {
		if c == nil {
			return nil
		}
		if t, _ := r.Track(c.Track); t.Locked {
			return locked(t)
		}
		return nil
	}
	for _, p := range diff(r.Clips, out.Clips) {
		for _, c := range []*Clip{p.Before, p.After} {
			if err := held(c); err != nil {
				return err
			}
		}
	}
	for _, p := range diff(r.Blends, out.Blends) {
		b := either(p)
		left, ok := r.Clip(b.Left)
		if !ok {
			left, _ = out.Clip(b.Left)
		}
		if err := held(&left); err != nil {
			return err
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
func (r *Reel) settle(o *Outcome) {
	note := func(format string, a ...any) { o.Notes = append(o.Notes, fmt.Sprintf(format, a...)) }
	for _, b := range r.Blends {
		left, okL := r.Clip(b.Left)
		right, okR := r.Clip(b.Right)
		if okL && okR && meet(left, right) {
			continue
		}
		r.Blends = without(r.Blends, b.ID)
		switch {
		case okL && okR:
			note("The blend between “%s” and “%s” went, as they no longer meet.", left.Name, right.Name)
		case okL:
			note("The blend at the end of “%s” went with its other side.", left.Name)
		case okR:
			note("The blend at the start of “%s” went with its other side.", right.Name)
		}
	}
	// What lies at the two ends of a clip that became too short for both gives
	// way in proportion.
	at := r.ends()
	most := map[ID][2]int64{}
	copied := false
	for i, c := range r.Clips {
		head, tail := at.reach(c)
		if head+tail <= c.Length {
			continue
		}
		h := int64(float64(c.Length) * float64(head) / float64(head+tail))
		t := min(c.Length-h, tail)
		most[c.ID] = [2]int64{h, t}
		if c.FadeIn.Length > h || c.FadeOut.Length > t {
			if !copied {
				r.Clips, copied = append([]Clip(nil), r.Clips...), true
			}
			if c.FadeIn.Length > h {
				r.Clips[i].FadeIn.Length = h
				note("The fade in of “%s” was shortened to %s.", c.Name, r.Props.say(h))
			}
			if c.FadeOut.Length > t {
				r.Clips[i].FadeOut.Length = t
				note("The fade out of “%s” was shortened to %s.", c.Name, r.Props.say(t))
			}
		}
	}
	for _, b := range r.Blends {
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

// tellGaps adds the gaps to the outcome that lie in out where an edge met
// another clip before.
func (r *Reel) tellGaps(out *Reel, o *Outcome) {
	before := r.lanes()
	metHead, metTail := map[ID]bool{}, map[ID]bool{}
	for _, lane := range before {
		for i := 1; i < len(lane); i++ {
			if meet(lane[i-1], lane[i]) {
				metTail[lane[i-1].ID], metHead[lane[i].ID] = true, true
			}
		}
	}
	told := map[Gap]bool{}
	for _, g := range o.Opens {
		told[g] = true
	}
	lanes := out.lanes()
	for _, t := range out.Tracks {
		lane := lanes[t.ID]
		for i := 1; i < len(lane); i++ {
			a, b := lane[i-1], lane[i]
			g := Gap{t.ID, a.End(), b.Start}
			if a.End() < b.Start && (metTail[a.ID] || metHead[b.ID]) && !told[g] {
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
