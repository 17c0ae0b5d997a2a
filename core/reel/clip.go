package reel

import "blendseam/core/gain"

// SetClip renames a clip or sets its gain. What is nil stays.
type SetClip struct {
	Clip   ID       `json:"clip"`
	Name   *string  `json:"name,omitempty"`
	GainDB *float64 `json:"gainDB,omitempty"`
	// Of a clip of two channels: −1 left … 1 right, and a gain in dB of its
	// right side alone, for a recording whose sides differ.
	Balance *float64 `json:"balance,omitempty"`
	RightDB *float64 `json:"rightDB,omitempty"`
}

// Names implements Edit.
func (e *SetClip) Names() []ID { return []ID{e.Clip} }

// Apply implements Edit.
func (e *SetClip) Apply(r *Reel) (*Done, error) {
	c, err := r.one(e.Clip)
	if err != nil {
		return nil, err
	}
	o := Outcome{Label: "set “" + c.Name + "”"}
	if e.Name != nil {
		name, err := CleanName(*e.Name)
		if err != nil {
			return nil, err
		}
		o.Label = "rename “" + c.Name + "” to “" + name + "”"
		c.Name = name
	}
	if e.GainDB != nil {
		if err := invalid(gain.CheckDB(*e.GainDB)); err != nil {
			return nil, err
		}
		c.GainDB = *e.GainDB
		o.Label = "gain of “" + c.Name + "”"
	}
	if e.Balance != nil || e.RightDB != nil {
		if src, _ := r.Source(c.Source); src.Right < 0 {
			no := refuse("“%s” is mono and has no sides.", c.Name)
			no.Possible = "Pan its track."
			return nil, no
		}
		o.Label = "balance of “" + c.Name + "”"
	}
	if e.Balance != nil {
		if !(*e.Balance >= -1 && *e.Balance <= 1) {
			return nil, refuse("Balance goes from −1 (left) to 1 (right).")
		}
		c.Balance = *e.Balance
	}
	if e.RightDB != nil {
		if err := invalid(gain.CheckDB(*e.RightDB)); err != nil {
			return nil, err
		}
		c.RightDB = *e.RightDB
		o.Says = append(o.Says, "right side "+Decibels(c.RightDB))
	}
	out := *r
	out.Clips = with(r.Clips, c)
	return r.finish(&out, o)
}

// one is a clip that can be edited.
func (r *Reel) one(id ID) (Clip, error) {
	c, ok := r.Clip(id)
	if !ok {
		return c, refuse("That clip is gone.")
	}
	_, err := r.open(c.Track)
	return c, err
}

// End is one of the two ends of a clip.
type End string

// A clip's ends.
const (
	Head End = "head"
	Tail End = "tail"
)

// SetFade gives a clip's end a fade; length 0 takes it away.
type SetFade struct {
	Clip ID   `json:"clip"`
	End  End  `json:"end"`
	Fade Fade `json:"fade"`
}

// Names implements Edit.
func (e *SetFade) Names() []ID { return []ID{e.Clip} }

// Apply implements Edit.
func (e *SetFade) Apply(r *Reel) (*Done, error) {
	c, err := r.one(e.Clip)
	if err != nil {
		return nil, err
	}
	if err := invalid(e.End.check(), e.Fade.Shape.Check(), gain.CheckWarp(e.Fade.Bend)); err != nil {
		return nil, err
	}
	if e.Fade.Length < 0 {
		return nil, refuse("A fade cannot be negative.")
	}
	head, tail := r.BlendAt(c.ID)
	if b := map[End]Blend{Head: head, Tail: tail}[e.End]; b.ID != 0 && e.Fade.Length > 0 {
		no := refuse("There is a blend at this end of “%s”.", c.Name)
		no.Possible = "Remove the blend first: an end has a blend or a fade, not both."
		return nil, no
	}
	room, word := r.FadeRoom(c, e.End), "fade in"
	if e.End == Tail {
		word = "fade out"
	}
	if e.Fade.Length > room {
		no := refuse("“%s” has room for a %s of %s.", c.Name, word, r.Props.say(room))
		fit := *e
		fit.Fade.Length = room
		no.Possible, no.Limit = "That is the longest that fits.", room
		if room > 0 {
			no.Offer = &fit
		}
		return nil, no
	}
	if e.End == Head {
		c.FadeIn = e.Fade
	} else {
		c.FadeOut = e.Fade
	}
	out := *r
	out.Clips = with(r.Clips, c)
	o := Outcome{Label: word + " of “" + c.Name + "”"}
	if e.Fade.Length == 0 {
		o.Label = "no " + o.Label
	}
	return r.finish(&out, o)
}

// FadeRoom is the longest fade that an end of a clip has room for, in samples:
// up to what reaches in from its other end.
func (r *Reel) FadeRoom(c Clip, end End) int64 {
	atHead, atTail := r.reach(c)
	if end == Tail {
		return c.Length - atHead
	}
	return c.Length - atTail
}

// reach is how far the fades and blends at a clip's ends reach into it.
func (r *Reel) reach(c Clip) (head, tail int64) {
	head, tail = c.FadeIn.Length, c.FadeOut.Length
	h, t := r.BlendAt(c.ID)
	return max(head, h.After), max(tail, t.Before)
}
