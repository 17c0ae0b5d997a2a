package reel

import (
	"fmt"
	"slices"

	"blendseam/core/gain"
)

// StrikeSpan silences, or lowers, a span of the reel in every clip that sounds
// in it: of clips that are named, or of tracks.
type StrikeSpan struct {
	From    int64      `json:"from"`
	To      int64      `json:"to"`
	Tracks  []ID       `json:"tracks"`
	Clips   []ID       `json:"clips,omitempty"` // these alone; all of the tracks when empty
	Fade    int64      `json:"fade"`            // samples of fade outside of each end
	Shape   gain.Shape `json:"shape"`
	LowerDB float64    `json:"lowerDB,omitempty"` // 0 is to silence
}

// Names implements Edit.
func (e *StrikeSpan) Names() []ID { return slices.Concat(e.Tracks, e.Clips) }

// On implements Timed.
func (e *StrikeSpan) On() []ID { return e.Tracks }

// Apply implements Edit.
func (e *StrikeSpan) Apply(r *Reel) (*Done, error) {
	_, hit, err := r.marked(e.From, e.To, e.Tracks, Stay)
	if err != nil {
		return nil, err
	}
	if len(e.Clips) > 0 {
		hit = slices.DeleteFunc(hit, func(c Clip) bool { return !slices.Contains(e.Clips, c.ID) })
	}
	hit = slices.DeleteFunc(hit, r.shows)
	if len(hit) == 0 {
		no := refuse("No clip in the span on the active tracks.")
		no.Possible = "Mark a span on a clip, or activate its track."
		return nil, no
	}
	out := *r
	fade := Fade{Length: max(e.Fade, 0), Shape: e.Shape, Bend: gain.Even}
	p, o := r.Props, Outcome{}
	for _, c := range hit {
		from, to := max(e.From, c.Start)-c.Start+c.Offset, min(e.To, c.End())-c.Start+c.Offset
		s := Strike{Clip: c.ID, From: from, To: to, Fall: fade, Rise: fade, LowerDB: e.LowerDB}
		if err := invalid(s.sound()); err != nil {
			return nil, err
		}
		o.Made = append(o.Made, out.lay(s, &o))
	}
	word := "strike "
	if e.LowerDB != 0 {
		word = fmt.Sprintf("lower by %g dB ", e.LowerDB)
	}
	o.Label = word + p.distance(e.To-e.From) + " of " + both(hit)
	o.Says = []string{p.say(e.To-e.From) + " " + map[bool]string{true: "lowered", false: "struck"}[e.LowerDB != 0] + " of " + both(hit)}
	return r.finish(&out, o)
}

// lay puts a strike on its clip and gives its id. Struck spans that it reaches
// into become one with it; its fades end where others begin and where the
// recording does.
func (r *Reel) lay(s Strike, o *Outcome) ID {
	src := r.sourceOf(s.Clip)
	s.Fall.Length, s.Rise.Length = min(s.Fall.Length, s.From), min(s.Rise.Length, src.Length-s.To)
	joined := 0
	for _, other := range r.StrikesOf(s.Clip) {
		if from, to := other.Reach(); other.ID == s.ID || to <= s.From-s.Fall.Length || from >= s.To+s.Rise.Length {
			continue
		}
		if other.From >= s.To || other.To <= s.From { // the fades alone: they share what lies between
			continue
		}
		if other.From < s.From {
			s.From, s.Fall = other.From, other.Fall
		}
		if other.To > s.To {
			s.To, s.Rise = other.To, other.Rise
		}
		if s.Cover.Source == 0 {
			s.Cover = other.Cover
		}
		r.Strikes = without(r.Strikes, other.ID)
		joined++
	}
	for _, other := range r.StrikesOf(s.Clip) {
		if other.ID == s.ID {
			continue
		}
		switch {
		case other.To <= s.From:
			if free := s.From - other.To; s.Fall.Length+other.Rise.Length > free {
				other.Rise.Length = min(other.Rise.Length, free/2)
				s.Fall.Length = min(s.Fall.Length, free-other.Rise.Length)
				r.Strikes = with(r.Strikes, other)
			}
		case other.From >= s.To:
			if free := other.From - s.To; s.Rise.Length+other.Fall.Length > free {
				other.Fall.Length = min(other.Fall.Length, free/2)
				s.Rise.Length = min(s.Rise.Length, free-other.Fall.Length)
				r.Strikes = with(r.Strikes, other)
			}
		}
	}
	if joined > 0 {
		c, _ := r.Clip(s.Clip)
		o.Notes = append(o.Notes, "It was joined with what was struck of “"+c.Name+"” there already.")
	}
	if s.ID == 0 {
		s.ID = r.take()
	}
	r.Strikes = with(r.Strikes, s)
	return s.ID
}

func (r *Reel) sourceOf(clip ID) Source {
	c, _ := r.Clip(clip)
	src, _ := r.Source(c.Source)
	return src
}

// struck is a struck span whose clip can be edited.
func (r *Reel) struck(id ID) (Strike, Clip, error) {
	s, ok := r.Strike(id)
	if !ok {
		return s, Clip{}, refuse("That strike is gone.")
	}
	c, err := r.one(s.Clip)
	return s, c, err
}

