package reel

import (
	"fmt"
	"slices"
)

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
func (e *RemoveSpan) Apply(r *Reel) (*Done, error) {
	tracks, hit, err := r.marked(e.From, e.To, e.Tracks, e.Later)
	if err != nil {
		return nil, err
	}
	if len(hit) == 0 && !e.Later.follows() {
		return nil, refuse("No clips in the span on the active tracks.")
	}
	out := r.emptied(tracks, stretch{e.From, e.To})
	o := Outcome{Label: fmt.Sprintf("remove %s of %s", r.Props.distance(e.To-e.From), r.trackNames(e.Tracks))}
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
		no := refuse("A span starts in the reel and ends after its start.")
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
func (e *KeepSpan) Apply(r *Reel) (*Done, error) {
	tracks, hit, err := r.marked(e.From, e.To, e.Tracks, e.Later)
	if err != nil {
		return nil, err
	}
	if len(hit) == 0 {
		return nil, refuse("No clips in the span on the active tracks.")
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
		return nil, refuse("The clips in the span are wholly inside it: nothing to remove.")
	}
	o := Outcome{Label: "keep only " + r.Props.distance(e.To-e.From) + " of " + both(hit)}
	return r.takenOut(&out, o, e.Later, tracks, taken, func(l Later) Edit { other := *e; other.Later = l; return &other })
}
