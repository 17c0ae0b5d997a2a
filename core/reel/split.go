package reel

import (
	"fmt"
	"slices"
)

// Split cuts clips in two at a place. Nothing that is heard changes.
type Split struct {
	Clips []ID  `json:"clips"`
	At    int64 `json:"at"`
	Tied  bool  `json:"tied,omitempty"` // what is tied to them and lies there is split too
}

// Names implements Edit.
func (e *Split) Names() []ID { return e.Clips }

// Apply implements Edit.
func (e *Split) Apply(r *Reel) (*Done, error) {
	clips, err := r.named(e.Clips)
	if err != nil {
		return nil, err
	}
	p, at := r.Props, r.ends()
	if whole := r.wholeIfSeen(e.At, clips...); whole != e.At {
		own := *e
		own.At = whole
		return own.Apply(r)
	}
	if e.Tied {
		for _, id := range r.through(e.Clips, true)[len(e.Clips):] {
			if c, _ := r.Clip(id); c.Start < e.At && e.At < c.End() {
				clips = append(clips, c)
			}
		}
	}
	for _, c := range clips {
		head, tail := at.reach(c)
		from, to := c.Start+max(head, r.least(c)), c.End()-max(tail, r.least(c))
		if r.shows(c) {
			rate, hz := p.FrameRate, p.SampleRate
			from, to = rate.Sample(rate.Frame(from-1, hz)+1, hz), rate.Sample(rate.Frame(to, hz), hz)
		}
		if e.At >= from && e.At <= to {
			continue
		}
		no := refuse("“%s” is not at %s.", c.Name, p.at(e.At))
		switch {
		case from > to:
			no = refuse("What is at the ends of “%s” leaves no place to split it.", c.Name)
			no.Possible = "Shorten its fades or blends first."
		case e.At > c.Start && e.At < from:
			no = refuse("The fade or blend at the start of “%s” reaches to %s.", c.Name, p.at(from))
		case e.At > to && e.At < c.End():
			no = refuse("The fade or blend at the end of “%s” begins at %s.", c.Name, p.at(to))
		case e.At == c.Start || e.At == c.End():
			no = refuse("“%s” has its edge at %s already.", c.Name, p.at(e.At))
			no.Possible = "Put the playhead inside the clip."
			return nil, no
		}
		if from <= to {
			no.Limit = min(max(e.At, from), to)
			no.Possible = "The nearest place to split it is " + p.at(no.Limit) + "."
			if len(clips) == 1 {
				no.Offer = &Split{Clips: e.Clips, At: no.Limit, Tied: e.Tied}
			}
		}
		return nil, no
	}
	out := *r
	out.Clips = append([]Clip(nil), r.Clips...)
	out.Blends = append([]Blend(nil), r.Blends...)
	o := Outcome{Label: "split " + both(clips) + " at " + p.at(e.At)}
	for _, c := range clips {
		o.Made = append(o.Made, out.cut(c.ID, e.At))
	}
	return r.finish(&out, o)
}

// cut parts a clip at a place inside it and gives the id of the right part;
// the left one keeps the id. What was at the tail goes with the right part.
// The slices of r are its own.
func (r *Reel) cut(id ID, at int64) ID {
	i, _ := find(r.Clips, id)
	left := r.Clips[i]
	right := trimmed(left, Head, at-left.Start)
	left.Length = at - left.Start
	right.ID = r.take()
	left.FadeOut, right.FadeIn = NoFade, NoFade
	r.Clips[i] = left
	r.Clips = append(r.Clips, right)
	r.strikeAlike(id, right.ID)
	r.rideAlike(id, right.ID)
	r.treatAlike(id, right.ID)
	r.tieAlike(id, right.ID)
	for k, b := range r.Blends {
		if b.Left == id {
			r.Blends[k].Left = right.ID
		}
	}
	return right.ID
}

// Join makes one clip of two that continue each other in the same source.
type Join struct {
	Left  ID `json:"left"`
	Right ID `json:"right"`
}

// Names implements Edit.
func (e *Join) Names() []ID { return []ID{e.Left, e.Right} }

