package reel

import "blendseam/core/gain"

// SetBlend puts a blend on the cut between two clips that meet, on one track or
// on two, or alters the one that is there.
type SetBlend struct {
	Left   ID       `json:"left"`
	Right  ID       `json:"right"`
	Before int64    `json:"before"` // samples of the blend before the cut
	After  int64    `json:"after"`  // samples of it after the cut
	Law    gain.Law `json:"law"`
	Lean   float64  `json:"lean"`
	Out    Side     `json:"out,omitzero"`
	In     Side     `json:"in,omitzero"`
	// Apart gives each side for itself the shape that the law gives it, to be
	// altered from there.
	Apart bool `json:"apart,omitempty"`
}

// Names implements Edit.
func (e *SetBlend) Names() []ID { return []ID{e.Left, e.Right} }

// Apply implements Edit.
func (e *SetBlend) Apply(r *Reel) (*Done, error) {
	left, okL := r.Clip(e.Left)
	right, okR := r.Clip(e.Right)
	if !okL || !okR {
		return nil, refuse("A clip of this seam is gone.")
	}
	if !touch(left, right) {
		no := refuse("“%s” and “%s” do not meet, so there is no cut to blend.", left.Name, right.Name)
		if over := (&BlendOver{Left: e.Left, Right: e.Right, Law: e.Law, Lean: e.Lean}); left.Track != right.Track && left.End() > right.Start {
			no.Possible, no.Offer = "They overlap on two tracks: the overlap can be blended.", workable(r, over)
		}
		return nil, no
	}
	if r.shows(left) != r.shows(right) {
		return nil, refuse("A picture dissolves into a picture, and sound blends with sound.")
	}
	if err := firstOf(r.refuseLocked(left.Track), r.refuseLocked(right.Track)); err != nil {
		return nil, err
	}
	if e.Apart && e.Law.Check() == nil {
		own := *e
		own.Apart, own.Out, own.In = false, sideOf(e.Law, e.Lean), sideOf(e.Law, e.Lean)
		return own.Apply(r)
	}
	b := Blend{Left: e.Left, Right: e.Right, Before: e.Before, After: e.After, Law: e.Law, Lean: e.Lean, Out: e.Out, In: e.In}
	if err := invalid(b.check()); err != nil {
		return nil, err
	}
	_, there := r.BlendAt(left.ID)
	before, _ := r.BlendAt(right.ID)
	if there.ID != before.ID {
		no := refuse("One of the two is blended with another clip already.")
		no.Possible = "Remove that blend first."
		return nil, no
	}
	if e.Before < 0 || e.After < 0 || e.Before > 1<<40 || e.After > 1<<40 || e.Before+e.After < 1 {
		return nil, refuse("A blend is at least one sample long, at its cut.")
	}
	if r.shows(left) { // a dissolve: in whole frames, and no law of sound
		own := *e
		own.Before, own.After, own.Law, own.Lean, own.Out, own.In = r.Props.whole(e.Before), r.Props.whole(e.After), gain.ConstantGain, gain.Even, Side{}, Side{}
		if own != *e {
			return own.Apply(r)
		}
	}
	room := r.BlendRoom(left, right)
	if r.shows(left) { // a frame is a sample shorter at one place than at another
		b.Before, b.After = r.Props.asFrames(e.Before, room.Before), r.Props.asFrames(e.After, room.After)
	}
	if b.Before > room.Before || b.After > room.After {
		return nil, r.tooLong(e, left, right, room)
	}
	out := *r
	o := Outcome{Label: "blend “" + left.Name + "” into “" + right.Name + "”"}
	if there.ID != 0 {
		b.ID = there.ID
	} else {
		b.ID = out.take()
		o.Made = []ID{b.ID}
	}
	out.Blends = with(r.Blends, b)
	// A blend takes the place of the fades that met at the cut.
	if left.FadeOut.Length > 0 || right.FadeIn.Length > 0 {
		left.FadeOut, right.FadeIn = NoFade, NoFade
		out.Clips = with(with(r.Clips, left), right)
		o.Notes = append(o.Notes, "The fades at the cut were replaced by the blend.")
	}
	return r.finish(&out, o)
}

// Room is the most a blend can take at a seam and what holds it there.
type Room struct {
	Before     int64 `json:"before"`     // samples before the cut
	After      int64 `json:"after"`      // samples after it
	HandleIn   int64 `json:"handleIn"`   // material of the incoming clip ahead of its head
	HandleOut  int64 `json:"handleOut"`  // material of the outgoing clip beyond its tail
	InsideLeft int64 `json:"insideLeft"` // outgoing clip not taken by what is at its head
	InsideNext int64 `json:"insideNext"` // incoming clip not taken by what is at its tail
	Across     int64 `json:"across"`     // the longest blend that lies evenly across the cut
}

