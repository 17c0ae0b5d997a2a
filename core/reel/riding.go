package reel

import (
	"fmt"
	"math"
	"slices"

	"blendseam/core/gain"
)

// line is the clip or the track that a gain line belongs to, when it can be edited:
// its name and the range of its points.
type line struct {
	clip, track ID
	name        string
	low, high   int64
	duck        bool // the line that lowers the track under speech
}

// lineOf is the line of a clip, or of a track.
func (r *Reel) lineOf(clip, track ID) (line, error) {
	if (clip == 0) == (track == 0) {
		return line{}, refuse("Name a clip or a track, not both.")
	}
	if track != 0 {
		t, err := r.open(track)
		if err == nil && t.Role == PictureRole {
			err = refuse("Track %s holds pictures and has no gain.", t.Name)
		}
		return line{track: track, name: t.Name, high: r.day()}, err
	}
	c, err := r.one(clip)
	if err == nil && r.shows(c) {
		err = refuse("“%s” is a picture and has no gain.", c.Name)
	}
	src, _ := r.Source(c.Source)
	return line{clip: clip, name: "“" + c.Name + "”", high: src.Length}, err
}

func (l line) on() ID {
	if l.duck {
		return -l.track
	}
	return max(l.clip, l.track)
}

// beyond refuses a place that lies outside of what the line is over.
func (l line) beyond(at int64) error {
	if at >= l.low && at <= l.high {
		return nil
	}
	if l.clip != 0 {
		return &Refusal{Reason: "That is outside the recording of " + l.name + "."}
	}
	return &Refusal{Reason: "That is outside the reel."}
}

// AddPoint puts a point on a gain line; without a level where the line is there, to a
// hundredth of a dB. Nothing else of the line changes but a slope that is eased or
// leads to −∞, which is told.
type AddPoint struct {
	Clip  ID       `json:"clip,omitempty"`
	Track ID       `json:"track,omitempty"`
	At    int64    `json:"at"` // in the clip's source, or in the reel
	DB    *float64 `json:"db,omitempty"`
	Eased bool     `json:"eased,omitempty"`
	Duck  bool     `json:"duck,omitempty"` // on the line that lowers the track under speech
}

// Names implements Edit.
func (e *AddPoint) Names() []ID { return []ID{max(e.Clip, e.Track)} }

// Apply implements Edit.
func (e *AddPoint) Apply(r *Reel) (*Done, error) {
	l, err := r.lineOf(e.Clip, e.Track)
	if err == nil {
		err = l.beyond(e.At)
	}
	if err != nil {
		return nil, err
	}
	p := Point{Clip: l.clip, Track: l.track, At: e.At, Eased: e.Eased}
	if e.Duck {
		if l.track == 0 {
			return nil, refuse("Tracks are lowered under speech, not clips.")
		}
		l.duck, p.Duck = true, DuckAltered
	}
	if e.DB != nil {
		p.DB = *e.DB
	} else {
		p.DB = math.Round(100*r.Ride(l.on()).DB(e.At)) / 100
	}
	if err := invalid(gain.CheckDB(p.DB)); err != nil {
		return nil, err
	}
	for _, o := range r.Line(l.on()) {
		if d := o.At - e.At; d < r.Props.apart() && d > -r.Props.apart() {
			no := refuse("A point of %s is already there.", l.name)
			no.Possible = "Points are at least 1 ms apart."
			if e.DB != nil && o.DB != p.DB {
				no.Offer = workable(r, &SetPoint{Point: o.ID, DB: e.DB})
			}
			return nil, no
		}
	}
	out := *r
	p.ID = out.take()
	out.Points = with(r.Points, p)
	o := Outcome{Label: "point on " + l.name, Made: []ID{p.ID}, Says: []string{Decibels(p.DB)}}
	if r.Ride(l.on()).Bends(e.At) {
		o.Notes = append(o.Notes, bentNote)
	}
	return r.finish(&out, o)
}

// bentNote tells that a slope became two, which are not quite what it was.
const bentNote = "The eased slope became two slopes of another shape."

// SetPoint sets the place, level or slope of one point. What is nil stays.
type SetPoint struct {
	Point ID       `json:"point"`
	At    *int64   `json:"at,omitempty"`
	DB    *float64 `json:"db,omitempty"`
	Eased *bool    `json:"eased,omitempty"` // the slope that follows it
}

// Names implements Edit.
func (e *SetPoint) Names() []ID { return []ID{e.Point} }

