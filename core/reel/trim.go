package reel

import (
	"fmt"
	"slices"
)

// Trim moves one end of clips, and with it how much of the source they play.
type Trim struct {
	Clips []ID  `json:"clips"`
	End   End   `json:"end"`
	By    int64 `json:"by"` // samples, later is positive
	Later Later `json:"later,omitempty"`
	Tied  bool  `json:"tied,omitempty"` // the same edge of what is tied to them goes along, where it belongs to the same cut
}

// Names implements Edit.
func (e *Trim) Names() []ID { return e.Clips }

func (e *Trim) amount() *int64 { return &e.By }

// Apply implements Edit. With later clips following, a clip whose head is
// trimmed keeps its start: what is taken off or added closes or opens there.
func (e *Trim) Apply(r *Reel) (*Done, error) {
	clips, err := r.named(e.Clips)
	if err == nil {
		err = invalid(e.End.check(), e.Later.check())
	}
	if err == nil && e.Tied {
		clips, err = r.named(append(slices.Clone(e.Clips), r.edgesAlong(clips, e.End)...))
	}
	if err != nil {
		return nil, err
	}
	if whole := r.wholeIfSeen(e.By, clips...); whole != e.By {
		own := *e
		own.By = whole
		return own.Apply(r)
	}
	// grow turns a move of the edge into a change of length.
	grow := int64(1)
	if e.End == Head {
		grow = -1
	}
	own, from, err := e.edges(r, clips)
	if err != nil {
		return nil, err
	}
	f := r.followers(e.Later, own, from)
	lim := anything()
	for _, c := range clips {
		r.trimLimits(&lim, c, e)
	}
	if e.Later.follows() {
		closing, opening := &Refusal{Reason: f.why, Possible: "Let only this track follow, or set that track to stay."}, refuse("A reel is at most %d hours long.", MaxHours)
		end := f.last
		for _, c := range clips {
			end = max(end, c.End())
		}
		if e.End == Tail {
			lim.atLeast(-f.room, closing)
			lim.atMost(r.day()-end, opening)
		} else {
			lim.atMost(f.room, closing)
			lim.atLeast(end-r.day(), opening)
		}
	}
	fit := func(by int64) Edit {
		moving := slices.Clone(clips)
		for _, i := range f.at {
			moving = append(moving, r.Clips[i])
		}
		return byAnother(e, r.within(by, moving...))
	}
	if err := lim.check(e.By, fit); err != nil {
		return nil, err
	}
	out := *r
	out.Clips = append([]Clip(nil), r.Clips...)
	for _, c := range clips {
		i, _ := find(out.Clips, c.ID)
		c = trimmed(c, e.End, e.By)
		if e.End == Head && e.Later.follows() {
			c.Start -= e.By
		}
		out.Clips[i] = c
	}
	f.move(&out, grow*e.By)
	p := r.Props
	o := Outcome{Label: fmt.Sprintf("trim %s of %s %s", e.End, both(clips), p.change(grow*e.By))}
	c, _ := out.Clip(clips[0].ID)
	ahead, left := out.spare(c)
	if e.End == Head {
		left = ahead
	}
	o.Says = append(o.Says, both(clips)+" "+p.change(grow*e.By))
	if len(clips) == 1 {
		o.Says = append(o.Says, p.say(c.Length)+" long", "handle left "+p.say(left))
	}
	o.Says = append(o.Says, f.say(p, grow*e.By)...)
	done, err := r.finish(&out, o)
	near, alone := *e, *e
	near.By, alone.Later = p.whole(e.By), FollowTrack
	if near.By == e.By || near.By == 0 {
		near = alone
	}
	return orWhole(r, done, err, e.Later, &near, &alone)
}

// trimmed is the clip with one end moved by so many samples.
func trimmed(c Clip, end End, by int64) Clip {
	if end == Tail {
		c.Length += by
		return c
	}
	c.Start, c.Offset, c.Length = c.Start+by, c.Offset+by, c.Length-by
	return c
}

// edges are the places of the trimmed edges: on each track the place from
// which later clips follow, and the earliest.
func (e *Trim) edges(r *Reel, clips []Clip) (own map[ID]int64, from int64, err error) {
	own, from = map[ID]int64{}, r.day()
	for _, c := range clips {
		if _, twice := own[c.Track]; twice && e.Later.follows() {
			no := refuse("Two clips of one track cannot be trimmed at once while later clips follow.")
			no.Possible = "Trim them one by one, or let later clips stay."
			return nil, 0, no
		}
		own[c.Track] = c.End()
		if e.End == Tail {
			from = min(from, c.End())
		} else {
			from = min(from, c.Start)
		}
	}
	return own, from, nil
}

