package reel

import (
	"cmp"
	"fmt"
	"slices"
)

// CloseGap takes the time out of a track in which no clip lies, so that what
// comes later follows up to what is before.
type CloseGap struct {
	Track ID    `json:"track"`
	At    int64 `json:"at"`           // a place in the gap
	By    int64 `json:"by,omitempty"` // how much of it, from its end; 0 for all
	Later Later `json:"later,omitempty"`
}

// Names implements Edit.
func (e *CloseGap) Names() []ID { return []ID{e.Track} }

// On implements Timed.
func (e *CloseGap) On() []ID { return []ID{e.Track} }

// GapAt is the gap of a track at a place: from the end of the clip before, or
// the reel's start, to the clip after. Not ok when a clip lies there, or none
// comes later.
func (r *Reel) GapAt(track ID, at int64) (Gap, bool) {
	g := Gap{Track: track, To: -1}
	for _, c := range r.Clips {
		switch {
		case c.Track != track:
		case c.Start <= at && at < c.End():
			return Gap{}, false
		case c.End() <= at:
			g.From = max(g.From, c.End())
		case g.To < 0 || c.Start < g.To:
			g.To = c.Start
		}
	}
	return g, g.To > g.From && at >= 0
}

// Apply implements Edit. With Later stay, which closes nothing, only the
// edit's own track follows.
func (e *CloseGap) Apply(r *Reel) (*Done, error) {
	t, err := r.open(e.Track)
	if err == nil {
		err = invalid(e.Later.check())
	}
	if err != nil {
		return nil, err
	}
	g, ok := r.GapAt(e.Track, e.At)
	if !ok {
		no := refuse("There is no gap on %s at %s.", t.Name, r.Props.at(max(e.At, 0)))
		no.Possible = "Put the playhead between two clips of the track."
		return nil, no
	}
	if e.By < 0 || e.By > g.To-g.From {
		no := refuse("The gap is %s long.", r.Props.say(g.To-g.From))
		whole := *e
		whole.By = 0
		no.Possible, no.Offer = "Close the whole of it.", workable(r, &whole)
		return nil, no
	}
	from := g.From
	if e.By > 0 {
		from = g.To - e.By
	}
	later := e.Later
	if !later.follows() {
		later = FollowTrack
	}
	out := *r
	f, no := out.close(later, map[ID]bool{e.Track: true}, stretch{from, g.To})
	if no != nil {
		fit := *e
		if fit.By = no.Limit; fit.By > 0 {
			no.Offer = &fit
		} else {
			fit.By, fit.Later = e.By, FollowTrack
			no.Offer = &fit
		}
		return nil, no
	}
	o := Outcome{Label: fmt.Sprintf("close a gap of %s on %s", r.Props.distance(g.To-from), t.Name)}
	o.Says = append([]string{"the gap of " + r.Props.distance(g.To-g.From) + " closes"}, f.say(r.Props, from-g.To)...)
	done, err := r.finish(&out, o)
	less, alone := *e, *e
	alone.Later = FollowTrack
	if less.By = r.Props.wholeWithin(g.To - from); less.By == g.To-from || less.By == 0 {
		less = alone
	}
	return orWhole(r, done, err, later, &less, &alone)
}

// InsertTime makes room: what begins at or after a place moves later. Clips of
// the chosen tracks that lie across the place are split there; on others that
// follow, they stay whole.
type InsertTime struct {
	At     int64 `json:"at"`
	Length int64 `json:"length"`
	Tracks []ID  `json:"tracks"`
	Later  Later `json:"later,omitempty"` // followTrack to move the chosen tracks alone
}

// Names implements Edit.
func (e *InsertTime) Names() []ID { return e.Tracks }

// On implements Timed.
func (e *InsertTime) On() []ID { return e.Tracks }

