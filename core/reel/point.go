package reel

import (
	"cmp"
	"fmt"
	"slices"

	"blendseam/core/gain"
)

// Point is a place of a gain line, a ride. The line of a clip is kept in the time
// of its source, so that it stays on the sound when the clip is moved, slipped,
// trimmed or split; the line of a track in the time of the reel. Between two points
// the gain goes straight in dB, or eased; beyond the outermost it stays.
type Point struct {
	ID    ID      `json:"id"`
	Clip  ID      `json:"clip,omitempty"`  // whose line it is on, or
	Track ID      `json:"track,omitempty"` // that of a track
	At    int64   `json:"at"`              // sample of the source, or of the reel
	DB    float64 `json:"db"`              // −144, which is −∞, to +60
	Eased bool    `json:"eased,omitempty"` // the slope to the next point
	Duck  Ducked  `json:"duck,omitempty"`  // on the second line of a track, that lets speech through
}

// Ducked tells that a point lies on the line of a track that lowers it under speech.
// That line is kept apart from the track's own, so that it can be made anew; both
// count.
type Ducked string

// What became of a point that lowers a track under speech.
const (
	DuckMade    Ducked = "made"    // as it was reckoned
	DuckAltered Ducked = "altered" // by hand, since
)

func (d Ducked) check() error {
	if d != "" && d != DuckMade && d != DuckAltered {
		return fmt.Errorf("a point is made, altered or neither, not %q", d)
	}
	return nil
}

// hand is a point once it was altered by hand.
func (p Point) hand() Point {
	if p.Duck != "" {
		p.Duck = DuckAltered
	}
	return p
}

func (p Point) id() ID { return p.ID }

// On is the clip or the track whose line a point is on; ids are shared by all
// kinds of things. The line that lowers a track under speech is that of −Track.
func (p Point) On() ID {
	if p.Duck != "" {
		return -p.Track
	}
	return cmp.Or(p.Clip, p.Track)
}

// Node is the point as the renderer takes it.
func (p Point) Node() gain.Node { return gain.Node{At: p.At, DB: p.DB, Eased: p.Eased} }

// leastSlope is how near two points of a line can be, in seconds: what changes
// faster is heard as a click.
const leastSlope = 0.001

// apart is the least distance of two points of one line, in samples.
func (p Props) apart() int64 { return max(int64(leastSlope*float64(p.SampleRate)), 1) }

// Point gives the point of an id.
func (r *Reel) Point(id ID) (Point, bool) { return get(r.Points, id) }

// Line are the points of a clip's or a track's line, by time; of −track those of the
// line that lowers it under speech.
func (r *Reel) Line(on ID) []Point {
	var out []Point
	for _, p := range r.Points {
		if p.On() == on {
			out = append(out, p)
		}
	}
	slices.SortFunc(out, byTime)
	return out
}

func byTime(a, b Point) int { return cmp.Compare(a.At, b.At) }

// Rides are the gain lines of all clips and tracks that have one, by their ids; those
// that lower tracks under speech by −id.
func (r *Reel) Rides() map[ID]gain.Ride {
	nodes := map[ID][]gain.Node{}
	for _, p := range r.Points {
		nodes[p.On()] = append(nodes[p.On()], p.Node())
	}
	out := make(map[ID]gain.Ride, len(nodes))
	for on, n := range nodes {
		out[on] = gain.NewRide(n)
	}
	return out
}

// Ride is the gain line of one clip or track.
func (r *Reel) Ride(on ID) gain.Ride {
	var nodes []gain.Node
	for _, p := range r.Points {
		if p.On() == on {
			nodes = append(nodes, p.Node())
		}
	}
	return gain.NewRide(nodes)
}

