package reel

import (
	"cmp"
	"math"
	"slices"

	"blendseam/core/gain"
)

// RidePoint is a point of a line that is laid.
type RidePoint struct {
	At    int64   `json:"at"` // in the clip's source, or in the reel
	DB    float64 `json:"db"`
	Eased bool    `json:"eased,omitempty"`
}

// RideSpan raises or lowers a span of the reel as a whole: on the lines of clips
// that are named or of all that sound there, or on those of tracks. Each line gets
// two points at each end of it, with a slope outside of the span.
type RideSpan struct {
	From    int64   `json:"from"`
	To      int64   `json:"to"`
	Tracks  []ID    `json:"tracks"`
	Clips   []ID    `json:"clips,omitempty"`   // these alone
	OnTrack bool    `json:"onTrack,omitempty"` // on the lines of the tracks
	ByDB    float64 `json:"byDB"`
	Slope   int64   `json:"slope,omitempty"` // samples; 0 for what suits the span
}

// Names implements Edit.
func (e *RideSpan) Names() []ID { return slices.Concat(e.Tracks, e.Clips) }

// On implements Timed.
func (e *RideSpan) On() []ID { return e.Tracks }

// Apply implements Edit.
func (e *RideSpan) Apply(r *Reel) (*Done, error) {
	tracks, hit, err := r.marked(e.From, e.To, e.Tracks, Stay)
	if err != nil {
		return nil, err
	}
	if e.ByDB == 0 || math.IsNaN(e.ByDB) {
		return nil, refuse("Raise or lower a span by a number of dB.")
	}
	slope := e.Slope
	if slope <= 0 {
		slope = min(r.Props.samples(usualSlope), max((e.To-e.From)/4, r.Props.apart()))
	}
	slope = max(slope, r.Props.apart())
	out := *r
	o := Outcome{}
	if e.OnTrack {
		var names []string
		for _, t := range r.Order() {
			if !tracks[t.ID] || t.Role == PictureRole {
				continue
			}
			if err := out.swell(line{track: t.ID, name: t.Name, high: r.day()}, e.From, e.To, slope, e.ByDB, &o); err != nil {
				return nil, err
			}
			names = append(names, t.Name)
		}
		if len(names) == 0 {
			return nil, refuse("Pictures have no gain.")
		}
		o.Label = word(e.ByDB) + r.Props.distance(e.To-e.From) + " of " + names[0]
	} else {
		hit = slices.DeleteFunc(hit, func(c Clip) bool {
			return r.shows(c) || len(e.Clips) > 0 && !slices.Contains(e.Clips, c.ID)
		})
		if len(hit) == 0 {
			no := refuse("No clip in the span on the active tracks.")
			no.Possible = "Mark a span on a clip, or activate its track."
			return nil, no
		}
		for _, c := range hit {
			src, _ := r.Source(c.Source)
			from, to := max(e.From, c.Start)-c.Start+c.Offset, min(e.To, c.End())-c.Start+c.Offset
			if err := out.swell(line{clip: c.ID, name: "“" + c.Name + "”", high: src.Length}, from, to, slope, e.ByDB, &o); err != nil {
				return nil, err
			}
		}
		o.Label = word(e.ByDB) + r.Props.distance(e.To-e.From) + " of " + both(hit)
	}
	o.Says = []string{r.Props.say(e.To-e.From) + " by " + Decibels(e.ByDB)}
	return r.finish(&out, o)
}

// usualSlope is how long the slopes of a span are that is raised or lowered, in
// seconds, unless it is short itself: common practice is 20 to 100 ms for speech.
const usualSlope = 0.05

func word(db float64) string {
	if db > 0 {
		return "raise "
	}
	return "lower "
}

func (p Props) samples(seconds float64) int64 { return int64(seconds * float64(p.SampleRate)) }

