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
}

// Names implements Edit.
func (e *Remove) Names() []ID { return e.Clips }

// Apply implements Edit.
func (e *Remove) Apply(r *Reel) (*Reel, Outcome, error) {
	clips, err := r.named(e.Clips)
	if err == nil {
		err = invalid(e.Later.check())
	}
	if err != nil {
		return nil, Outcome{}, err
	}
	out := *r
	gone := idSet(e.Clips)
	out.Clips = slices.DeleteFunc(slices.Clone(r.Clips), func(c Clip) bool { return gone[c.ID] })
	tracks := map[ID]bool{}
	var taken []stretch
	for _, c := range clips {
		tracks[c.Track] = true
		taken = append(taken, stretch{c.Start, c.End()})
	}
	o := Outcome{Label: "take out " + both(clips)}
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
func (r *Reel) takenOut(out *Reel, o Outcome, later Later, tracks map[ID]bool, taken []stretch, with func(Later) Edit) (*Reel, Outcome, error) {
	if !later.follows() {
		for _, s := range taken {
			o.Says = append(o.Says, r.Props.distance(s.to-s.from)+" taken out")
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
				if _, _, err := with(l).Apply(r); err == nil {
					no.Offer = with(l)
					break
				}
			}
			return nil, Outcome{}, no
		}
		total += s.to - s.from
		moved = max(moved, len(f.at))
	}
	o.Label += " and close up"
	o.Says = append(o.Says, r.Props.distance(total)+" taken out and closed")
	if moved > 0 {
		o.Says = append(o.Says, fmt.Sprintf("%s %s %s earlier", count(moved, "later clip"), plural(moved, "follows", "follow"), r.Props.distance(total)))
	}
	return r.finish(out, o)
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
			no := refuse("“%s” on %s lies in the time that would close.", c.Name, t.Name)
			no.Possible = "Take it out too, or close up on one track alone."
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
	lanes := out.lanes()
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

// RemoveSpan takes a stretch of time out of tracks, through the middle of
// clips where they run across its ends.
type RemoveSpan struct {
	From   int64 `json:"from"`
	To     int64 `json:"to"`
	Tracks []ID  `json:"tracks"`
	Later  Later `json:"later,omitempty"`
}

// Names implements Edit.
func (e *RemoveSpan) Names() []ID { return e.Tracks }

// On implements Timed.
func (e *RemoveSpan) On() []ID { return e.Tracks }

// Apply implements Edit.
func (e *RemoveSpan) Apply(r *Reel) (*Reel, Outcome, error) {
	tracks, hit, err := r.marked(e.From, e.To, e.Tracks, e.Later)
	if err != nil {
		return nil, Outcome{}, err
	}
	if len(hit) == 0 && !e.Later.follows() {
		return nil, Outcome{}, refuse("Nothing lies in the span on the chosen tracks.")
	}
	out := r.emptied(tracks, stretch{e.From, e.To})
	o := Outcome{Label: fmt.Sprintf("take %s out of %s", r.Props.distance(e.To-e.From), r.trackNames(e.Tracks))}
	return r.takenOut(out, o, e.Later, tracks, []stretch{{e.From, e.To}}, func(l Later) Edit { other := *e; other.Later = l; return &other })
}

// marked are the tracks of a span and the clips that sound in it there, when
// they can be edited.
func (r *Reel) marked(from, to int64, ids []ID, later Later) (map[ID]bool, []Clip, error) {
	tracks, err := r.opened(ids)
	if err == nil {
		err = invalid(later.check())
	}
	if err == nil {
		err = r.inReel(from, to)
	}
	if err != nil {
		return nil, nil, err
	}
	return tracks, r.under(from, to, tracks), nil
}

// inReel refuses a span that is empty or lies outside the reel.
func (r *Reel) inReel(from, to int64) error {
	if from < 0 || to <= from || to > r.day() {
		no := refuse("A span begins in the reel and ends after it begins.")
		no.Possible = "Drag along a wave to mark one, or set its ends at the playhead."
		return no
	}
	return nil
}

// under are the clips of tracks that sound in a span.
func (r *Reel) under(from, to int64, tracks map[ID]bool) []Clip {
	var out []Clip
	for _, c := range r.Clips {
		if tracks[c.Track] && c.Start < to && c.End() > from {
			out = append(out, c)
		}
	}
	return out
}

// emptied is the reel without what the tracks hold in a stretch. Its slices
// are its own.
func (r *Reel) emptied(tracks map[ID]bool, s stretch) *Reel {
	out := *r
	out.Clips, out.Blends = slices.Clone(r.Clips), slices.Clone(r.Blends)
	for _, c := range r.under(s.from, s.to, tracks) {
		i, _ := find(out.Clips, c.ID)
		switch {
		case c.Start < s.from && c.End() > s.to:
			right, _ := find(out.Clips, out.cut(c.ID, s.from))
			out.Clips[right] = trimmed(out.Clips[right], Head, s.to-s.from)
		case c.Start < s.from:
			out.Clips[i] = trimmed(c, Tail, s.from-c.End())
		case c.End() > s.to:
			out.Clips[i] = trimmed(c, Head, s.to-c.Start)
		default:
			out.Clips = slices.Delete(out.Clips, i, i+1)
		}
	}
	return &out
}

func (r *Reel) trackNames(ids []ID) string {
	if len(ids) == 1 {
		t, _ := r.Track(ids[0])
		return t.Name
	}
	return count(len(ids), "track")
}

// KeepSpan trims the clips that sound in a span down to what lies in it.
type KeepSpan struct {
	From   int64 `json:"from"`
	To     int64 `json:"to"`
	Tracks []ID  `json:"tracks"`
	Later  Later `json:"later,omitempty"`
}

// Names implements Edit.
func (e *KeepSpan) Names() []ID { return e.Tracks }

// On implements Timed.
func (e *KeepSpan) On() []ID { return e.Tracks }

// Apply implements Edit.
func (e *KeepSpan) Apply(r *Reel) (*Reel, Outcome, error) {
	tracks, hit, err := r.marked(e.From, e.To, e.Tracks, e.Later)
	if err != nil {
		return nil, Outcome{}, err
	}
	if len(hit) == 0 {
		return nil, Outcome{}, refuse("Nothing lies in the span on the chosen tracks.")
	}
	out := *r
	out.Clips = slices.Clone(r.Clips)
	var taken []stretch
	for _, c := range hit {
		i, _ := find(out.Clips, c.ID)
		if c.End() > e.To {
			taken = append(taken, stretch{e.To, c.End()})
			out.Clips[i] = trimmed(out.Clips[i], Tail, e.To-c.End())
		}
		if c.Start < e.From {
			taken = append(taken, stretch{c.Start, e.From})
			out.Clips[i] = trimmed(out.Clips[i], Head, e.From-c.Start)
		}
	}
	if len(taken) == 0 {
		return nil, Outcome{}, refuse("What sounds in the span lies wholly inside it; there is nothing to take off.")
	}
	o := Outcome{Label: "keep only " + r.Props.distance(e.To-e.From) + " of " + both(hit)}
	return r.takenOut(&out, o, e.Later, tracks, taken, func(l Later) Edit { other := *e; other.Later = l; return &other })
}
