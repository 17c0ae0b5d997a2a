package reel

import (
	"cmp"
	"fmt"
	"slices"
)

// Ducking is how a track goes down under speech and comes back. Common practice is
// 6 to 12 dB, slopes of 0.3 to 1 s, a look-ahead as long as the slope down, and
// pauses under 1 to 2 s bridged.
type Ducking struct {
	ByDB   float64 `json:"byDB"`   // by how much it goes down, 0.5 to 60
	Down   int64   `json:"down"`   // samples of the slope down
	Hold   int64   `json:"hold"`   // how long it stays down after speech
	Up     int64   `json:"up"`     // the slope back
	Ahead  int64   `json:"ahead"`  // how long before speech it begins to go down
	Bridge int64   `json:"bridge"` // pauses shorter than this do not count
}

// UsualDuck is what a track is lowered by unless something else is asked for.
func UsualDuck(p Props) Ducking {
	return Ducking{ByDB: 9, Down: p.samples(0.4), Hold: p.samples(0.25), Up: p.samples(0.8), Ahead: p.samples(0.4), Bridge: p.samples(1.5)}
}

// The range by which speech lowers a track, in dB.
const (
	leastDuck = 0.5
	mostDuck  = 60
)

func (d Ducking) check() error {
	if d == (Ducking{}) {
		return nil
	}
	if !(d.ByDB >= leastDuck && d.ByDB <= mostDuck) {
		return fmt.Errorf("a track goes down by %g to %d dB under speech; %g dB is outside", leastDuck, mostDuck, d.ByDB)
	}
	for _, n := range []int64{d.Down, d.Hold, d.Up, d.Ahead, d.Bridge} {
		if n < 0 || n > 60*200_000 {
			return fmt.Errorf("slopes, hold, look-ahead and pauses last a minute at most")
		}
	}
	return nil
}

// Stretch is a part of the reel.
type Stretch struct {
	From int64 `json:"from"`
	To   int64 `json:"to"`
}

// Bridged are stretches of speech in order, in which those that follow on each other
// after less than a pause, or before the track has come back, are one.
func (d Ducking) Bridged(speech []Stretch) []Stretch {
	speech = slices.Clone(speech)
	slices.SortFunc(speech, func(a, b Stretch) int { return cmp.Compare(a.From, b.From) })
	var out []Stretch
	for _, s := range speech {
		if s.To <= s.From {
			continue
		}
		if n := len(out); n > 0 && (s.From-out[n-1].To < d.Bridge || s.From-d.Ahead <= out[n-1].To+d.Hold+d.Up) {
			out[n-1].To = max(out[n-1].To, s.To)
			continue
		}
		out = append(out, s)
	}
	return out
}

// LayDuck lowers a track under speech, on a line of its own beside the track's.
// What was altered by hand of such a line stays, and is told.
type LayDuck struct {
	Track  ID        `json:"track"`
	Like   Ducking   `json:"like"`
	Speech []Stretch `json:"speech"` // in the reel, in which something is said
}

// Names implements Edit.
func (e *LayDuck) Names() []ID { return []ID{e.Track} }

