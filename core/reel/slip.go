package reel

// Slip moves the content inside clips, whose place and length stay.
type Slip struct {
	Clips []ID  `json:"clips"`
	By    int64 `json:"by"`             // samples, positive lets the content sound later
	Tied  bool  `json:"tied,omitempty"` // what is tied to them slips too
}

// Names implements Edit.
func (e *Slip) Names() []ID { return e.Clips }

func (e *Slip) amount() *int64 { return &e.By }

// Apply implements Edit.
func (e *Slip) Apply(r *Reel) (*Done, error) {
	clips, err := r.named(r.through(e.Clips, e.Tied))
	if err != nil {
		return nil, err
	}
	if whole := r.wholeIfSeen(e.By, clips...); whole != e.By {
		own := *e
		own.By = whole
		return own.Apply(r)
	}
	p := r.Props
	lim := anything()
	for _, c := range clips {
		ahead, after := r.spare(c)
		early := refuse("“%s” has %s beyond its tail.", c.Name, p.handle(after))
		early.Possible = r.way("Its content", after, "earlier")
		late := refuse("“%s” has %s ahead of its head.", c.Name, p.handle(ahead))
		late.Possible = r.way("Its content", ahead, "later")
		lim.atLeast(-after, early)
		lim.atMost(ahead, late)
	}
	if err := lim.check(e.By, func(by int64) Edit { return byAnother(e, r.within(by, clips...)) }); err != nil {
		return nil, err
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
