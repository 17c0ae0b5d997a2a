package reel

import (
	"cmp"
	"errors"
	"slices"
	"strings"

	"blendseam/core/gain"
)

// Place lays a stretch of a source on a track.
type Place struct {
	Source ID     `json:"source"`
	Track  ID     `json:"track"`
	Start  int64  `json:"start"`
	Offset int64  `json:"offset"`
	Length int64  `json:"length"`
	Name   string `json:"name,omitempty"` // the source's name when empty
}

// Names implements Edit.
func (e *Place) Names() []ID { return []ID{e.Source, e.Track} }

// Apply implements Edit.
func (e *Place) Apply(r *Reel) (*Reel, Outcome, error) {
	src, ok := r.Source(e.Source)
	if !ok {
		return nil, Outcome{}, refuse("That source is not in this reel.")
	}
	track, ok := r.Track(e.Track)
	if !ok {
		return nil, Outcome{}, refuse("That track is gone.")
	}
	if e.Length < 1 || e.Offset < 0 || e.Offset >= src.Length || e.Length > src.Length-e.Offset {
		no := refuse("“%s” is %s long; the stretch asked for does not lie inside it.", src.Name, r.Props.say(src.Length))
		if off := min(max(e.Offset, 0), src.Length-1); e.Length >= 1 {
			fit := *e
			fit.Offset, fit.Length = off, min(e.Length, src.Length-off)
			no.Limit, no.Offer = fit.Length, workable(r, &fit)
			no.Possible = "From there, " + r.Props.say(fit.Length) + " can be laid in."
		}
		return nil, Outcome{}, no
	}
	name, err := cleanName(e.Name)
	if e.Name == "" {
		name, err = src.Name, nil
	}
	if err != nil {
		return nil, Outcome{}, err
	}
	if start, ok := r.nearestShift([]Clip{{Track: e.Track, Length: e.Length}}, nil, e.Start); !ok || start != e.Start {
		fit := *e
		fit.Start = start
		return nil, Outcome{}, r.noRoom(e.Start, e.Length, e.Track, nil, ok, start, &fit)
	}
	out := *r
	c := Clip{
		ID: out.take(), Track: e.Track, Source: e.Source, Name: name, Start: e.Start, Offset: e.Offset, Length: e.Length,
		FadeIn: NoFade, FadeOut: NoFade,
	}
	out.Clips = with(r.Clips, c)
	return &out, Outcome{Label: "lay “" + name + "” on " + track.Name, Made: []ID{c.ID}}, nil
}

// workable is the edit if it can be done, else what its refusal offers.
func workable(r *Reel, e Edit) Edit {
	_, _, err := e.Apply(r)
	var no *Refusal
	if errors.As(err, &no) {
		return no.Offer
	}
	return e
}

// NoFade is the fade of a clip's end that has none.
var NoFade = Fade{Length: 0, Shape: gain.QuarterSine, Bend: gain.Even}

// maxName is the longest a name can be, in bytes.
const maxName = 200

func cleanName(name string) (string, error) {
	name = strings.TrimSpace(name)
	if name == "" {
		return "", refuse("A name needs at least one letter.")
	}
	if len(name) > maxName || strings.ContainsFunc(name, func(c rune) bool { return c < ' ' }) {
		return "", refuse("A name has at most %d characters and no line breaks.", maxName)
	}
	return name, nil
}

// nearestShift is the shift nearest to want by which the clips can be moved
// along the timeline onto their tracks without touching others; those in
// leaving do not count as being in the way. Not ok when there is none.
func (r *Reel) nearestShift(clips []Clip, leaving []ID, want int64) (int64, bool) {
	day := MaxHours * 3600 * int64(r.Props.SampleRate)
	low, high := -day, day
	tracks := map[ID][]Clip{}
	for _, c := range clips {
		low, high = max(low, -c.Start), min(high, day-c.End())
		if _, ok := tracks[c.Track]; !ok {
			there := r.OnTrack(c.Track)
			tracks[c.Track] = slices.DeleteFunc(there, func(o Clip) bool { return slices.Contains(leaving, o.ID) })
		}
	}
	if low > high {
		return 0, false
	}
	// Each pair of a moved clip and one in its way forbids an open interval of
	// shifts; the answer is want, or the nearest end of the intervals it is in.
	type interval struct{ from, to int64 }
	var no []interval
	for _, c := range clips {
		for _, o := range tracks[c.Track] {
			no = append(no, interval{o.Start - c.End() + 1, o.End() - c.Start - 1})
		}
	}
	slices.SortFunc(no, func(a, b interval) int { return cmp.Compare(a.from, b.from) })
	want = min(max(want, low), high)
	var merged []interval
	for _, i := range no {
		if n := len(merged); n > 0 && i.from <= merged[n-1].to+1 {
			merged[n-1].to = max(merged[n-1].to, i.to)
		} else {
			merged = append(merged, i)
		}
	}
	for _, i := range merged {
		if want < i.from || want > i.to {
			continue
		}
		below, above := i.from-1, i.to+1
		switch {
		case below < low && above > high:
			return 0, false
		case below < low || above <= high && above-want < want-below:
			return above, true
		default:
			return below, true
		}
	}
	return want, true
}

// noRoom is the refusal of a clip that would lie on another or outside the reel.
func (r *Reel) noRoom(start, length int64, track ID, leaving []ID, ok bool, free int64, offer Edit) *Refusal {
	no := refuse("There is no room: a clip cannot lie there.")
	if start < 0 {
		no = refuse("That would begin before the reel does.")
	} else if start > MaxHours*3600*int64(r.Props.SampleRate)-length {
		no = refuse("A reel is at most %d hours long.", MaxHours)
	}
	for _, o := range r.OnTrack(track) {
		if o.Start < start+length && start < o.End() && !slices.Contains(leaving, o.ID) {
			no = refuse("“%s” lies there, at %s.", o.Name, r.Props.at(o.Start))
			break
		}
	}
	if ok {
		no.Limit, no.Offer = free, offer
		no.Possible = "The nearest free place begins at " + r.Props.at(free) + "."
	}
	return no
}
