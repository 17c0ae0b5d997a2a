package reel

// Roll moves the cut between two clips that meet: both edges at once, so that
// nothing else moves.
type Roll struct {
	Left  ID    `json:"left"`
	Right ID    `json:"right"`
	By    int64 `json:"by"` // samples, later is positive
}

// Names implements Edit.
func (e *Roll) Names() []ID { return []ID{e.Left, e.Right} }

// Apply implements Edit.
func (e *Roll) Apply(r *Reel) (*Reel, Outcome, error) {
	clips, err := r.named([]ID{e.Left, e.Right})
	if err != nil {
		return nil, Outcome{}, err
	}
	left, right := clips[0], clips[1]
	if !meet(left, right) {
		return nil, Outcome{}, refuse("“%s” and “%s” do not meet, so there is no cut to roll.", left.Name, right.Name)
	}
	lim := anything()
	r.giveAndTake(&lim, left, right)
	if err := lim.check(e.By, func(by int64) Edit { fit := *e; fit.By = by; return &fit }); err != nil {
		return nil, Outcome{}, err
	}
	p := r.Props
	left, right = trimmed(left, Tail, e.By), trimmed(right, Head, e.By)
	out := *r
	out.Clips = with(with(r.Clips, left), right)
	src, _ := r.Source(left.Source)
	o := Outcome{Label: "roll the cut of “" + left.Name + "” and “" + right.Name + "” " + p.shift(e.By)}
	o.Says = []string{
		"the cut " + p.shift(e.By) + ", at " + p.at(right.Start),
		"“" + left.Name + "” " + p.change(e.By) + ", “" + right.Name + "” " + p.change(-e.By),
		"handles left: " + p.say(src.Length-left.Offset-left.Length) + " out, " + p.say(right.Offset) + " in",
	}
	return r.finish(&out, o)
}

// giveAndTake narrows the limits of a cut that is moved: one clip gives what
// the other takes.
func (r *Reel) giveAndTake(lim *limits, left, right Clip) {
	p := r.Props
	src, _ := r.Source(left.Source)
	room := src.Length - left.Offset - left.Length
	// further is a clip that has to sound beyond what there is of it.
	further := func(c Clip, n int64, where string) *Refusal {
		no := refuse("“%s” has %s %s.", c.Name, p.handle(n), where)
		no.Possible = r.way("The cut", n, "that way")
		return no
	}
	used := func(c Clip) *Refusal {
		no := refuse("“%s” is %s long.", c.Name, p.say(c.Length))
		no.Possible = "One sample of it has to stay."
		return no
	}
	lim.atMost(room, further(left, room, "beyond its tail"))
	lim.atMost(right.Length-1, used(right))
	lim.atLeast(-right.Offset, further(right, right.Offset, "ahead of its head"))
	lim.atLeast(1-left.Length, used(left))
}

// way tells how far something can go.
func (r *Reel) way(what string, n int64, where string) string {
	if n == 0 {
		return what + " can only go the other way."
	}
	return what + " can go " + r.Props.distance(n) + " " + where + "."
}

// Slide moves a clip between two that it meets: the one before gives or takes
// what the one after takes or gives, and nothing else moves.
type Slide struct {
	Clip ID    `json:"clip"`
	By   int64 `json:"by"` // samples, later is positive
}

// Names implements Edit.
func (e *Slide) Names() []ID { return []ID{e.Clip} }

// Apply implements Edit.
func (e *Slide) Apply(r *Reel) (*Reel, Outcome, error) {
	clips, err := r.named([]ID{e.Clip})
	if err != nil {
		return nil, Outcome{}, err
	}
	c := clips[0]
	prev, next := r.beside(c)
	if prev.ID == 0 || next.ID == 0 || !meet(prev, c) || !meet(c, next) {
		no := refuse("“%s” does not meet a clip on both sides, so none would give and take.", c.Name)
		no.Possible = "Move it instead."
		move := &Move{Clips: []ID{c.ID}, By: e.By}
		no.Offer = workable(r, move)
		return nil, Outcome{}, no
	}
	// The clip after takes what the clip before gives: as if it were one cut.
	lim := anything()
	r.giveAndTake(&lim, prev, next)
	if err := lim.check(e.By, func(by int64) Edit { fit := *e; fit.By = by; return &fit }); err != nil {
		return nil, Outcome{}, err
	}
	prev, next = trimmed(prev, Tail, e.By), trimmed(next, Head, e.By)
	c.Start += e.By
	out := *r
	out.Clips = with(with(with(r.Clips, prev), c), next)
	p := r.Props
	o := Outcome{Label: "slide “" + c.Name + "” " + p.shift(e.By)}
	o.Says = []string{
		"“" + c.Name + "” " + p.shift(e.By) + ", at " + p.at(c.Start),
		"“" + prev.Name + "” " + p.change(e.By) + ", “" + next.Name + "” " + p.change(-e.By),
	}
	return r.finish(&out, o)
}

// Slip moves the content inside clips, whose place and length stay.
type Slip struct {
	Clips []ID  `json:"clips"`
	By    int64 `json:"by"` // samples, positive lets the content sound later
}

// Names implements Edit.
func (e *Slip) Names() []ID { return e.Clips }

// Apply implements Edit.
func (e *Slip) Apply(r *Reel) (*Reel, Outcome, error) {
	clips, err := r.named(e.Clips)
	if err != nil {
		return nil, Outcome{}, err
	}
	p := r.Props
	lim := anything()
	for _, c := range clips {
		src, _ := r.Source(c.Source)
		after := src.Length - c.Offset - c.Length
		early := refuse("“%s” has %s beyond its tail.", c.Name, p.handle(after))
		early.Possible = r.way("Its content", after, "earlier")
		late := refuse("“%s” has %s ahead of its head.", c.Name, p.handle(c.Offset))
		late.Possible = r.way("Its content", c.Offset, "later")
		lim.atLeast(-after, early)
		lim.atMost(c.Offset, late)
	}
	if err := lim.check(e.By, func(by int64) Edit { fit := *e; fit.By = by; return &fit }); err != nil {
		return nil, Outcome{}, err
	}
	out := *r
	out.Clips = append([]Clip(nil), r.Clips...)
	for _, c := range clips {
		i, _ := find(out.Clips, c.ID)
		out.Clips[i].Offset -= e.By
	}
	o := Outcome{Label: "slip " + both(clips) + " " + p.shift(e.By)}
	o.Says = []string{"the content of " + both(clips) + " " + p.shift(e.By)}
	if len(clips) == 1 {
		src, _ := r.Source(clips[0].Source)
		off := clips[0].Offset - e.By
		o.Says = append(o.Says, "handles left: "+p.say(off)+" ahead, "+p.say(src.Length-off-clips[0].Length)+" beyond")
	}
	return r.finish(&out, o)
}