// SetStrike alters a struck span. What is nil stays.
type SetStrike struct {
	Strike  ID       `json:"strike"`
	From    *int64   `json:"from,omitempty"` // in the source
	To      *int64   `json:"to,omitempty"`
	Fall    *Fade    `json:"fall,omitempty"`
	Rise    *Fade    `json:"rise,omitempty"`
	LowerDB *float64 `json:"lowerDB,omitempty"`
	GainDB  *float64 `json:"gainDB,omitempty"` // of the tone that covers it
}

// Names implements Edit.
func (e *SetStrike) Names() []ID { return []ID{e.Strike} }

// Apply implements Edit.
func (e *SetStrike) Apply(r *Reel) (*Done, error) {
	s, c, err := r.struck(e.Strike)
	if err != nil {
		return nil, err
	}
	was, p, src := s, r.Props, r.sourceOf(s.Clip)
	o := Outcome{Label: "strike in “" + c.Name + "”"}
	if e.From != nil {
		s.From, o.Label = *e.From, "edge of what is struck of “"+c.Name+"”"
	}
	if e.To != nil {
		s.To, o.Label = *e.To, "edge of what is struck of “"+c.Name+"”"
	}
	if e.Fall != nil {
		s.Fall, o.Label = *e.Fall, "fade of what is struck of “"+c.Name+"”"
	}
	if e.Rise != nil {
		s.Rise, o.Label = *e.Rise, "fade of what is struck of “"+c.Name+"”"
	}
	if e.LowerDB != nil {
		s.LowerDB = *e.LowerDB
	}
	if e.GainDB != nil {
		s.Cover.GainDB, o.Label = *e.GainDB, "gain of the tone in “"+c.Name+"”"
	}
	if err := invalid(s.sound()); err != nil {
		return nil, err
	}
	if s.Fall.Length < 0 || s.Rise.Length < 0 {
		return nil, refuse("A fade cannot be negative.")
	}
	// How far the edges and fades can go: to the recording's ends, and to what
	// is struck beside it.
	low, high := int64(0), src.Length
	for _, other := range r.StrikesOf(s.Clip) {
		if from, to := other.Reach(); other.ID != s.ID && other.To <= was.From {
			low = max(low, to)
		} else if other.ID != s.ID && other.From >= was.To {
			high = min(high, from)
		}
	}
	fit := s
	fit.From = min(max(fit.From, low), high-1)
	fit.To = max(min(fit.To, high), fit.From+1)
	if e.To == nil && e.From != nil {
		fit.To = was.To
		fit.From = min(fit.From, was.To-1)
	} else if e.From == nil {
		fit.From = was.From
		fit.To = max(fit.To, was.From+1)
	}
	fit.Fall.Length, fit.Rise.Length = min(fit.Fall.Length, fit.From-low), min(fit.Rise.Length, high-fit.To)
	// An edge that is moved up to its limit takes its fade with it as far as
	// that goes.
	if e.Fall == nil && fit.From == s.From {
		s.Fall.Length = fit.Fall.Length
	}
	if e.Rise == nil && fit.To == s.To {
		s.Rise.Length = fit.Rise.Length
	}
	if fit != s {
		no := refuse("A strike must end after it starts, inside the recording and clear of other strikes.")
		switch {
		case s.To <= s.From:
			no = refuse("A strike has at least one sample. To delete it, restore the sound.")
		case s.Fall.Length > fit.Fall.Length:
			no = refuse("There is room for a fade of %s before it.", p.say(fit.Fall.Length))
			no.Limit = fit.Fall.Length
		case s.Rise.Length > fit.Rise.Length:
			no = refuse("There is room for a fade of %s after it.", p.say(fit.Rise.Length))
			no.Limit = fit.Rise.Length
		}
		no.Possible = "That is the longest."
		offer := SetStrike{Strike: e.Strike, From: &fit.From, To: &fit.To, Fall: &fit.Fall, Rise: &fit.Rise, LowerDB: e.LowerDB, GainDB: e.GainDB}
		if s.LowerDB == was.LowerDB && fit == was {
			no.Possible = ""
		} else {
			no.Offer = &offer
		}
		return nil, no
	}
	out := *r
	out.Strikes = with(r.Strikes, s)
	o.Says = []string{p.say(s.To-s.From) + " struck, " + p.change(s.To-s.From-(was.To-was.From)), "fades " + p.say(s.Fall.Length) + " and " + p.say(s.Rise.Length)}
	return r.finish(&out, o)
}

// Lift gives back what was struck.
type Lift struct {
	Strikes []ID `json:"strikes"`
}

// Names implements Edit.
func (e *Lift) Names() []ID { return e.Strikes }

// Apply implements Edit.
func (e *Lift) Apply(r *Reel) (*Done, error) {
	if len(e.Strikes) == 0 {
		return nil, refuse("No strike is selected.")
	}
	out := *r
	var clips []Clip
	for _, id := range e.Strikes {
		_, c, err := out.struck(id)
		if err != nil {
			return nil, err
		}
		if !slices.ContainsFunc(clips, func(o Clip) bool { return o.ID == c.ID }) {
			clips = append(clips, c)
		}
		out.Strikes = without(out.Strikes, id)
	}
	return r.finish(&out, Outcome{Label: "restore " + count(len(e.Strikes), "strike") + " in " + both(clips)})
}
