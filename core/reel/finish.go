package reel

// finish ends every edit: it brings shots to frames, holds the locks, lets blends and fades
// go or shorten that no longer have their material, and tells which gaps open.
func (r *Reel) finish(out *Reel, o Outcome) (*Done, error) {
	d := compare(r, out)
	if moved, err := out.onFrames(r, d); err != nil {
		return nil, err
	} else if moved {
		d = compare(r, out)
	}
	if err := r.keepLocks(d); err != nil {
		return nil, err
	}
	out.keepStrikes(d)
	out.keepPoints()
	out.keepTreatments()
	out.keepTies(d)
	out.settle(d, &o)
	r.tellGaps(out, d, &o)
	return &Done{out, o}, nil
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
	if len(a) == len(b) && (len(a) == 0 || &a[0] == &b[0]) { // as of an edit of other things
		return d
	}
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
