package reel

import (
	"encoding/json"
	"slices"

	"blendseam/core/gain"
)

// Unmerge brings the clips back that a merged clip was made of, as far as it plays them,
// where it lies now. What its gain was changed by is put on each of them.
type Unmerge struct {
	Clip ID `json:"clip"`
}

// Names implements Edit.
func (e *Unmerge) Names() []ID { return []ID{e.Clip} }

// Apply implements Edit.
func (e *Unmerge) Apply(r *Reel) (*Done, error) {
	c, err := r.one(e.Clip)
	if err != nil {
		return nil, err
	}
	src, _ := r.Source(c.Source)
	var was Former
	if src.Former == "" || json.Unmarshal([]byte(src.Former), &was) != nil || len(was.Clips) == 0 {
		no := refuse("“%s” is not a merged clip.", c.Name)
		no.Possible = "Select one that was made by merging."
		return nil, no
	}
	back := was.under(c)
	if len(back) == 0 {
		no := refuse("“%s” plays none of the clips it was merged of.", c.Name)
		no.Possible = "Trim it back over them first."
		return nil, no
	}
	out := *r
	ids := map[ID]ID{}
	now := make([]Clip, len(back))
	for i, f := range back {
		ids[f.ID] = out.take()
		f.ID, f.Track = ids[f.ID], c.Track
		if _, there := r.Source(f.Source); !there {
			return nil, refuse("The recording of “%s” is not in this reel any more.", f.Name)
		}
		if by := c.GainDB - was.GainDB; by != 0 && f.GainDB > gain.MinDB {
			f.GainDB = min(max(f.GainDB+by, gain.MinDB), gain.MaxDB)
		}
		now[i] = f
	}
	if c.Offset <= was.Before {
		now[0].FadeIn = c.FadeIn
	}
	if end := was.Before + was.Clips[len(was.Clips)-1].End() - was.From; c.Offset+c.Length >= end {
		now[len(now)-1].FadeOut = c.FadeOut
	}
	o := Outcome{Label: "restore the clips of “" + c.Name + "”", Says: []string{count(len(now), "clip") + " restored"}}
	for _, f := range now {
		o.Made = append(o.Made, f.ID)
	}
	_, treated := r.TreatmentOf(c.ID)
	if len(r.StrikesOf(c.ID)) > 0 || len(r.Line(c.ID)) > 0 || treated && !onlyApart(r, c.ID) {
		o.Notes = append(o.Notes, "Strikes, ride and treatment of the merged clip are not on the restored ones.")
	}
	out.replace([]Clip{c}, now)
	for _, b := range was.Blends {
		left, right := ids[b.Left], ids[b.Right]
		if left != 0 && right != 0 {
			b.ID, b.Left, b.Right = out.take(), left, right
			out.Blends = append(out.Blends, b)
		}
	}
	for _, s := range was.Strikes {
		if s.Clip = ids[s.Clip]; s.Clip != 0 {
			s.ID = out.take()
			out.Strikes = append(out.Strikes, s)
		}
	}
	for _, p := range was.Points {
		if p.Clip = ids[p.Clip]; p.Clip != 0 {
			p.ID = out.take()
			out.Points = append(out.Points, p)
		}
	}
	for _, t := range was.Treatments {
		if t.Clip = ids[t.Clip]; t.Clip != 0 {
			t.ID = out.take()
			out.Treatments = append(out.Treatments, t)
		}
	}
	for _, t := range was.Ties {
		if _, there := r.Clip(t.Shot); there && ids[t.Clip] != 0 {
			t.ID, t.Clip = out.take(), ids[t.Clip]
			out.Ties = append(slices.Clone(out.Ties), t)
		}
	}
	return r.finish(&out, o)
}

// onlyApart reports whether a clip's treatment does nothing but keep its track's away.
func onlyApart(r *Reel, clip ID) bool {
	t, _ := r.TreatmentOf(clip)
	return t.Does.None()
}

// under are the former clips as far as a merged clip plays them, in its place. The outer
// ones go on into their handles where it does.
func (w Former) under(c Clip) (out []Clip) {
	shift := c.Start - c.Offset + w.Before - w.From // from their places to now
	for i, f := range w.Clips {
		f.Start += shift
		from, to := max(c.Start, f.Start), min(c.End(), f.End())
		if i == 0 {
			from = c.Start
		}
		if i == len(w.Clips)-1 {
			to = c.End()
		}
		if from >= to {
			continue
		}
		if from != f.Start {
			f.FadeIn = NoFade
		}
		if to != f.End() {
			f.FadeOut = NoFade
		}
		f.Start, f.Offset, f.Length = from, f.Offset+from-f.Start, to-from
		out = append(out, f)
	}
	return out
}
