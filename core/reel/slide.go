package reel

// Slide moves a clip between two that it meets: the one before gives or takes
// what the one after takes or gives, and nothing else moves.
type Slide struct {
	Clip ID    `json:"clip"`
	By   int64 `json:"by"`             // samples, later is positive
	Tied bool  `json:"tied,omitempty"` // what is tied to it goes along: slid where it meets a clip on both sides, else moved
}

// Names implements Edit.
func (e *Slide) Names() []ID { return []ID{e.Clip} }

func (e *Slide) amount() *int64 { return &e.By }

// Apply implements Edit.
func (e *Slide) Apply(r *Reel) (*Done, error) {
	clips, err := r.named([]ID{e.Clip})
	if err != nil {
		return nil, err
	}
	c := clips[0]
	if whole := r.wholeIfSeen(e.By, c); whole != e.By {
		own := *e
		own.By = whole
		return own.Apply(r)
	}
	if e.Tied {
		return e.throughTies(r)
	}
	prev, next := r.beside(c)
	if prev.ID == 0 || next.ID == 0 || !meet(prev, c) || !meet(c, next) {
		no := refuse("“%s” has no clip on both sides to slide between.", c.Name)
		no.Possible = "Move it instead."
		move := &Move{Clips: []ID{c.ID}, By: e.By}
		no.Offer = workable(r, move)
		return nil, no
	}
	// The clip after takes what the clip before gives: as if it were one cut.
	lim := anything()
	r.giveAndTake(&lim, prev, next)
	if err := lim.check(e.By, func(by int64) Edit { return byAnother(e, r.within(by, c)) }); err != nil {
		return nil, err
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

// throughTies slides the clip and then what is tied to it.
func (e *Slide) throughTies(r *Reel) (*Done, error) {
	done, err := (&Slide{Clip: e.Clip, By: e.By}).Apply(r)
	if err != nil {
		return nil, err
	}
	for _, id := range r.through([]ID{e.Clip}, true)[1:] {
		c, _ := done.Reel.Clip(id)
		prev, next := done.Reel.beside(c)
		var along Edit = &Move{Clips: []ID{id}, By: e.By}
		if prev.ID != 0 && next.ID != 0 && meet(prev, c) && meet(c, next) {
			along = &Slide{Clip: id, By: e.By}
		}
		went, err := along.Apply(done.Reel)
		if no, ok := err.(*Refusal); ok {
			no.Offer = nil
			if no.Limit != 0 {
				fit := *e
				fit.By = no.Limit
				no.Offer = workable(r, &fit)
			}
			return nil, no
		}
		if err != nil {
			return nil, err
		}
		done.Reel = went.Reel
		done.join(went.Outcome)
	}
	return done, nil
}
