package reel

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
