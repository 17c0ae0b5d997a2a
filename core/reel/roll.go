package reel

import "slices"

// Roll moves the cut between two clips that meet: both edges at once, so that
// nothing else moves.
type Roll struct {
	Left  ID    `json:"left"`
	Right ID    `json:"right"`
	By    int64 `json:"by"`             // samples, later is positive
	Tied  bool  `json:"tied,omitempty"` // the cuts of picture and sound that belong together roll as one
}

// Names implements Edit.
func (e *Roll) Names() []ID { return []ID{e.Left, e.Right} }

func (e *Roll) amount() *int64 { return &e.By }

// Apply implements Edit.
func (e *Roll) Apply(r *Reel) (*Done, error) {
	did, err := e.apply(r)
	if err != nil {
		return nil, err
	}
	sounds := []SoundCut{{e.Left, e.Right}}
	if left, _ := did.Reel.Clip(e.Left); r.shows(left) {
		right, _ := did.Reel.Clip(e.Right)
		sounds = did.Reel.cutsAlong(left, right)
	}
	var says []string
	for _, s := range sounds {
		if cut, ok := did.Reel.CutOf(s.Left, s.Right); ok {
			says = append(says, "sound "+LeadWords(cut.Lead))
		}
	}
	slices.Sort(says)
	did.Says = append(slices.Compact(says), did.Says...)
	return did, nil
}

// apply rolls without a word of the picture.
func (e *Roll) apply(r *Reel) (*Done, error) {
	clips, err := r.named([]ID{e.Left, e.Right})
	if err != nil {
		return nil, err
	}
	left, right := clips[0], clips[1]
	if whole := r.wholeIfSeen(e.By, clips...); whole != e.By {
		own := *e
		own.By = whole
		return own.apply(r)
	}
	if e.Tied {
		if others := r.cutsAlong(left, right); len(others) > 0 {
			return e.together(r, left, others)
		}
	}
	joined := meet(left, right)
	if !joined && touch(left, right) { // on two tracks they are rolled when a blend makes one seam of them
		_, b := r.BlendAt(left.ID)
		joined = b.Right == right.ID
	}
	if !joined {
		return nil, refuse("“%s” and “%s” do not meet, so there is no cut to roll.", left.Name, right.Name)
	}
	lim := anything()
	r.giveAndTake(&lim, left, right)
	if left.Track != right.Track {
		r.besideOnTwo(&lim, left, right)
	}
	if err := lim.check(e.By, func(by int64) Edit { return byAnother(e, r.within(by, left, right)) }); err != nil {
		return nil, err
	}
	p := r.Props
	left, right = trimmed(left, Tail, e.By), trimmed(right, Head, e.By)
	out := *r
	out.Clips = with(with(r.Clips, left), right)
	_, beyond := r.spare(left)
	ahead, _ := r.spare(right)
	o := Outcome{Label: "roll the cut of “" + left.Name + "” and “" + right.Name + "” " + p.shift(e.By)}
	o.Says = []string{
		"the cut " + p.shift(e.By) + ", at " + p.at(right.Start),
		"“" + left.Name + "” " + p.change(e.By) + ", “" + right.Name + "” " + p.change(-e.By),
		"handles left: " + p.say(beyond) + " out, " + p.say(ahead) + " in",
	}
	return r.finish(&out, o)
}

// giveAndTake narrows the limits of a cut that is moved: one clip gives what
// the other takes.
func (r *Reel) giveAndTake(lim *limits, left, right Clip) {
	p := r.Props
	_, room := r.spare(left)
	ahead, _ := r.spare(right)
	// further is a clip that has to sound beyond what there is of it.
	further := func(c Clip, n int64, where string) *Refusal {
		no := refuse("“%s” has %s %s.", c.Name, p.handle(n), where)
		no.Possible = r.way("The cut", n, "that way")
		return no
	}
	used := func(c Clip) *Refusal {
		no := refuse("“%s” is %s long.", c.Name, p.say(c.Length))
		no.Possible = "At least one " + r.unit(c) + " must stay."
		return no
	}
	lim.atMost(room, further(left, room, "beyond its tail"))
	lim.atMost(r.give(right), used(right))
	lim.atLeast(-ahead, further(right, ahead, "ahead of its head"))
	lim.atLeast(-r.give(left), used(left))
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
		no := refuse("“%s” is in the way, at %s.", next.Name, r.Props.at(next.Start))
		no.Possible = r.way("The cut", next.Start-left.End(), "that way")
		lim.atMost(next.Start-left.End(), no)
	}
	if prev, _ := r.beside(right); prev.ID != 0 {
		no := refuse("“%s” is in the way, up to %s.", prev.Name, r.Props.at(prev.End()))
		no.Possible = r.way("The cut", right.Start-prev.End(), "that way")
		lim.atLeast(prev.End()-right.Start, no)
	}
}

// unit is the least of a clip, in words.
func (r *Reel) unit(c Clip) string {
	if r.shows(c) {
		return "frame"
	}
	return "sample"
}

// cutsAlong are the cuts that belong to the same place as one: the picture cut
// and those of all sound that is tied to its shots. The one that is asked of is
// not among them.
func (r *Reel) cutsAlong(left, right Clip) []SoundCut {
	cut := PictureCut{Left: left.ID, Right: right.ID}
	if !r.shows(left) {
		var ok bool
		if cut, ok = r.CutOf(left.ID, right.ID); !ok {
			return nil
		}
	}
	var out []SoundCut
	if !r.shows(left) {
		out = append(out, SoundCut{cut.Left, cut.Right})
	}
	for _, a := range r.TiedTo(cut.Left) {
		for _, b := range r.TiedTo(cut.Right) {
			x, _ := r.Clip(a.Clip)
			y, _ := r.Clip(b.Clip)
			if meet(x, y) && x.ID != left.ID {
				out = append(out, SoundCut{x.ID, y.ID})
			}
		}
	}
	return out
}

// shotOf is the outgoing shot of cuts that roll together.
func (r *Reel) shotOf(left Clip, others []SoundCut) Clip {
	if r.shows(left) {
		return left
	}
	c, _ := r.Clip(others[0].Left)
	return c
}

// together rolls the cut and others by the same amount, as far as all can.
func (e *Roll) together(r *Reel, left Clip, others []SoundCut) (*Done, error) {
	by := r.Props.whole(e.By)
	done, err := (&Roll{Left: e.Left, Right: e.Right, By: by}).Apply(r)
	for _, c := range others {
		if err != nil {
			break
		}
		var did *Done
		if did, err = (&Roll{Left: c.Left, Right: c.Right, By: by}).Apply(done.Reel); err == nil {
			done.Reel = did.Reel
			done.join(did.Outcome)
		}
	}
	if no, ok := err.(*Refusal); ok {
		no.Offer = nil
		if no.Limit != 0 {
			// In whole frames, so that the picture can.
			fit := *e
			if fit.By = r.within(no.Limit, r.shotOf(left, others)); fit.By != 0 && fit.By != e.By {
				no.Offer = workable(r, &fit)
			}
		}
		return nil, no
	}
	if err != nil {
		return nil, err
	}
	done.Says = append(done.Says, count(len(others)+1, "cut")+" together")
	return done, nil
}