// swell raises or lowers a stretch of a line. The reel is its own.
func (r *Reel) swell(l line, from, to, slope int64, by float64, o *Outcome) error {
	was, points := r.Ride(l.on()), r.Line(l.on())
	apart := r.Props.apart()
	if to-from < apart {
		return refuse("A span of a ride lasts at least 1 ms.")
	}
	lift := func(db float64) (float64, error) {
		if db <= gain.MinDB {
			return db, nil
		}
		db = math.Round(100*(db+by)) / 100
		return db, invalid(gain.CheckDB(db))
	}
	// Points that lie where a slope will be give way to it; those beyond stay.
	keep := func(at int64) bool { return at <= from-slope || at >= to+slope || at >= from && at <= to }
	before, after := int64(math.MinInt64/4), int64(math.MaxInt64/4)
	var line []Point
	for _, p := range points {
		if !keep(p.At) {
			continue
		}
		if p.At >= from && p.At <= to {
			var err error
			if p.DB, err = lift(p.DB); err != nil {
				return err
			}
		} else if p.At < from {
			before = p.At
		} else {
			after = min(after, p.At)
		}
		line = append(line, p)
	}
	for _, n := range []struct {
		at   int64
		lift bool
	}{{from - slope, false}, {from, true}, {to, true}, {to + slope, false}} {
		if n.at < l.low || n.at > l.high || !n.lift && (n.at-before < apart && n.at < from || after-n.at < apart && n.at > to) {
			continue
		}
		if slices.ContainsFunc(line, func(p Point) bool { d := p.At - n.at; return d < apart && d > -apart }) {
			continue
		}
		p := Point{Clip: l.clip, Track: l.track, At: n.at, DB: math.Round(100*was.DB(n.at)) / 100}
		if n.lift {
			var err error
			if p.DB, err = lift(p.DB); err != nil {
				return err
			}
		}
		if was.Bends(n.at) && !slices.Contains(o.Notes, bentNote) {
			o.Notes = append(o.Notes, bentNote)
		}
		p.ID = r.take()
		o.Made = append(o.Made, p.ID)
		line = append(line, p)
	}
	r.setLine(l.on(), line)
	return nil
}

// setLine puts points in the place of those of a line.
func (r *Reel) setLine(on ID, line []Point) {
	out := make([]Point, 0, len(r.Points)+len(line))
	for _, p := range r.Points {
		if p.On() != on {
			out = append(out, p)
		}
	}
	out = append(out, line...)
	slices.SortFunc(out, func(a, b Point) int { return cmp.Compare(a.ID, b.ID) })
	r.Points = out
}

// LayRide puts points between two places of a line in the place of those that are
// there, as they were made while listening. Outside of the two nothing changes but a
// slope across one of them that is eased or leads to −∞, which is told.
type LayRide struct {
	Clip   ID          `json:"clip,omitempty"`
	Track  ID          `json:"track,omitempty"`
	From   int64       `json:"from"`
	To     int64       `json:"to"`
	Points []RidePoint `json:"points"`
	Within float64     `json:"within,omitempty"` // dB by which the line may differ, so that fewer points do
	Name   string      `json:"name,omitempty"`   // of the step
}

// Names implements Edit.
func (e *LayRide) Names() []ID { return []ID{max(e.Clip, e.Track)} }

// Apply implements Edit.
func (e *LayRide) Apply(r *Reel) (*Done, error) {
	l, err := r.lineOf(e.Clip, e.Track)
	if err != nil {
		return nil, err
	}
	from, to := max(e.From, l.low), min(e.To, l.high)
	if to-from < 3*r.Props.apart() {
		return nil, refuse("A ride lasts at least 3 ms.")
	}
	nodes := make([]gain.Node, 0, len(e.Points)+2)
	for i, p := range e.Points {
		if err := invalid(gain.CheckDB(p.DB)); err != nil {
			return nil, err
		}
		if i > 0 && p.At <= e.Points[i-1].At {
			return nil, refuse("The points of a ride must be in the order of their times.")
		}
		if p.At >= from && p.At <= to {
			nodes = append(nodes, gain.Node{At: p.At, DB: p.DB, Eased: p.Eased})
		}
	}
	if e.Within > 0 {
		nodes = gain.Thin(nodes, e.Within)
	}
	apart, was := r.Props.apart(), r.Ride(l.on())
	var line, between []Point
	for _, p := range r.Line(l.on()) {
		if p.At <= from-apart || p.At >= to+apart {
			line = append(line, p)
		} else {
			between = append(between, p)
		}
	}
	out := *r
	o := Outcome{Label: "ride on " + l.name}
	if e.Name != "" {
		if o.Label, err = CleanName(e.Name); err != nil {
			return nil, err
		}
	}
	add := func(n gain.Node) {
		p := Point{ID: out.take(), Clip: l.clip, Track: l.track, At: n.At, DB: math.Round(100*n.DB) / 100, Eased: n.Eased}
		line, o.Made = append(line, p), append(o.Made, p.ID)
	}
	// Where the line goes on as it was, it is held at the two ends.
	last := from
	if len(line) > 0 || len(between) > 0 || len(nodes) > 0 {
		add(gain.Node{At: from, DB: was.DB(from)})
	}
	for _, n := range nodes {
		if n.At-last >= apart && to-n.At >= apart {
			add(n)
			last = n.At
		}
	}
	if len(o.Made) > 0 {
		add(gain.Node{At: to, DB: was.DB(to)})
	}
	if len(line) > mostOnLine {
		return nil, refuse("A gain line has at most %d points.", mostOnLine)
	}
	out.setLine(l.on(), line)
	if was.Bends(from) || was.Bends(to) {
		o.Notes = append(o.Notes, bentNote)
	}
	o.Says = []string{count(len(o.Made), "point")}
	return r.finish(&out, o)
}

// mostOnLine is how many points one line can have.
const mostOnLine = 50_000
