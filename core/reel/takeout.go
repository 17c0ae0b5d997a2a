package reel

import (
	"cmp"
	"fmt"
	"slices"
)

// Remove takes clips off their tracks. The gap stays, or later clips follow
// and close it.
type Remove struct {
	Clips []ID  `json:"clips"`
	Later Later `json:"later,omitempty"`
	Tied  bool  `json:"tied,omitempty"` // what is tied to them goes too
}

// Names implements Edit.
func (e *Remove) Names() []ID { return e.Clips }

// Apply implements Edit.
func (e *Remove) Apply(r *Reel) (*Done, error) {
	clips, err := r.named(r.through(e.Clips, e.Tied))
	if err == nil {
		err = invalid(e.Later.check())
	}
	if err != nil {
		return nil, err
	}
	out := *r
	gone := idSet(ids(clips))
	out.Clips = slices.DeleteFunc(slices.Clone(r.Clips), func(c Clip) bool { return gone[c.ID] })
	tracks := map[ID]bool{}
	var taken []stretch
	for _, c := range clips {
		tracks[c.Track] = true
		taken = append(taken, stretch{c.Start, c.End()})
	}
	o := Outcome{Label: "remove " + both(clips)}
	return r.takenOut(&out, o, e.Later, tracks, taken, func(l Later) Edit { other := *e; other.Later = l; return &other })
}

// stretch is a stretch of time, [from, to).
type stretch struct{ from, to int64 }

// merged are the stretches by time, those that touch made one.
func merged(s []stretch) []stretch {
	s = slices.Clone(s)
	slices.SortFunc(s, func(a, b stretch) int { return cmp.Compare(a.from, b.from) })
	var out []stretch
	for _, x := range s {
		if n := len(out); n > 0 && x.from <= out[n-1].to {
			out[n-1].to = max(out[n-1].to, x.to)
		} else {
			out = append(out, x)
		}
	}
	return out
}

// takenOut ends an edit that emptied stretches of tracks: later clips stay, or
// follow and close them. When they cannot, the first of the other ways that
// works is offered.
func (r *Reel) takenOut(out *Reel, o Outcome, later Later, tracks map[ID]bool, taken []stretch, with func(Later) Edit) (*Done, error) {
	if !later.follows() {
		for _, s := range taken {
			o.Says = append(o.Says, r.Props.distance(s.to-s.from)+" removed")
			break
		}
		r.tellEmptied(out, &o, tracks, taken)
		return r.finish(out, o)
	}
	taken = merged(taken)
	var total int64
	moved := 0
	for i := len(taken) - 1; i >= 0; i-- {
		s := taken[i]
		f, no := out.close(later, tracks, s)
		if no != nil {
			others := []Later{Stay}
			if later == Follow {
				others = []Later{FollowTrack, Stay}
			}
			for _, l := range others {
				if _, err := with(l).Apply(r); err == nil {
					no.Offer = with(l)
					break
				}
			}
			return nil, no
		}
		total += s.to - s.from
		moved = max(moved, len(f.at))
	}
	o.Label += " and close up"
	o.Says = append(o.Says, r.Props.distance(total)+" removed and closed")
	if moved > 0 {
		o.Says = append(o.Says, fmt.Sprintf("%s %s %s earlier", count(moved, "later clip"), plural(moved, "follows", "follow"), r.Props.distance(total)))
	}
	done, err := r.finish(out, o)
	return orWhole(r, done, err, later, with(FollowTrack), with(Stay))
}

// close takes a stretch of time out of the tracks that follow, when nothing
// lies in it there. The slices of r are its own afterwards.
func (r *Reel) close(later Later, tracks map[ID]bool, s stretch) (followers, *Refusal) {
	own := map[ID]int64{}
	for id := range tracks {
		own[id] = s.to
	}
	f := r.followers(later, own, s.to)
	n := s.to - s.from
	for _, c := range r.Clips {
		if tracks[c.Track] && c.Start < s.to && c.End() > s.from {
			t, _ := r.Track(c.Track)
			no := refuse("“%s” on %s is in the time that would close.", c.Name, t.Name)
			no.Possible = "Remove it too, or close the gap on one track only."
			return f, no
		}
	}
	if f.room < n {
		no := f.blocked(r.Props, nil)
		return f, no
	}
	r.Clips = slices.Clone(r.Clips)
	f.move(r, -n)
	return f, nil
}

// tellEmptied adds the gaps to the outcome that taking stretches out leaves
// between clips.
func (r *Reel) tellEmptied(out *Reel, o *Outcome, tracks map[ID]bool, taken []stretch) {
	lanes := out.Lanes()
	for _, t := range out.Order() {
		lane := lanes[t.ID]
		if !tracks[t.ID] {
			continue
		}
		for i := 1; i < len(lane); i++ {
			g := Gap{t.ID, lane[i-1].End(), lane[i].Start}
			if g.From < g.To && slices.ContainsFunc(taken, func(s stretch) bool { return s.from < g.To && s.to > g.From }) {
				o.Opens = append(o.Opens, g)
			}
		}
	}
}

func idSet(ids []ID) map[ID]bool {
	out := make(map[ID]bool, len(ids))
	for _, id := range ids {
		out[id] = true
	}
	return out
}
