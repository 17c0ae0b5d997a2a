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
	joined := meet(left, right)
	if !joined && touch(left, right) { // on two tracks they are rolled when a blend makes one seam of them
		_, b := r.BlendAt(left.ID)
		joined = b.Right == right.ID
	}
	if !joined {
		return nil, Outcome{}, refuse("“%s” and “%s” do not meet, so there is no cut to roll.", left.Name, right.Name)
	}
	lim := anything()
	r.giveAndTake(&lim, left, right)
	if left.Track != right.Track {
		r.besideOnTwo(&lim, left, right)
	}
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

// besideOnTwo narrows the limits of a cut between clips on two tracks to the
// free space beside each.
func (r *Reel) besideOnTwo(lim *limits, left, right Clip) {
	if _, next := r.beside(left); next.ID != 0 {
		no := refuse("“%s” lies in the way, at %s.", next.Name, r.Props.at(next.Start))
		no.Possible = r.way("The cut", next.Start-left.End(), "that way")
		lim.atMost(next.Start-left.End(), no)
	}
	if prev, _ := r.beside(right); prev.ID != 0 {
		no := refuse("“%s” lies in the way, up to %s.", prev.Name, r.Props.at(prev.End()))
		no.Possible = r.way("The cut", right.Start-prev.End(), "that way")
		lim.atLeast(prev.End()-right.Start, no)
	}
}