// trimLimits narrows the limits to the clip's material, its length and, when
// later clips stay, the free space beside it.
func (r *Reel) trimLimits(lim *limits, c Clip, e *Trim) {
	p := r.Props
	one := refuse("“%s” is %s long.", c.Name, p.say(c.Length))
	one.Possible = "At least one " + r.unit(c) + " must stay. To delete it, remove the clip."
	ahead, handle := r.spare(c)
	where, n := "beyond its tail", r.give(c)
	if e.End == Head {
		handle, where = ahead, "ahead of its head"
	}
	spare := refuse("“%s” has %s %s.", c.Name, p.handle(handle), where)
	spare.Possible = "That is all the recording has. Roll or slip instead."
	if e.End == Tail {
		lim.atLeast(-n, one)
		lim.atMost(handle, spare)
	} else {
		lim.atMost(n, one)
		lim.atLeast(-handle, spare)
	}
	if e.Later.follows() {
		return
	}
	prev, next := r.beside(c)
	switch {
	case e.End == Tail && next.ID != 0:
		no := refuse("“%s” starts %s after “%s” ends.", next.Name, p.distance(next.Start-c.End()), c.Name)
		if next.Start == c.End() {
			no = refuse("“%s” begins where “%s” ends.", next.Name, c.Name)
		}
		no.Possible = "Let later clips follow, or roll the cut."
		lim.atMost(r.wholeIfSeen(next.Start-c.End(), c), no)
	case e.End == Tail:
		lim.atMost(r.day()-c.End(), refuse("A reel is at most %d hours long.", MaxHours))
	case prev.ID != 0:
		no := refuse("“%s” ends %s before “%s” begins.", prev.Name, p.distance(c.Start-prev.End()), c.Name)
		if prev.End() == c.Start {
			no = refuse("“%s” ends where “%s” begins.", prev.Name, c.Name)
		}
		no.Possible = "Let later clips follow, or roll the cut."
		lim.atLeast(r.wholeIfSeen(prev.End()-c.Start, c), no)
	default:
		lim.atLeast(-c.Start, refuse("“%s” would begin before the reel does.", c.Name))
	}
}

// beside are the clips before and after one on its track; their ids are 0
// where there is none.
func (r *Reel) beside(c Clip) (prev, next Clip) {
	for _, o := range r.Clips {
		if o.Track != c.Track || o.ID == c.ID {
			continue
		}
		if o.End() <= c.Start && (prev.ID == 0 || o.Start > prev.Start) {
			prev = o
		}
		if o.Start >= c.End() && (next.ID == 0 || o.Start < next.Start) {
			next = o
		}
	}
	return prev, next
}

func (end End) check() error {
	if end != Head && end != Tail {
		return fmt.Errorf("a clip has a head and a tail, no %q", string(end))
	}
	return nil
}

// TrimTo moves an end of clips to a place in the reel.
type TrimTo struct {
	Clips []ID  `json:"clips"`
	End   End   `json:"end"`
	At    int64 `json:"at"`
	Later Later `json:"later,omitempty"`
	Tied  bool  `json:"tied,omitempty"` // as of Trim
}

// Names implements Edit.
func (e *TrimTo) Names() []ID { return e.Clips }

// Apply implements Edit.
func (e *TrimTo) Apply(r *Reel) (*Done, error) {
	clips, err := r.named(e.Clips)
	if err == nil {
		err = invalid(e.End.check(), e.Later.check())
	}
	if err != nil {
		return nil, err
	}
	if e.At < 0 || e.At > r.day() {
		return nil, refuse("That position is outside the reel.")
	}
	by := map[int64][]ID{}
	for _, c := range clips {
		n := e.At - c.End()
		if e.End == Head {
			n = e.At - c.Start
		}
		by[n] = append(by[n], c.ID)
	}
	if len(by) > 1 && e.Later.follows() {
		no := refuse("These clips end at different places, so later clips cannot follow all of them.")
		no.Possible = "Trim them one by one, or let later clips stay."
		stay := *e
		stay.Later = Stay
		if _, err := stay.Apply(r); err == nil {
			no.Offer = &stay
		}
		return nil, no
	}
	out, o := r, Outcome{}
	for _, c := range clips { // in the order in which they were named
		n := e.At - c.End()
		if e.End == Head {
			n = e.At - c.Start
		}
		ids := by[n]
		if len(ids) == 0 || ids[0] != c.ID {
			continue
		}
		done, err := (&Trim{Clips: ids, End: e.End, By: n, Later: e.Later, Tied: e.Tied}).Apply(out)
		if err != nil {
			return nil, err
		}
		out = done.Reel
		o.Says = append(o.Says, done.Says...)
		o.join(done.Outcome)
		o.Label = done.Label
	}
	if len(by) > 1 || !e.Later.follows() {
		o.Label = fmt.Sprintf("trim %s of %s to %s", e.End, both(clips), r.Props.at(e.At))
	}
	return &Done{out, o}, nil
}

// edgesAlong are the clips whose same edge belongs to the same cut as that of
// the clips they are tied to: it lies there too, or is the other's split edit.
func (r *Reel) edgesAlong(clips []Clip, end End) []ID {
	edge := func(c Clip) int64 {
		if end == Head {
			return c.Start
		}
		return c.End()
	}
	// at is where the picture cuts that an edge belongs to.
	at := func(c Clip) int64 {
		if !r.shows(c) {
			s := Seam{Kind: HeadSeam, At: edge(c), Right: c.ID}
			if end == Tail {
				s = Seam{Kind: TailSeam, At: edge(c), Left: c.ID}
			}
			for _, o := range r.Clips {
				if end == Head && meet(o, c) {
					s.Kind, s.Left = CutSeam, o.ID
				} else if end == Tail && meet(c, o) {
					s.Kind, s.Right = CutSeam, o.ID
				}
			}
			if cut, ok := r.shotIndex().of(s); ok {
				return cut.At
			}
		}
		return edge(c)
	}
	named, lanes := idSet(ids(clips)), map[ID]bool{}
	for _, c := range clips {
		lanes[c.Track] = true
	}
	var out []ID
	for _, c := range clips {
		for _, id := range r.group(c.ID) {
			o, ok := r.Clip(id)
			if d := at(o) - at(c); ok && !named[id] && !lanes[o.Track] && 2*max(d, -d) < r.Props.sample(1) {
				named[id], lanes[o.Track] = true, true
				out = append(out, id)
			}
		}
	}
	return out
}
