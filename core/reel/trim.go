package reel

import "fmt"

// Trim moves one end of clips, and with it how much of the source they play.
type Trim struct {
	Clips []ID  `json:"clips"`
	End   End   `json:"end"`
	By    int64 `json:"by"` // samples, later is positive
	Later Later `json:"later,omitempty"`
}

// Names implements Edit.
func (e *Trim) Names() []ID { return e.Clips }

// Apply implements Edit. With later clips following, a clip whose head is
// trimmed keeps its start: what is taken off or added closes or opens there.
func (e *Trim) Apply(r *Reel) (*Reel, Outcome, error) {
	clips, err := r.named(e.Clips)
	if err == nil {
		err = invalid(e.End.check(), e.Later.check())
	}
	if err != nil {
		return nil, Outcome{}, err
	}
	// grow turns a move of the edge into a change of length.
	grow := int64(1)
	if e.End == Head {
		grow = -1
	}
	own, from, err := e.edges(r, clips)
	if err != nil {
		return nil, Outcome{}, err
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
	if err := lim.check(e.By, func(by int64) Edit { fit := *e; fit.By = by; return &fit }); err != nil {
		return nil, Outcome{}, err
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
	src, _ := r.Source(c.Source)
	left := src.Length - c.Offset - c.Length
	if e.End == Head {
		left = c.Offset
	}
	o.Says = append(o.Says, both(clips)+" "+p.change(grow*e.By))
	if len(clips) == 1 {
		o.Says = append(o.Says, p.say(c.Length)+" long", "handle left "+p.say(left))
	}
	o.Says = append(o.Says, f.say(p, grow*e.By)...)
	return r.finish(&out, o)
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
	src, _ := r.Source(c.Source)
	one := refuse("“%s” is %s long.", c.Name, p.say(c.Length))
	one.Possible = "One sample of it has to stay; to be rid of it, take it out."
	handle, where, n := src.Length-c.Offset-c.Length, "beyond its tail", c.Length-1
	if e.End == Head {
		handle, where = c.Offset, "ahead of its head"
	}
	spare := refuse("“%s” has %s %s.", c.Name, p.handle(handle), where)
	spare.Possible = "That is as long as it gets; roll or slip where another stretch would do."
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
		no := refuse("“%s” begins %s after “%s” ends.", next.Name, p.distance(next.Start-c.End()), c.Name)
		if next.Start == c.End() {
			no = refuse("“%s” begins where “%s” ends.", next.Name, c.Name)
		}
		no.Possible = "Let later clips follow, or roll the cut."
		lim.atMost(next.Start-c.End(), no)
	case e.End == Tail:
		lim.atMost(r.day()-c.End(), refuse("A reel is at most %d hours long.", MaxHours))
	case prev.ID != 0:
		no := refuse("“%s” ends %s before “%s” begins.", prev.Name, p.distance(c.Start-prev.End()), c.Name)
		if prev.End() == c.Start {
			no = refuse("“%s” ends where “%s” begins.", prev.Name, c.Name)
		}
		no.Possible = "Let later clips follow, or roll the cut."
		lim.atLeast(prev.End()-c.Start, no)
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
}

// Names implements Edit.
func (e *TrimTo) Names() []ID { return e.Clips }

// Apply implements Edit.
func (e *TrimTo) Apply(r *Reel) (*Reel, Outcome, error) {
	clips, err := r.named(e.Clips)
	if err == nil {
		err = invalid(e.End.check(), e.Later.check())
	}
	if err != nil {
		return nil, Outcome{}, err
	}
	if e.At < 0 || e.At > r.day() {
		return nil, Outcome{}, refuse("That place lies outside the reel.")
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
		no := refuse("The ends of these clips lie apart, so later clips cannot follow all of them.")
		no.Possible = "Trim them one by one, or let later clips stay."
		stay := *e
		stay.Later = Stay
		if _, _, err := stay.Apply(r); err == nil {
			no.Offer = &stay
		}
		return nil, Outcome{}, no
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
		next, did, err := (&Trim{Clips: ids, End: e.End, By: n, Later: e.Later}).Apply(out)
		if err != nil {
			return nil, Outcome{}, err
		}
		out = next
		o.Says, o.Notes, o.Opens = append(o.Says, did.Says...), append(o.Notes, did.Notes...), append(o.Opens, did.Opens...)
		o.Label = did.Label
	}
	if len(by) > 1 || !e.Later.follows() {
		o.Label = fmt.Sprintf("trim %s of %s to %s", e.End, both(clips), r.Props.at(e.At))
	}
	return out, o, nil
}
