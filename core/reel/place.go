package reel

import (
	"cmp"
	"errors"
	"slices"

	"blendseam/core/gain"
)

// Place lays a stretch of a source on a track.
type Place struct {
	Source ID     `json:"source"`
	Track  ID     `json:"track"`
	Start  int64  `json:"start"`
	Offset int64  `json:"offset"`
	Length int64  `json:"length"`
	Name   string `json:"name,omitempty"`  // the source's name when empty
	Later  Later  `json:"later,omitempty"` // following clips make room
}

// Names implements Edit.
func (e *Place) Names() []ID { return []ID{e.Source, e.Track} }

// Apply implements Edit.
func (e *Place) Apply(r *Reel) (*Done, error) {
	src, ok := r.Source(e.Source)
	if !ok {
		return nil, refuse("That source is not in this reel.")
	}
	track, err := r.open(e.Track)
	if err == nil {
		err = invalid(e.Later.check())
	}
	if err != nil {
		return nil, err
	}
	if err := track.fits(src); err != nil {
		return nil, err
	}
	if src.Shows() && e.Length > src.Length-e.Offset && e.Length-slack <= src.Length-e.Offset {
		own := *e // frames that are counted from another place
		own.Length = src.Length - e.Offset
		return own.Apply(r)
	}
	if e.Length < 1 || e.Offset < 0 || e.Offset >= src.Length || e.Length > src.Length-e.Offset {
		no := refuse("“%s” is %s long; that stretch is outside it.", src.Name, r.Props.say(src.Length))
		if off := min(max(e.Offset, 0), src.Length-1); e.Length >= 1 {
			fit := *e
			fit.Offset, fit.Length = off, min(e.Length, src.Length-off)
			no.Limit, no.Offer = fit.Length, workable(r, &fit)
			no.Possible = "From there, " + r.Props.say(fit.Length) + " can be inserted."
		}
		return nil, no
	}
	name, err := CleanName(e.Name)
	if e.Name == "" {
		name, err = src.Name, nil
	}
	if err != nil {
		return nil, err
	}
	p := r.Props
	out, says := new(Reel), []string(nil)
	*out = *r
	if e.Later.follows() {
		if e.Start < 0 || e.Start > r.day() {
			return nil, refuse("That position is outside the reel.")
		}
		made, f, no := r.part(e.Later, map[ID]bool{e.Track: true}, e.Start, e.Length)
		if no != nil {
			return nil, no
		}
		out, says = made, f.say(p, e.Length)
	} else if start, ok := r.nearestShift([]Clip{{Track: e.Track, Length: e.Length}}, nil, e.Start); !ok || start != e.Start {
		fit := *e
		fit.Start = start
		var offer Edit = &fit
		if ok && src.Shows() { // it has to come to whole frames too
			offer = workable(r, offer)
		}
		return nil, r.noRoom(e.Start, e.Length, e.Track, nil, ok, start, offer)
	}
	c := Clip{
		ID: out.take(), Track: e.Track, Source: e.Source, Name: name, Start: e.Start, Offset: e.Offset, Length: e.Length,
		FadeIn: NoFade, FadeOut: NoFade,
	}
	out.Clips = with(out.Clips, c)
	o := Outcome{Label: "insert “" + name + "” on " + track.Name, Made: []ID{c.ID}}
	o.Says = append([]string{p.say(e.Length) + " of “" + src.Name + "” at " + p.at(e.Start)}, says...)
	done, err := r.finish(out, o)
	alone := *e
	alone.Later = FollowTrack
	return orWhole(r, done, err, e.Later, &alone)
}

// workable is the edit if it can be done, else what its refusal offers.
func workable(r *Reel, e Edit) Edit {
	_, err := e.Apply(r)
	var no *Refusal
	if errors.As(err, &no) {
		return no.Offer
	}
	return e
}

// NoFade is the fade of a clip's end that has none.
var NoFade = Fade{Length: 0, Shape: gain.QuarterSine, Bend: gain.Even}

// nearestShift is the shift nearest to want by which the clips can be moved
// along the timeline onto their tracks without touching others; those in
// leaving do not count as being in the way. Not ok when there is none.
func (r *Reel) nearestShift(clips []Clip, leaving []ID, want int64) (int64, bool) {
	low, high := -r.day(), r.day()
	moving := map[ID][]Clip{}
	for _, c := range clips {
		low, high = max(low, -c.Start), min(high, r.day()-c.End())
		if t, _ := r.Track(c.Track); t.Role == PictureRole { // frames are no whole number of samples
			c.Start, c.Length = c.Start+slack, c.Length-2*slack
		}
		moving[c.Track] = append(moving[c.Track], c)
	}
	if low > high {
		return 0, false
	}
	gone, there := idSet(leaving), map[ID][]Clip{}
	for _, c := range r.Clips {
		if _, ok := moving[c.Track]; ok && !gone[c.ID] {
			there[c.Track] = append(there[c.Track], c)
		}
	}
	for _, lanes := range []map[ID][]Clip{moving, there} {
		for _, lane := range lanes {
			slices.SortFunc(lane, func(a, b Clip) int { return cmp.Compare(a.Start, b.Start) })
		}
	}
	want = min(max(want, low), high)
	// A shift at which clips lie on others is cleared only by going on until
	// the worst of them is passed: so each round finds the least that may do.
	below, above := want, want
	for below >= low {
		_, back := collide(moving, there, below)
		if back == 0 {
			break
		}
		below -= back
	}
	for above <= high {
		on, _ := collide(moving, there, above)
		if on == 0 {
			break
		}
		above += on
	}
	switch {
	case below < low && above > high:
		return 0, false
	case below < low || above <= high && above-want < want-below:
		return above, true
	}
	return below, true
}

// collide is how much further on, and how much further back, the clips have to
// go at least so as not to lie on those that are there; 0 when they do not.
// The lanes are sorted by start.
func collide(moving, there map[ID][]Clip, by int64) (on, back int64) {
	for track, lane := range moving {
		others := there[track]
		k := 0
		for _, c := range lane {
			for k < len(others) && others[k].End() <= c.Start+by {
				k++
			}
			for i := k; i < len(others) && others[i].Start < c.End()+by; i++ {
				on = max(on, others[i].End()-c.Start-by)
				back = max(back, c.End()+by-others[i].Start)
			}
		}
	}
	return on, back
}

// noRoom is the refusal of a clip that would lie on another or outside the reel.
func (r *Reel) noRoom(start, length int64, track ID, leaving []ID, ok bool, free int64, offer Edit) *Refusal {
	no := refuse("No room for the clip there.")
	if start < 0 {
		no = refuse("That would begin before the reel does.")
	} else if start > r.day()-length {
		no = refuse("A reel is at most %d hours long.", MaxHours)
	}
	for _, o := range r.OnTrack(track) {
		if o.Start < start+length && start < o.End() && !slices.Contains(leaving, o.ID) {
			no = refuse("“%s” is there, at %s.", o.Name, r.Props.at(o.Start))
			break
		}
	}
	if ok {
		no.Limit, no.Offer = free, offer
		no.Possible = "The nearest free place begins at " + r.Props.at(free) + "."
	}
	return no
}
