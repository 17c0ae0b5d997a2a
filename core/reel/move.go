package reel

import (
	"cmp"
	"slices"
)

// Move shifts clips in time and onto other tracks.
type Move struct {
	Clips   []ID  `json:"clips"`
	By      int64 `json:"by"`                // samples, later is positive
	ToTrack ID    `json:"toTrack,omitempty"` // all onto this track
	Down    int   `json:"down,omitempty"`    // or each so many tracks further down, as they are shown
	Tied    bool  `json:"tied,omitempty"`    // what is tied to them moves in time with them
}

// Names implements Edit.
func (e *Move) Names() []ID { return append(slices.Clone(e.Clips), e.ToTrack) }

// landing are the clips on the tracks that they are moved to.
func (e *Move) landing(r *Reel, clips []Clip) ([]Clip, error) {
	out := slices.Clone(clips)
	if e.ToTrack != 0 {
		if _, err := r.open(e.ToTrack); err != nil {
			return nil, err
		}
		for i := range out {
			out[i].Track = e.ToTrack
		}
		return out, nil
	}
	if e.Down == 0 {
		return out, nil
	}
	order := r.Order()
	place := map[ID]int{}
	for i, t := range order {
		place[t.ID] = i
	}
	low, high := len(order), 0
	for _, c := range out {
		low, high = min(low, place[c.Track]), max(high, place[c.Track])
	}
	if e.Down < -low || e.Down > len(order)-1-high {
		no := refuse("Not enough tracks that way.")
		fit := *e
		if fit.Down = min(max(e.Down, -low), len(order)-1-high); fit.Down != 0 || fit.By != 0 {
			no.Offer = workable(r, &fit)
		}
		return nil, no
	}
	for i, c := range out {
		t := order[place[c.Track]+e.Down]
		if t.Locked {
			return nil, locked(t)
		}
		out[i].Track = t.ID
	}
	return out, nil
}

// Apply implements Edit.
func (e *Move) Apply(r *Reel) (*Done, error) {
	clips, err := r.named(r.through(e.Clips, e.Tied))
	if err != nil {
		return nil, err
	}
	if whole := r.wholeIfSeen(e.By, clips...); whole != e.By {
		own := *e
		own.By = whole
		return own.Apply(r)
	}
	target, err := e.landing(r, clips[:len(e.Clips)])
	if err == nil {
		target = append(target, clips[len(e.Clips):]...)
		err = r.landsOnItsKind(target)
	}
	if err != nil {
		return nil, err
	}
	label := "move " + both(clips)
	if e.ToTrack != 0 { // only clips of several tracks can come to lie on each other
		byStart := slices.Clone(target)
		slices.SortFunc(byStart, func(a, b Clip) int { return cmp.Compare(a.Start, b.Start) })
		for i := 1; i < len(byStart); i++ {
			if a, b := byStart[i-1], byStart[i]; b.Start < a.End() {
				no := refuse("“%s” and “%s” would overlap.", a.Name, b.Name)
				no.Possible = "Move them down or up together, each from its own track."
				return nil, no
			}
		}
	}
	if by, ok := r.nearestShift(target, ids(clips), e.By); !ok || by != e.By {
		first := target[0]
		fit := *e
		fit.By = by
		var offer Edit = &fit
		if whole := r.within(by, target...); whole != by {
			offer = nil
			for _, w := range []int64{whole, r.Props.sample(r.Props.nearest(by) + 1), r.Props.sample(r.Props.nearest(by) - 1)} {
				if at, ok := r.nearestShift(target, ids(clips), w); ok && at == w {
					fit.By, offer = w, &fit
					break
				}
			}
		}
		moving := idSet(ids(clips))
		for _, c := range target {
			at := c.Start + e.By
			for _, o := range r.under(at, at+c.Length, map[ID]bool{c.Track: true}) {
				if !moving[o.ID] {
					first = c
				}
			}
		}
		return nil, r.noRoom(first.Start+e.By, first.Length, first.Track, ids(clips), ok, first.Start+by, offer)
	}
	out := *r
	out.Clips = slices.Clone(r.Clips)
	for _, c := range target {
		c.Start += e.By
		i, _ := find(out.Clips, c.ID)
		out.Clips[i] = c
	}
	o := Outcome{Label: label}
	o.Says = []string{both(clips) + " " + r.Props.shift(e.By) + ", at " + r.Props.at(target[0].Start+e.By)}
	if t, _ := r.Track(target[0].Track); t.ID != clips[0].Track {
		o.Says = append(o.Says, "onto "+t.Name)
	}
	return r.finish(&out, o)
}

// landsOnItsKind refuses sound on tracks of pictures and the other way round.
func (r *Reel) landsOnItsKind(clips []Clip) error {
	for _, c := range clips {
		t, _ := r.Track(c.Track)
		src, _ := r.Source(c.Source)
		if err := t.fits(src); err != nil {
			return err
		}
	}
	return nil
}

func ids(clips []Clip) []ID {
	out := make([]ID, len(clips))
	for i, c := range clips {
		out[i] = c.ID
	}
	return out
}

// existing are the clips of the ids, all of which must be there, each once.
func (r *Reel) existing(ids []ID) ([]Clip, error) {
	if len(ids) == 0 {
		return nil, refuse("No clip is selected.")
	}
	out, seen := make([]Clip, 0, len(ids)), make(map[ID]bool, len(ids))
	for _, id := range ids {
		c, ok := r.Clip(id)
		if !ok {
			return nil, refuse("A selected clip is gone.")
		}
		if seen[id] {
			return nil, refuse("“%s” is named twice.", c.Name)
		}
		seen[id] = true
		out = append(out, c)
	}
	return out, nil
}

// named are the clips of the ids, when they can be edited.
func (r *Reel) named(ids []ID) ([]Clip, error) {
	clips, err := r.existing(ids)
	var last ID
	for _, c := range clips {
		if c.Track == last {
			continue
		}
		if _, err := r.open(c.Track); err != nil {
			return nil, err
		}
		last = c.Track
	}
	return clips, err
}
