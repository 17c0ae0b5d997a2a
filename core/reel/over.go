package reel

import "blendseam/core/gain"

// BlendOver blends two clips that overlap in time, on two tracks: the cut is
// put in the middle of the overlap, and the overlap is the blend. What is
// heard outside of it stays as it was.
type BlendOver struct {
	Left  ID       `json:"left"`  // begins and ends first
	Right ID       `json:"right"` //
	Law   gain.Law `json:"law"`
	Lean  float64  `json:"lean"`
}

// Names implements Edit.
func (e *BlendOver) Names() []ID { return []ID{e.Left, e.Right} }

// Apply implements Edit.
func (e *BlendOver) Apply(r *Reel) (*Done, error) {
	clips, err := r.named([]ID{e.Left, e.Right})
	if err != nil {
		return nil, err
	}
	left, right := clips[0], clips[1]
	p := r.Props
	if left.End() <= right.Start {
		no := refuse("“%s” ends before “%s” begins, so there is no overlap to blend.", left.Name, right.Name)
		no.Possible = "Trim one of them until they overlap, or until they meet."
		if touch(left, right) {
			no.Possible = "They meet: blend them with a length."
		}
		return nil, no
	}
	out := *r
	n, err := out.lap(left, right, e.Law, e.Lean)
	if err != nil {
		return nil, err
	}
	o := Outcome{Label: "blend “" + left.Name + "” into “" + right.Name + "” over two tracks"}
	_, b := out.BlendAt(left.ID)
	o.Made = []ID{b.ID}
	o.Says = []string{"a blend of " + p.say(n) + ", as long as they overlap"}
	return r.finish(&out, o)
}

// lap trims two clips that overlap to a cut in the middle of the overlap and
// blends them over it. It gives the length of the blend. The reel is its own.
func (r *Reel) lap(left, right Clip, law gain.Law, lean float64) (int64, error) {
	p := r.Props
	if err := r.refuseShots(left, right); err != nil {
		no := refuse("Shots cannot overlap: only one is seen.")
		no.Possible = "Let them meet, then dissolve at their cut."
		return 0, no
	}
	if !(left.Start < right.Start && left.End() < right.End()) {
		no := refuse("“%s” is inside “%s”.", right.Name, left.Name)
		if right.Start <= left.Start {
			no = refuse("“%s” does not begin before “%s”.", left.Name, right.Name)
		}
		no.Possible = "A blend goes from the clip that starts and ends first to the one after it."
		return 0, no
	}
	head, after := r.BlendAt(right.ID)
	before, tail := r.BlendAt(left.ID)
	if tail.ID != 0 || head.ID != 0 {
		no := refuse("There is a blend at the end of “%s” or the start of “%s” already.", left.Name, right.Name)
		no.Possible = "Remove it first."
		return 0, no
	}
	n := left.End() - right.Start
	if free := min(left.Length-max(left.FadeIn.Length, before.After), right.Length-max(right.FadeOut.Length, after.Before)); n > free {
		no := refuse("The overlap of %s reaches into the fade or blend at the far end of one of them.", p.say(n))
		no.Possible = "At most " + p.say(free) + " can be blended here."
		return 0, no
	}
	b := Blend{Left: left.ID, Right: right.ID, Law: law, Lean: lean, After: n / 2}
	b.Before = n - b.After
	if err := invalid(b.check()); err != nil {
		return 0, err
	}
	b.ID = r.take()
	left, right = trimmed(left, Tail, -b.After), trimmed(right, Head, b.Before)
	left.FadeOut, right.FadeIn = NoFade, NoFade
	r.Clips = with(with(r.Clips, left), right)
	r.Blends = with(r.Blends, b)
	return n, nil
}

// DropBlend moves a clip so that it comes to lie over its neighbours, and
// blends each overlap: just that, no more.
type DropBlend struct {
	Clip    ID       `json:"clip"`
	By      int64    `json:"by"` // samples, later is positive
	ToTrack ID       `json:"toTrack,omitempty"`
	Law     gain.Law `json:"law"`
	Lean    float64  `json:"lean"`
}

// Names implements Edit.
func (e *DropBlend) Names() []ID { return []ID{e.Clip, e.ToTrack} }

// Apply implements Edit.
func (e *DropBlend) Apply(r *Reel) (*Done, error) {
	clips, err := r.named([]ID{e.Clip})
	if err != nil {
		return nil, err
	}
	c := clips[0]
	if e.ToTrack != 0 {
		if _, err := r.open(e.ToTrack); err != nil {
			return nil, err
		}
		c.Track = e.ToTrack
	}
	if err := r.landsOnItsKind([]Clip{c}); err != nil {
		return nil, err
	}
	p := r.Props
	if c.Start+e.By < 0 || c.End()+e.By > r.day() {
		return nil, refuse("That position is outside the reel.")
	}
	// The blends that were at its ends go with the move, as for any other.
	loose, o := *r, Outcome{Label: "put “" + c.Name + "” over its neighbour"}
	c.Start += e.By
	loose.Clips = with(r.Clips, c)
	loose.settle(compare(r, &loose), &o)
	c, _ = loose.Clip(c.ID)
	var over []Clip
	for _, n := range loose.under(c.Start, c.End(), map[ID]bool{c.Track: true}) {
		if n.ID != c.ID {
			over = append(over, n)
		}
	}
	if len(over) > 2 {
		no := refuse("“%s” would cover %d clips.", c.Name, len(over))
		no.Possible = "It can be blended with the one before and the one after it."
		return nil, no
	}
	if len(over) == 0 {
		return (&Move{Clips: []ID{e.Clip}, By: e.By, ToTrack: e.ToTrack}).Apply(r)
	}
	for _, n := range over {
		c, _ = loose.Clip(c.ID) // as the blend before left it
		left, right := c, n
		if n.Start < c.Start {
			left, right = n, c
		}
		length, err := loose.lap(left, right, e.Law, e.Lean)
		if err != nil {
			return nil, err
		}
		o.Says = append(o.Says, "“"+left.Name+"” into “"+right.Name+"”: a blend of "+p.say(length))
	}
	for _, b := range loose.Blends {
		if _, there := r.Blend(b.ID); !there {
			o.Made = append(o.Made, b.ID)
		}
	}
	return r.finish(&loose, o)
}
