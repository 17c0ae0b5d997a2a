package reel

import (
	"fmt"
	"slices"
)

// Move shifts clips in time and, when ToTrack is given, onto that track.
type Move struct {
	Clips   []ID  `json:"clips"`
	By      int64 `json:"by"` // samples, later is positive
	ToTrack ID    `json:"toTrack,omitempty"`
}

// Names implements Edit.
func (e *Move) Names() []ID { return append(slices.Clone(e.Clips), e.ToTrack) }

// Apply implements Edit.
func (e *Move) Apply(r *Reel) (*Reel, Outcome, error) {
	clips, err := r.named(e.Clips)
	if err != nil {
		return nil, Outcome{}, err
	}
	if _, ok := r.Track(e.ToTrack); e.ToTrack != 0 && !ok {
		return nil, Outcome{}, refuse("That track is gone.")
	}
	label := "move “" + clips[0].Name + "”"
	if len(clips) > 1 {
		label = fmt.Sprintf("move %d clips", len(clips))
	}
	target := slices.Clone(clips)
	for i := range target {
		if e.ToTrack != 0 {
			target[i].Track = e.ToTrack
		}
	}
	for i, a := range target {
		for _, b := range target[:i] {
			if a.Track == b.Track && a.Start < b.End() && b.Start < a.End() {
				return nil, Outcome{}, refuse("“%s” and “%s” would lie on each other.", b.Name, a.Name)
			}
		}
	}
	if by, ok := r.nearestShift(target, e.Clips, e.By); !ok || by != e.By {
		first := target[0]
		fit := *e
		fit.By = by
		for _, c := range target {
			at := c.Start + e.By
			for _, o := range r.OnTrack(c.Track) {
				if !slices.Contains(e.Clips, o.ID) && o.Start < at+c.Length && at < o.End() {
					first = c
				}
			}
		}
		return nil, Outcome{}, r.noRoom(first.Start+e.By, first.Length, first.Track, e.Clips, ok, first.Start+by, &fit)
	}
	out := *r
	out.Clips = slices.Clone(r.Clips)
	for _, c := range target {
		c.Start += e.By
		i, _ := find(out.Clips, c.ID)
		out.Clips[i] = c
	}
	o := Outcome{Label: label}
	out.settle(&o)
	return &out, o, nil
}

// Remove takes clips off their tracks and leaves the gap.
type Remove struct {
	Clips []ID `json:"clips"`
}

// Names implements Edit.
func (e *Remove) Names() []ID { return e.Clips }

// Apply implements Edit.
func (e *Remove) Apply(r *Reel) (*Reel, Outcome, error) {
	clips, err := r.named(e.Clips)
	if err != nil {
		return nil, Outcome{}, err
	}
	o := Outcome{Label: "take out “" + clips[0].Name + "”"}
	if len(clips) > 1 {
		o.Label = fmt.Sprintf("take out %d clips", len(clips))
	}
	out := *r
	out.Clips = slices.DeleteFunc(slices.Clone(r.Clips), func(c Clip) bool { return slices.Contains(e.Clips, c.ID) })
	out.settle(&o)
	return &out, o, nil
}

// named are the clips of the ids, all of which must be there, each once.
func (r *Reel) named(ids []ID) ([]Clip, error) {
	if len(ids) == 0 {
		return nil, refuse("No clip is chosen.")
	}
	out := make([]Clip, 0, len(ids))
	for i, id := range ids {
		c, ok := r.Clip(id)
		if !ok {
			return nil, refuse("A chosen clip is gone.")
		}
		if slices.Contains(ids[:i], id) {
			return nil, refuse("“%s” is named twice.", c.Name)
		}
		out = append(out, c)
	}
	return out, nil
}

// settle removes blends whose clips no longer meet, and says so.
func (r *Reel) settle(o *Outcome) {
	for _, b := range r.Blends {
		left, okL := r.Clip(b.Left)
		right, okR := r.Clip(b.Right)
		if okL && okR && meet(left, right) {
			continue
		}
		r.Blends = without(r.Blends, b.ID)
		switch {
		case okL && okR:
			o.Notes = append(o.Notes, "The blend between “"+left.Name+"” and “"+right.Name+"” went, as they no longer meet.")
		case okL:
			o.Notes = append(o.Notes, "The blend at the end of “"+left.Name+"” went with its other side.")
		case okR:
			o.Notes = append(o.Notes, "The blend at the start of “"+right.Name+"” went with its other side.")
		}
	}
}

// meet reports whether two clips share a cut.
func meet(left, right Clip) bool { return left.Track == right.Track && left.End() == right.Start }