// checkPoints returns an error when a point is on nothing, or two of one line lie
// on each other.
func (r *Reel) checkPoints() error {
	if err := sorted(r.Points, r.NextID, "point"); err != nil {
		return err
	}
	pics := r.pictureTracks()
	by := map[ID][]int64{}
	for _, p := range r.Points {
		c, onClip := find(r.Clips, p.Clip)
		_, onTrack := find(r.Tracks, p.Track)
		track := p.Track
		if onClip {
			track = r.Clips[c].Track
		}
		if onClip == onTrack || onClip && p.Track != 0 || onTrack && p.Clip != 0 || pics[track] {
			return fmt.Errorf("point %d is on no gain line", p.ID)
		}
		if p.At > Farthest || p.At < -Farthest || onTrack && p.At < 0 {
			return fmt.Errorf("point %d lies out of all bounds", p.ID)
		}
		if err := firstOf(gain.CheckDB(p.DB), p.Duck.check()); err != nil {
			return fmt.Errorf("point %d: %w", p.ID, err)
		}
		if p.Duck != "" && p.Track == 0 {
			return fmt.Errorf("point %d lowers a clip under speech, not a track", p.ID)
		}
		by[p.On()] = append(by[p.On()], p.At)
	}
	for on, at := range by {
		slices.Sort(at)
		for i := 1; i < len(at); i++ {
			if at[i]-at[i-1] < r.Props.apart() {
				return fmt.Errorf("two points of the line of %d are nearer than a thousandth of a second", on)
			}
		}
	}
	return nil
}

// keepPoints takes away the points of clips and tracks that have gone.
func (r *Reel) keepPoints() {
	gone := func(p Point) bool {
		if p.Clip != 0 {
			_, there := find(r.Clips, p.Clip)
			return !there
		}
		_, there := find(r.Tracks, p.Track)
		return !there
	}
	if slices.ContainsFunc(r.Points, gone) {
		r.Points = slices.DeleteFunc(slices.Clone(r.Points), gone)
	}
}

// rideAlike gives one clip the line of another, with ids of its own.
func (r *Reel) rideAlike(from, to ID) {
	out := r.Points[:len(r.Points):len(r.Points)]
	for _, p := range r.Points {
		if p.Clip == from {
			p.ID, p.Clip = r.take(), to
			out = append(out, p)
		}
	}
	r.Points = out
}

// ridden are the reel's points once two clips are one, left going on as right.
// Not alike when their lines differ where they meet. The id is for a point on the
// cut.
func (r *Reel) ridden(left, right Clip, id ID) (out []Point, alike bool) {
	a, b := r.Line(left.ID), r.Line(right.ID)
	if len(a) == 0 && len(b) == 0 {
		return r.Points, true
	}
	rest := slices.DeleteFunc(slices.Clone(r.Points), func(p Point) bool { return p.Clip == right.ID })
	if slices.EqualFunc(a, b, func(a, b Point) bool { return a.Node() == b.Node() }) {
		return rest, true
	}
	cut := right.Offset
	before, after := r.Ride(left.ID), r.Ride(right.ID)
	if d := before.DB(cut) - after.DB(cut); d > 0.05 || d < -0.05 {
		return r.Points, false
	}
	// Each part keeps its own points, and a point on the cut holds the slopes that
	// lead to it and away. An eased slope would become another.
	i := slices.IndexFunc(a, func(p Point) bool { return p.At >= cut })
	if i < 0 {
		i = len(a)
	}
	j := slices.IndexFunc(b, func(p Point) bool { return p.At > cut })
	if j < 0 {
		j = len(b)
	}
	bent := func(line []Point, k int) bool {
		return k > 0 && k < len(line) && line[k-1].Eased && line[k].At != cut && line[k-1].At != cut
	}
	if bent(a, i) || bent(b, j) {
		return r.Points, false
	}
	line, more, gap := slices.Clone(a[:i]), slices.Clone(b[j:]), r.Props.apart()
	if n := len(line); n > 0 && cut-line[n-1].At < gap {
		line = line[:n-1]
	}
	if len(more) > 0 && more[0].At-cut < gap {
		more = more[1:]
	}
	line = append(append(line, Point{ID: id, Clip: left.ID, At: cut, DB: after.DB(cut)}), more...)
	out = slices.DeleteFunc(rest, func(p Point) bool { return p.Clip == left.ID })
	for _, p := range line {
		p.Clip = left.ID
		out = append(out, p)
	}
	slices.SortFunc(out, func(a, b Point) int { return cmp.Compare(a.ID, b.ID) })
	return out, true
}
