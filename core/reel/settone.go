package reel

import "blendseam/core/gain"

// SetTone grows a clip of room tone from another swatch, or anew from the same.
// It keeps its place, its length and what is at its ends.
type SetTone struct {
	Clip   ID      `json:"clip"`
	Tone   Tone    `json:"tone"`
	GainDB float64 `json:"gainDB"`
}

// Names implements Edit.
func (e *SetTone) Names() []ID { return []ID{e.Clip, e.Tone.Source} }

// Apply implements Edit.
func (e *SetTone) Apply(r *Reel) (*Done, error) {
	c, err := r.one(e.Clip)
	if err == nil {
		err = invalid(gain.CheckDB(e.GainDB))
	}
	if err != nil {
		return nil, err
	}
	if src, _ := r.Source(c.Source); !src.Bed.Grown() {
		no := refuse("“%s” is a recording, not generated room tone.", c.Name)
		no.Possible = "Strike and cover it, or put room tone on another track."
		return nil, no
	}
	out := *r
	src, err := out.grown(e.Tone)
	if err != nil {
		return nil, err
	}
	c.Source, c.GainDB = src.ID, e.GainDB
	out.Clips = with(r.Clips, c)
	return r.finish(&out, Outcome{Label: "other tone for “" + c.Name + "”", Says: []string{"generated from “" + src.Name + "”"}})
}