// Apply implements Edit.
func (e *Join) Apply(r *Reel) (*Done, error) {
	clips, err := r.named([]ID{e.Left, e.Right})
	if err != nil {
		return nil, err
	}
	left, right := clips[0], clips[1]
	var no *Refusal
	switch {
	case !meet(left, right):
		no = refuse("“%s” and “%s” do not meet.", left.Name, right.Name)
	case left.Source != right.Source:
		no = refuse("“%s” and “%s” play different recordings.", left.Name, right.Name)
	case !r.goesOn(left, right):
		no = refuse("“%s” does not continue where “%s” ends in the recording: it is %s off.", right.Name, left.Name, r.Props.shift(right.Offset-left.Offset-left.Length))
		by := right.Offset - left.Offset - left.Length // letting the content sound so much later makes it go on
		no.Possible = "Slip one of them first, or blend them."
		if _, err := (&Slip{Clips: []ID{right.ID}, By: by}).Apply(r); err == nil {
			no.Offer = &Slip{Clips: []ID{right.ID}, By: by}
		}
	case left.GainDB != right.GainDB:
		no = refuse("“%s” plays at %+.1f dB and “%s” at %+.1f dB.", left.Name, left.GainDB, right.Name, right.GainDB)
		no.Possible = "Give both the same gain first."
		no.Offer = &SetClip{Clip: right.ID, GainDB: &left.GainDB}
	case left.Balance != right.Balance || left.RightDB != right.RightDB:
		no = refuse("“%s” and “%s” differ in balance.", left.Name, right.Name)
		no.Possible = "Give both the same balance first."
		no.Offer = workable(r, &SetClip{Clip: right.ID, Balance: &left.Balance, RightDB: &left.RightDB})
	}
	strikes, alike := r.joined(left, right)
	if no == nil && !alike {
		no = refuse("“%s” and “%s” have different strikes at the cut.", left.Name, right.Name)
		no.Possible = "Give the strikes the same edges on both, or restore them."
	}
	out := *r
	points, alike := r.ridden(left, right, r.NextID)
	if no == nil && !alike {
		no = refuse("The gain lines of “%s” and “%s” differ at the cut.", left.Name, right.Name)
		no.Possible = "Put a point at the cut on both, at the same level."
	}
	if no == nil && !r.treatedAlike(left.ID, right.ID) {
		no = refuse("“%s” and “%s” are treated differently.", left.Name, right.Name)
		no.Possible = "Give both the same treatment first."
		if t, ok := r.TreatmentOf(left.ID); ok {
			no.Offer = workable(r, &Treat{Clips: []ID{right.ID}, Does: &t.Does, Alone: &t.Alone, Off: &t.Off})
		}
	}
	if no != nil {
		return nil, no
	}
	o := Outcome{Label: "join “" + left.Name + "” and “" + right.Name + "”"}
	if left.FadeOut.Length > 0 || right.FadeIn.Length > 0 {
		o.Notes = append(o.Notes, "The fades at the cut were removed.")
	}
	if _, b := r.BlendAt(left.ID); b.ID != 0 {
		out.Blends = without(r.Blends, b.ID)
		o.Notes = append(o.Notes, "The blend at the cut was removed.")
	}
	if _, b := r.BlendAt(right.ID); b.ID != 0 {
		b.Left = left.ID
		out.Blends = with(out.Blends, b)
	}
	left.Length += right.Length
	left.FadeOut = right.FadeOut
	out.Clips = with(without(r.Clips, right.ID), left)
	out.Strikes, out.Points = strikes, points
	if _, made := out.Point(r.NextID); made {
		out.take()
	}
	o.Says = []string{fmt.Sprintf("“%s” is now %s long", left.Name, r.Props.say(left.Length))}
	return r.finish(&out, o)
}

// goesOn reports whether right begins in its source where left ends.
func (r *Reel) goesOn(left, right Clip) bool {
	if !r.shows(left) {
		return left.Offset+left.Length == right.Offset
	}
	a, b := r.Props.framed(left), r.Props.framed(right)
	return a.in+a.n == b.in
}

// joined are the reel's struck spans once two clips are one: each part keeps
// what it was struck by. Not alike when that cannot be, as they differ where
// they meet.
func (r *Reel) joined(left, right Clip) (out []Strike, alike bool) {
	cut := right.Offset
	var kept []Strike
	for _, s := range r.Strikes {
		from, to := s.Reach()
		switch {
		case s.Clip == left.ID && from >= cut, s.Clip == right.ID && to <= cut:
			continue // it was not heard
		case s.Clip == left.ID || s.Clip == right.ID:
			s.Clip = left.ID
			if slices.ContainsFunc(kept, func(o Strike) bool { return sameStrike(o, s) }) {
				continue
			}
			if slices.ContainsFunc(kept, func(o Strike) bool { return overlap(o, s) }) || from < cut && to > cut && !r.strikesBoth(left, right, s) {
				return r.Strikes, false
			}
			kept = append(kept, s)
		}
		out = append(out, s)
	}
	return out, true
}

// strikesBoth reports whether both clips are struck alike.
func (r *Reel) strikesBoth(left, right Clip, s Strike) bool {
	has := func(clip ID) bool {
		return slices.ContainsFunc(r.Strikes, func(o Strike) bool { return o.Clip == clip && sameStrike(o, s) })
	}
	return has(left.ID) && has(right.ID)
}
