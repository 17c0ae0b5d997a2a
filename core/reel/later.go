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
	type lane struct{ first, stop int64 }
	lanes := map[ID]*lane{}
	before, after := map[ID]string{}, map[ID]string{}
	for i, c := range r.Clips {
		place, mine := own[c.Track]
		if !mine {
			place = from
			t, _ := r.Track(c.Track)
			if later != Follow || t.Stays {
				continue
			}
			if t.Locked {
				if c.Start >= from {
					f.held = t.Name
				}
				continue
			}
		}
		l := lanes[c.Track]
		if l == nil {
			l = &lane{first: -1}
			lanes[c.Track] = l
		}
		if c.Start >= place {
			f.at = append(f.at, i)
			f.last = max(f.last, c.End())
			if l.first < 0 || c.Start < l.first {
				l.first, after[c.Track] = c.Start, c.Name
			}
		} else if c.End() > l.stop {
			l.stop, before[c.Track] = c.End(), c.Name
		}
	}
	for id, l := range lanes {
		if _, mine := own[id]; mine || l.first < 0 || l.first-l.stop >= f.room {
			continue
		}
		t, _ := r.Track(id)
		f.room = l.first - l.stop
		if before[id] == "" {
			f.why = fmt.Sprintf("“%s” on %s would follow to before the reel's start.", after[id], t.Name)
		} else {
			f.why = fmt.Sprintf("“%s” on %s would follow, but “%s” lies %s before it.", after[id], t.Name, before[id], r.Props.distance(f.room))
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