// Apply implements Edit.
func (e *LayDuck) Apply(r *Reel) (*Done, error) {
	l, err := r.lineOf(0, e.Track)
	if err == nil {
		err = invalid(e.Like.check())
	}
	if err != nil {
		return nil, err
	}
	if e.Like == (Ducking{}) {
		return nil, refuse("The depth of the duck is missing. Set %g to %d dB.", leastDuck, mostDuck)
	}
	// No slope is steeper than points of a line can be.
	apart, like := r.Props.apart(), e.Like
	like.Down, like.Up = max(like.Down, apart), max(like.Up, apart)
	tight := like
	tight.Up += apart
	speech := tight.Bridged(e.Speech)
	if len(speech) == 0 {
		no := refuse("No speech on the dialogue tracks.")
		no.Possible = "Give the track of the speech the role Dialogue."
		return nil, no
	}
	l.duck = true
	t, _ := r.Track(e.Track)
	out := *r
	t.Duck = e.Like
	out.Tracks = with(r.Tracks, t)
	kept := byHand(r.Line(l.on()))
	line := slices.Concat(kept...)
	o := Outcome{Label: "duck " + t.Name}
	for _, s := range speech {
		from := s.From - like.Ahead
		to := max(s.To+like.Hold, from+2*apart)
		low := min(from+like.Down, to-apart)
		if slices.ContainsFunc(kept, func(g []Point) bool {
			return g[0].At < to+like.Up+apart && g[len(g)-1].At > from-apart
		}) {
			continue
		}
		for _, p := range []Point{{At: from}, {At: low, DB: -like.ByDB}, {At: to, DB: -like.ByDB}, {At: to + like.Up}} {
			// What begins before the reel is down from its start on.
			if p.At < l.low || p.At > l.high {
				continue
			}
			p.ID, p.Track, p.Duck = out.take(), t.ID, DuckMade
			line, o.Made = append(line, p), append(o.Made, p.ID)
		}
	}
	if len(line) > mostOnLine {
		return nil, refuse("A gain line has at most %d points.", mostOnLine)
	}
	out.setLine(l.on(), line)
	if len(r.Line(l.on())) > 0 && sameLine(r.Line(l.on()), line) && r.has(t) {
		out.Points, out.NextID, o.Made = r.Points, r.NextID, nil
	}
	o.Says = []string{fmt.Sprintf("%s goes down by %g dB under %d %s of speech", t.Name, e.Like.ByDB, len(speech), plural(len(speech), "stretch", "stretches"))}
	if n := len(kept); n > 0 {
		o.Notes = append(o.Notes, fmt.Sprintf("%s adjusted by hand %s kept.", count(n, "dip"), plural(n, "is", "are")))
	}
	return r.finish(&out, o)
}

func (r *Reel) has(t Track) bool {
	own, ok := r.Track(t.ID)
	return ok && own == t
}

// sameLine reports whether two lines are alike but for the ids of their points.
func sameLine(a, b []Point) bool {
	b = slices.Clone(b)
	slices.SortFunc(b, byTime)
	return slices.EqualFunc(a, b, func(x, y Point) bool {
		x.ID = y.ID
		return x == y
	})
}

// byHand are the dips of a line of which a point was altered by hand.
func byHand(line []Point) [][]Point {
	return slices.DeleteFunc(dips(line), func(dip []Point) bool {
		return !slices.ContainsFunc(dip, func(p Point) bool { return p.Duck == DuckAltered })
	})
}

// dips are the parts of a line in time, each from where it leaves 0 dB to where it is
// back.
func dips(line []Point) [][]Point {
	var out [][]Point
	up := func(i int) bool { return line[i].DB > -0.05 }
	for i := 0; i < len(line); {
		j := i + 1
		for j < len(line) && !(up(j-1) && up(j)) {
			j++
		}
		out = append(out, line[i:j])
		i = j
	}
	return out
}

// altered are the reel's points once some go: what stays of a dip is altered by hand.
func (r *Reel) altered(gone map[ID]bool) []Point {
	out := slices.Clone(r.Points)
	seen := map[ID]bool{}
	for id := range gone {
		p, _ := r.Point(id)
		if p.Duck == "" || seen[p.On()] {
			continue
		}
		seen[p.On()] = true
		for _, dip := range dips(r.Line(p.On())) {
			if !slices.ContainsFunc(dip, func(p Point) bool { return gone[p.ID] }) {
				continue
			}
			for _, p := range dip {
				i, _ := find(out, p.ID)
				out[i] = p.hand()
			}
		}
	}
	return out
}

// LiftDuck takes away what lowers a track under speech.
type LiftDuck struct {
	Track ID `json:"track"`
}

// Names implements Edit.
func (e *LiftDuck) Names() []ID { return []ID{e.Track} }

// Apply implements Edit.
func (e *LiftDuck) Apply(r *Reel) (*Done, error) {
	if _, err := r.lineOf(0, e.Track); err != nil {
		return nil, err
	}
	t, _ := r.Track(e.Track)
	if len(r.Line(-e.Track)) == 0 && t.Duck == (Ducking{}) {
		return nil, refuse("%s has no duck.", t.Name)
	}
	out := *r
	t.Duck = Ducking{}
	out.Tracks = with(r.Tracks, t)
	out.setLine(-e.Track, nil)
	return r.finish(&out, Outcome{Label: "remove duck of " + t.Name})
}