// Apply implements Edit.
func (e *SetPoint) Apply(r *Reel) (*Done, error) {
	p, ok := r.Point(e.Point)
	if !ok {
		return nil, refuse("That point is gone.")
	}
	l, err := r.lineOf(p.Clip, p.Track)
	if err != nil {
		return nil, err
	}
	move := MovePoints{Points: []ID{p.ID}}
	if e.At != nil {
		move.By = *e.At - p.At
	}
	if e.DB != nil {
		if err := invalid(gain.CheckDB(*e.DB)); err != nil {
			return nil, err
		}
	}
	out := r
	if move.By != 0 {
		done, err := move.Apply(r)
		if err != nil {
			return nil, err
		}
		out = done.Reel
		p, _ = out.Point(p.ID)
	}
	if e.DB != nil {
		p.DB = *e.DB
	}
	if e.Eased != nil {
		p.Eased = *e.Eased
	}
	own := *out
	own.Points = with(out.Points, p.hand())
	return r.finish(&own, Outcome{Label: "point of " + l.name, Says: []string{Decibels(p.DB)}})
}

// MovePoints moves points together, in time and in level. Points between them and
// beside them stay, and none passes another.
type MovePoints struct {
	Points []ID    `json:"points"`
	By     int64   `json:"by,omitempty"`   // samples
	ByDB   float64 `json:"byDB,omitempty"` // a point at −∞ stays there
}

// Names implements Edit.
func (e *MovePoints) Names() []ID { return e.Points }

// Apply implements Edit.
func (e *MovePoints) Apply(r *Reel) (*Done, error) {
	if len(e.Points) == 0 {
		return nil, refuse("No point is selected.")
	}
	chosen := idSet(e.Points)
	lines := map[ID]line{}
	low, high := int64(math.MinInt64/4), int64(math.MaxInt64/4)
	lowDB, highDB := math.Inf(-1), math.Inf(1)
	for id := range chosen {
		p, ok := r.Point(id)
		if !ok {
			return nil, refuse("That point is gone.")
		}
		if _, seen := lines[p.On()]; !seen {
			l, err := r.lineOf(p.Clip, p.Track)
			if err != nil {
				return nil, err
			}
			lines[p.On()] = l
		}
		if p.DB > gain.MinDB {
			lowDB, highDB = max(lowDB, gain.MinDB-p.DB), min(highDB, gain.MaxDB-p.DB)
		}
	}
	for on, l := range lines {
		all := r.Line(on)
		for i, p := range all {
			if !chosen[p.ID] {
				continue
			}
			low, high = max(low, l.low-p.At), min(high, l.high-p.At)
			if i > 0 && !chosen[all[i-1].ID] {
				low = max(low, all[i-1].At+r.Props.apart()-p.At)
			}
			if i+1 < len(all) && !chosen[all[i+1].ID] {
				high = min(high, all[i+1].At-r.Props.apart()-p.At)
			}
		}
	}
	// A point that a link or a trim has left outside may stay there.
	low, high = min(low, 0), max(high, 0)
	fit := *e
	fit.By, fit.ByDB = min(max(e.By, low), high), math.Round(100*min(max(e.ByDB, lowDB), highDB))/100
	if fit.By != e.By || math.Abs(fit.ByDB-e.ByDB) > 0.006 {
		no := refuse("A point stays between its neighbours, inside the sound.")
		if fit.By == e.By {
			no = refuse("A gain line goes from −∞ to %s.", Decibels(gain.MaxDB))
		}
		no.Limit = fit.By
		if fit.By != 0 || fit.ByDB != 0 {
			no.Possible, no.Offer = "It can go "+r.Props.shift(fit.By)+" and "+Decibels(fit.ByDB)+".", &fit
		}
		return nil, no
	}
	out := *r
	out.Points = slices.Clone(r.Points)
	var at Point
	for i, p := range out.Points {
		if chosen[p.ID] {
			if p.At += e.By; p.DB > gain.MinDB {
				p.DB = math.Round(100*(p.DB+e.ByDB)) / 100
			}
			out.Points[i], at = p.hand(), p
		}
	}
	o := Outcome{Label: "move " + count(len(chosen), "point")}
	if len(chosen) == 1 {
		o.Says = []string{Decibels(at.DB)}
	} else if e.ByDB != 0 {
		o.Says = []string{count(len(chosen), "point") + " by " + Decibels(e.ByDB)}
	}
	return r.finish(&out, o)
}

// RemovePoints takes points off their lines.
type RemovePoints struct {
	Points []ID `json:"points"`
}

// Names implements Edit.
func (e *RemovePoints) Names() []ID { return e.Points }

// Apply implements Edit.
func (e *RemovePoints) Apply(r *Reel) (*Done, error) {
	if len(e.Points) == 0 {
		return nil, refuse("No point is selected.")
	}
	gone := idSet(e.Points)
	for id := range gone {
		p, ok := r.Point(id)
		if !ok {
			return nil, refuse("That point is gone.")
		}
		if _, err := r.lineOf(p.Clip, p.Track); err != nil {
			return nil, err
		}
	}
	out := *r
	out.Points = r.altered(gone)
	out.Points = slices.DeleteFunc(out.Points, func(p Point) bool { return gone[p.ID] })
	return r.finish(&out, Outcome{Label: fmt.Sprintf("remove %s", count(len(gone), "point"))})
}