// BlendRoom is the room for a blend between two clips that meet: bounded by
// the handles, by the clips' far ends and by the fades and blends there.
func (r *Reel) BlendRoom(left, right Clip) Room { return r.roomFor(left, right, r.reach) }

// roomFor is BlendRoom for one who finds what lies at the ends of clips by
// himself, as for thousands of blends.
func (r *Reel) roomFor(left, right Clip, reach func(Clip) (head, tail int64)) Room {
	ahead, _ := r.spare(right)
	_, beyond := r.spare(left)
	headOfLeft, _ := reach(left)
	_, tailOfRight := reach(right)
	room := Room{
		HandleIn:   ahead,
		HandleOut:  beyond,
		InsideLeft: left.Length - headOfLeft,
		InsideNext: right.Length - tailOfRight,
	}
	room.Before = min(room.HandleIn, room.InsideLeft)
	room.After = min(room.HandleOut, room.InsideNext)
	room.Across = 2 * min(room.Before, room.After)
	return room
}

// tooLong is the refusal of a blend that does not fit, with the longest that
// lies the same way.
func (r *Reel) tooLong(e *SetBlend, left, right Clip, room Room) *Refusal {
	fit := *e
	fit.Before, fit.After = min(e.Before, room.Before), min(e.After, room.After)
	if d := e.Before - e.After; d >= -1 && d <= 1 {
		fit.Before, fit.After = room.Across/2, room.Across/2
	}
	var no *Refusal
	if e.Before > room.Before {
		switch {
		case room.Before == room.HandleIn:
			no = refuse("“%s” has %s ahead of its head; this blend needs %s before the cut.", right.Name, r.Props.handle(room.HandleIn), r.Props.say(e.Before))
		default:
			no = refuse("Only %s of “%s” is free before the cut; this blend needs %s.", r.Props.say(room.InsideLeft), left.Name, r.Props.say(e.Before))
		}
	} else {
		switch {
		case room.After == room.HandleOut:
			no = refuse("“%s” has %s beyond its tail; this blend needs %s after the cut.", left.Name, r.Props.handle(room.HandleOut), r.Props.say(e.After))
		default:
			no = refuse("Only %s of “%s” is free after the cut; this blend needs %s.", r.Props.say(room.InsideNext), right.Name, r.Props.say(e.After))
		}
	}
	if no.Limit = fit.Before + fit.After; no.Limit > 0 {
		no.Offer = &fit
		no.Possible = "Longest blend at this position: " + r.Props.say(no.Limit) + "."
		return no
	}
	// Nothing lies this way: the same length may lie on the other side.
	want := e.Before + e.After
	for _, other := range []SetBlend{{Before: min(room.Before, want)}, {After: min(room.After, want)}} {
		n, side, most := other.Before, "before", room.Before
		if other.After > 0 {
			n, side, most = other.After, "after", room.After
		}
		if n > no.Limit {
			fit.Before, fit.After, no.Limit = other.Before, other.After, n
			no.Offer = &fit
			no.Possible = "Positioned " + side + " the cut, " + r.Props.say(n) + " fits. The longest is " + r.Props.say(most) + "."
		}
	}
	if no.Limit == 0 {
		no.Possible = "No handle on either side, so no blend fits. Move the cut, or fade the ends."
	}
	return no
}

// RemoveBlend takes a blend off its seam, which becomes a hard cut.
type RemoveBlend struct {
	Blend ID `json:"blend"`
}

// Names implements Edit.
func (e *RemoveBlend) Names() []ID { return []ID{e.Blend} }

// Apply implements Edit.
func (e *RemoveBlend) Apply(r *Reel) (*Done, error) {
	b, ok := r.Blend(e.Blend)
	if !ok {
		return nil, refuse("That blend is gone.")
	}
	left, _ := r.Clip(b.Left)
	right, _ := r.Clip(b.Right)
	if err := firstOf(r.refuseLocked(left.Track), r.refuseLocked(right.Track)); err != nil {
		return nil, err
	}
	out := *r
	out.Blends = without(r.Blends, b.ID)
	return r.finish(&out, Outcome{Label: "hard cut between “" + left.Name + "” and “" + right.Name + "”"})
}
