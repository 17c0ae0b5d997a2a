package reel

import (
	"fmt"
	"slices"

	"blendseam/core/gain"
)

// Pausing makes a pause of a clip longer or shorter.
type Pausing struct {
	At int64 `json:"at"` // a place in it, sample of the source
	By int64 `json:"by"` // samples longer; below 0 shorter
}

// FitPauses makes a clip longer or shorter by its pauses alone: no word is touched. Of a
// pause that gets shorter the middle goes; of one that gets longer it is heard again. The
// parts are blended where they meet.
type FitPauses struct {
	Clip   ID        `json:"clip"`
	Pauses []Pausing `json:"pauses"`
	Fade   int64     `json:"fade"` // length of the blends, samples
	Later  Later     `json:"later,omitempty"`
}

// MostPauses is how many pauses are made longer or shorter at a time.
const MostPauses = 500

// Names implements Edit.
func (e *FitPauses) Names() []ID { return []ID{e.Clip} }

// piece is a part of a source that is played.
type piece struct{ from, to int64 }

// pieces are the parts that a clip is to play one after the other.
func (e *FitPauses) pieces(r *Reel, c Clip) ([]piece, error) {
	src, _ := r.Source(c.Source)
	switch {
	case src.Shows() || src.Bed.Grown() || src.Missing():
		no := refuse("“%s” has no recording of speech.", c.Name)
		no.Possible = "Select a clip of a recording."
		return nil, no
	case len(e.Pauses) == 0 || len(e.Pauses) > MostPauses:
		return nil, refuse("From 1 to %d pauses are changed at a time, not %d.", MostPauses, len(e.Pauses))
	case e.Fade < 0 || e.Fade > int64(r.Props.SampleRate):
		return nil, refuse("Blends in pauses are up to a second long.")
	}
	var out []piece
	from := c.Offset
	for i, p := range e.Pauses {
		if p.By > r.day() || p.By < -r.day() || p.At <= c.Offset || p.At >= c.Offset+c.Length || i > 0 && p.At <= e.Pauses[i-1].At {
			return nil, refuse("Pause %d is not in “%s”, or not after the one before.", i+1, c.Name)
		}
		end := p.At + p.By/2
		next := end - p.By
		if end-from < 1 || next < 0 || end > src.Length || next >= c.Offset+c.Length {
			no := refuse("Pause %d has no room for that.", i+1)
			no.Possible = "Change it by less, or other pauses as well."
			return nil, no
		}
		out, from = append(out, piece{from, end}), next
	}
	return append(out, piece{from, c.Offset + c.Length}), nil
}

// Apply implements Edit.
func (e *FitPauses) Apply(r *Reel) (*Done, error) {
	c, err := r.one(e.Clip)
	if err == nil {
		err = invalid(e.Later.check())
	}
	if err != nil {
		return nil, err
	}
	parts, err := e.pieces(r, c)
	if err != nil {
		return nil, err
	}
	grow := -c.Length
	for _, p := range parts {
		grow += p.to - p.from
	}
	f := r.followers(e.Later, map[ID]int64{c.Track: c.End()}, c.End())
	if no := e.room(r, c, f, grow); no != nil {
		return nil, no
	}
	out := *r
	out.Clips, out.Blends = slices.Clone(r.Clips), slices.Clone(r.Blends)
	f.move(&out, grow)
	ids := []ID{c.ID}
	for i, p := range e.Pauses {
		part, _ := out.Clip(ids[i])
		ids = append(ids, out.cut(part.ID, part.Start+p.At-part.Offset))
	}
	at := c.Start
	for i, id := range ids {
		k, _ := find(out.Clips, id)
		out.Clips[k].Start, out.Clips[k].Offset, out.Clips[k].Length = at, parts[i].from, parts[i].to-parts[i].from
		at += parts[i].to - parts[i].from
	}
	src, _ := r.Source(c.Source)
	for i := range e.Pauses {
		b := Blend{ID: out.NextID, Left: ids[i], Right: ids[i+1], Before: min(e.Fade/2, parts[i+1].from), After: min(e.Fade-e.Fade/2, src.Length-parts[i].to), Law: gain.ConstantPower, Lean: gain.Even}
		if b.Length() > 0 {
			out.take()
			out.Blends = append(out.Blends, b)
		}
	}
	p := r.Props
	o := Outcome{Label: fmt.Sprintf("fit the pauses of “%s” to %s", c.Name, p.span(c.Length+grow)), Made: ids[1:]}
	o.Says = append([]string{fmt.Sprintf("“%s” %s long, %s changed", c.Name, p.say(c.Length+grow), count(len(e.Pauses), "pause"))}, f.say(p, grow)...)
	return r.finish(&out, o)
}

// room says why a clip cannot become so much longer or shorter where it is.
func (e *FitPauses) room(r *Reel, c Clip, f followers, grow int64) *Refusal {
	alone := *e
	alone.Later = FollowTrack
	switch {
	case grow < 0 && e.Later.follows() && -grow > f.room:
		return f.blocked(r.Props, &alone)
	case grow > 0 && max(c.End(), f.last)+grow > r.day():
		return refuse("A reel is at most %d hours long.", MaxHours)
	case grow > 0 && !e.Later.follows():
		for _, o := range r.under(c.End(), c.End()+grow, map[ID]bool{c.Track: true}) {
			no := refuse("“%s” is in the way: %s are free after “%s”.", o.Name, r.Props.span(max(o.Start-c.End(), 0)), c.Name)
			no.Possible = "Let later clips follow, or lengthen the pauses by less."
			return no
		}
	}
	return nil
}
