package reel

import "fmt"

// Later says what the clips after an edit do when it changes a length.
type Later string

const (
	// Stay keeps later clips where they are: a gap opens, or free space is taken.
	Stay Later = "stay"
	// Follow moves later clips with the edit, on its own tracks and on every
	// other that is neither locked nor set to stay.
	Follow Later = "follow"
	// FollowTrack moves later clips on the tracks of the edit alone.
	FollowTrack Later = "followTrack"
)

func (l Later) check() error {
	switch l {
	case "", Stay, Follow, FollowTrack:
		return nil
	}
	return fmt.Errorf("later clips stay, follow or followTrack; %q is none of them", string(l))
}

func (l Later) follows() bool { return l == Follow || l == FollowTrack }

// followers are the clips that move when time is taken out or put in.
type followers struct {
	at   []int  // their places in Reel.Clips
	room int64  // how far earlier they can go on the tracks besides the edit's own
	why  string // what stands before them
	last int64  // end of the last of them
	held string // a locked track that keeps its time, by name
	from int64  // markers from here on go along, −1 for none
}

// followers finds what follows: clips on the edit's own tracks that begin at
// or after the place given for the track, and on others at or after from.
func (r *Reel) followers(later Later, own map[ID]int64, from int64) followers {
	f := followers{room: r.day(), from: -1}
	if !later.follows() {
		return f
	}
	if later == Follow {
		f.from = from
	}
	type lane struct {
		from          int64 // what begins here or later goes along
		mine, locked  bool
		first, stop   int64
		before, after *Clip
	}
	lanes := make(map[ID]*lane, len(r.Tracks))
	for _, t := range r.Tracks {
		if place, mine := own[t.ID]; mine {
			lanes[t.ID] = &lane{from: place, mine: true, first: -1}
		} else if later == Follow && !t.Stays {
			lanes[t.ID] = &lane{from: from, locked: t.Locked, first: -1}
		}
	}
	for i := range r.Clips {
		c := &r.Clips[i]
		l := lanes[c.Track]
		switch {
		case l == nil:
		case l.locked && c.Start >= l.from:
			t, _ := r.Track(c.Track)
			f.held = t.Name
		case l.locked:
		case c.Start >= l.from:
			f.at = append(f.at, i)
			f.last = max(f.last, c.End())
			if l.first < 0 || c.Start < l.first {
				l.first, l.after = c.Start, c
			}
		case c.End() > l.stop:
			l.stop, l.before = c.End(), c
		}
	}
	for id, l := range lanes {
		if l.mine || l.first < 0 || l.first-l.stop >= f.room {
			continue
		}
		t, _ := r.Track(id)
		f.room = l.first - l.stop
		switch {
		case l.before == nil:
			f.why = fmt.Sprintf("“%s” on %s would follow to before the reel's start.", l.after.Name, t.Name)
		case f.room == 0:
			f.why = fmt.Sprintf("“%s” on %s would follow, but “%s” is right before it.", l.after.Name, t.Name, l.before.Name)
		default:
			f.why = fmt.Sprintf("“%s” on %s would follow, but “%s” is %s before it.", l.after.Name, t.Name, l.before.Name, r.Props.distance(f.room))
		}
	}
	return f
}

// move shifts the followers in out, whose clips are a copy of those that the
// followers were found among.
func (f followers) move(out *Reel, by int64) {
	if by == 0 {
		return
	}
	for _, i := range f.at {
		out.Clips[i].Start += by
	}
	if f.from < 0 {
		return
	}
	moved := false
	for _, m := range out.Markers {
		moved = moved || m.At >= f.from || m.At > f.from+by
	}
	if !moved {
		return
	}
	out.Markers = append([]Marker(nil), out.Markers...)
	for i, m := range out.Markers {
		switch {
		case m.At >= f.from:
			out.Markers[i].At += by
		case m.At > f.from+by: // it stood in the time that is taken out
			out.Markers[i].At = f.from + by
		}
		out.Markers[i].At = min(max(out.Markers[i].At, 0), out.day())
	}
}

// say tells what follows and by how much.
func (f followers) say(p Props, by int64) []string {
	var out []string
	if n := len(f.at); by != 0 && n > 0 {
		out = append(out, fmt.Sprintf("%s %s %s", count(n, "later clip"), plural(n, "follows", "follow"), p.shift(by)))
	}
	if f.held != "" && by != 0 {
		out = append(out, f.held+" is locked and keeps its time")
	}
	return out
}

// blocked is the refusal of a closing that other tracks have no room for; the
// edit's own tracks alone could close.
func (f followers) blocked(p Props, alone Edit) *Refusal {
	no := refuse("%s", f.why)
	no.Limit = f.room
	no.Possible = "Close up on this track alone, or set that track to stay."
	if f.room > 0 {
		no.Possible = fmt.Sprintf("All tracks together can close %s. %s", p.distance(f.room), no.Possible)
	}
	no.Offer = alone
	return no
}
