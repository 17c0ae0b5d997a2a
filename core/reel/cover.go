package reel

// CoverStrike lays room tone under a struck span, or other tone than was
// there. Without a tone the span is laid bare.
type CoverStrike struct {
	Strike ID      `json:"strike"`
	Tone   *Tone   `json:"tone,omitempty"`
	GainDB float64 `json:"gainDB,omitempty"`
}

// Names implements Edit.
func (e *CoverStrike) Names() []ID { return []ID{e.Strike} }

// Apply implements Edit.
func (e *CoverStrike) Apply(r *Reel) (*Done, error) {
	s, c, err := r.struck(e.Strike)
	if err != nil {
		return nil, err
	}
	out := *r
	if e.Tone == nil {
		s.Cover = Cover{}
		out.Strikes = with(r.Strikes, s)
		return r.finish(&out, Outcome{Label: "remove cover in “" + c.Name + "”"})
	}
	src, err := out.grown(*e.Tone)
	if err != nil {
		return nil, err
	}
	s.Cover = Cover{Source: src.ID, GainDB: e.GainDB}
	if err := invalid(s.sound()); err != nil {
		return nil, err
	}
	out.Strikes = with(r.Strikes, s)
	return r.finish(&out, Outcome{Label: "cover a strike in “" + c.Name + "”", Says: []string{src.Name + " under " + r.Props.say(s.To-s.From)}})
}