// Apply implements Edit.
func (e *InsertTime) Apply(r *Reel) (*Done, error) {
	tracks, err := r.opened(e.Tracks)
	if err == nil {
		err = invalid(e.Later.check())
	}
	if err != nil {
		return nil, err
	}
	if e.At < 0 || e.Length < 1 {
		return nil, refuse("Insert at least one sample, inside the reel.")
	}
	later := e.Later
	if !later.follows() {
		later = Follow
	}
	out, f, no := r.part(later, tracks, e.At, e.Length)
	if no != nil {
		if fit := *e; no.Limit > 0 {
			fit.Length = no.Limit
			no.Offer = &fit
		}
		return nil, no
	}
	o := Outcome{Label: fmt.Sprintf("insert %s at %s", r.Props.distance(e.Length), r.Props.at(e.At))}
	o.Says = append([]string{r.Props.distance(e.Length) + " inserted"}, f.say(r.Props, e.Length)...)
	done, err := r.finish(out, o)
	near, alone := *e, *e
	near.Length, alone.Later = r.Props.whole(e.Length), FollowTrack
	if near.Length == e.Length || near.Length == 0 {
		near = alone
	}
	return orWhole(r, done, err, later, &near, &alone)
}

// part is the reel with room made at a place. Its slices are its own.
func (r *Reel) part(later Later, tracks map[ID]bool, at, length int64) (*Reel, followers, *Refusal) {
	out := *r
	out.Clips, out.Blends = slices.Clone(r.Clips), slices.Clone(r.Blends)
	own := map[ID]int64{}
	for id := range tracks {
		own[id] = at
	}
	for _, c := range r.Clips {
		if tracks[c.Track] && c.Start < at && c.End() > at {
			out.cut(c.ID, at)
		}
	}
	f := out.followers(later, own, at)
	if room := r.day() - max(f.last, at); length > room {
		no := refuse("A reel is at most %d hours long; there is room for %s.", MaxHours, r.Props.say(max(room, 0)))
		no.Limit = max(room, 0)
		return nil, f, no
	}
	f.move(&out, length)
	return &out, f, nil
}

// Gaps are those between the clips of tracks that touch the span from–to, by
// time; to 0 is the end of the reel.
func (r *Reel) Gaps(tracks []ID, from, to int64) []Gap {
	out, lanes := []Gap{}, r.Lanes()
	for _, t := range tracks {
		lane := lanes[t]
		for i := 1; i < len(lane); i++ {
			g := Gap{Track: t, From: lane[i-1].End(), To: lane[i].Start}
			if g.To > g.From && g.To > from && (to == 0 || g.From < to) {
				out = append(out, g)
			}
		}
	}
	slices.SortStableFunc(out, func(a, b Gap) int { return cmp.Compare(a.From, b.From) })
	return out
}

// GapNear is the gap at a place on one of the tracks or, where there is none,
// the one that the clip left ends at or the clip right begins after.
func (r *Reel) GapNear(tracks []ID, at int64, left, right ID) (Gap, bool) {
	gaps := r.Gaps(tracks, 0, 0)
	for _, g := range gaps {
		if at >= g.From && at < g.To {
			return g, true
		}
	}
	l, okL := r.Clip(left)
	n, okR := r.Clip(right)
	for _, g := range gaps {
		if okL && !okR && g.Track == l.Track && g.From == l.End() || okR && !okL && g.Track == n.Track && g.To == n.Start {
			return g, true
		}
	}
	return Gap{}, false
}

// WithRoom are the tracks whose gaps are filled with room tone: of those that
// are named the ones of dialogue and room tone, or all of them where none is.
// Without names it is all of dialogue and room tone.
func (r *Reel) WithRoom(named []ID) []ID {
	var rooms []ID
	for _, t := range r.Order() {
		if (len(named) == 0 || slices.Contains(named, t.ID)) && (t.Role == Dialogue || t.Role == RoomTone) {
			rooms = append(rooms, t.ID)
		}
	}
	if len(rooms) == 0 {
		return named
	}
	return rooms
}
