package work

import (
	"context"

	"blendseam/core/reel"
	"blendseam/store"
)

// Patch takes a list of seams from one revision to a later one, so that those who
// have it need not read thousands of seams after an edit of two.
type Patch struct {
	From     int64        `json:"from"`     // the revision that it starts from; 0 where the list has to be read anew
	Revision int64        `json:"revision"` // that it leads to
	Length   int64        `json:"length"`   // of the reel, in samples
	Gone     []Pair       `json:"gone"`     // seams that are no longer there
	Now      []PlacedSeam `json:"now"`      // seams that are new or differ, with their places in the new list, in rising order
	Moves    []Move       `json:"moves"`    // seams that are only elsewhere
	Off      []OffSync    `json:"off"`      // sound that stands off its picture
}

// PlacedSeam is a seam at its place in the list.
type PlacedSeam struct {
	Place int `json:"place"`
	ListedSeam
}

// Move is a run of seams in the new list that lie so many samples later than before.
type Move struct {
	First int   `json:"first"`
	Last  int   `json:"last"`
	By    int64 `json:"by"`
}

// OffSync is a clip of sound that is not in step with its shot.
type OffSync struct {
	Clip  reel.ID `json:"clip"`
	By    int64   `json:"by" doc:"samples that it is late; negative where it is early"`
	Words string  `json:"words" doc:"the same in frames"`
}

// Off are the clips of a reel that are not in step with their shots.
func Off(r *reel.Reel) []OffSync {
	out := []OffSync{}
	for _, t := range r.Ties {
		if by := r.Off(t); by != 0 {
			out = append(out, OffSync{t.Clip, by, r.Props.Late(by)})
		}
	}
	return out
}

// Changed tells those who watch a reel what a new version of it means for its
// seams, and has them measured. It starts from the list that was told last:
// edits that come in a burst may be measured, or read, before they are told.
func (m *Measuring) Changed(v store.Version) {
	m.crew.Go(func(ctx context.Context) {
		m.patching.Lock()
		before, ok := m.told.Peek(v.ID)
		if !ok || before.revision < v.Revision {
			now := m.printed(v)
			p := Patch{Revision: v.Revision}
			accepted, err := m.reels.Accepted(ctx, v.ID)
			if err == nil && ok && before.limits == v.Reel.Props.Limits {
				p = m.patch(v, before, now, accepted)
			}
			m.told.Add(v.ID, now)
			m.news.Tell(v.ID, "seams", p)
		}
		m.patching.Unlock()
		m.Want(v)
	})
}

// patch compares the list of an earlier revision with that of a version. It
// starts from nothing where seams that stay have changed places.
func (m *Measuring) patch(v store.Version, before, now printed, accepted map[string]bool) Patch {
	p := Patch{From: before.revision, Revision: v.Revision, Length: v.Reel.Length(), Gone: []Pair{}, Now: []PlacedSeam{}, Moves: []Move{}, Off: Off(v.Reel)}
	was := make(map[Pair]int, len(before.seams))
	for i, s := range before.seams {
		was[Pair{s.Left, s.Right}] = i
	}
	last := -1
	for place, s := range now.seams {
		key := Pair{s.Left, s.Right}
		i, there := was[key]
		delete(was, key)
		by := int64(0)
		if there {
			by = s.At - before.seams[i].At
		}
		if !there || before.prints[key] != now.prints[key] || moved(before.seams[i], by) != s {
			p.Now = append(p.Now, PlacedSeam{place, m.listed(v, s, now.prints[key], accepted)})
			continue
		}
		if i < last {
			return Patch{Revision: v.Revision}
		}
		last = i
		if by == 0 {
			continue
		}
		if n := len(p.Moves); n > 0 && p.Moves[n-1].Last == place-1 && p.Moves[n-1].By == by {
			p.Moves[n-1].Last = place
		} else {
			p.Moves = append(p.Moves, Move{place, place, by})
		}
	}
	for key := range was {
		p.Gone = append(p.Gone, key)
	}
	return p
}

// moved is a seam so many samples later, with the picture cut that it belongs to.
func moved(s reel.Seam, by int64) reel.Seam {
	s.At += by
	if s.Cut.Left != 0 {
		s.Cut.At += by
	}
	return s
}
