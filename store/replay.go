package store

import (
	"cmp"
	"context"
	"fmt"
	"slices"

	"blendseam/core/reel"
)

// replayed is a reel as its journal tells it, from nothing.
type replayed struct {
	reel     *reel.Reel
	revision int64
	wrong    []string                // what does not follow from what was before
	sources  map[reel.ID]reel.Source // every source there ever was, as it was last
	props    bool                    // the journal tells the reel's own settings
}

// replay does every change of a reel's journal one after the other. A change
// that finds a thing otherwise than it was is done all the same: what it left
// was seen by who made it.
func replay(ctx context.Context, q querier, id int64) (replayed, error) {
	r := newReplayed()
	err := each(ctx, q, id, rows{}, func(e entry) error {
		r.do(e)
		return nil
	})
	return *r, err
}

func newReplayed() *replayed {
	return &replayed{reel: &reel.Reel{}, sources: map[reel.ID]reel.Source{}}
}

// do does one more step of a journal.
func (r *replayed) do(e entry) {
	if e.revision != r.revision+1 {
		r.wrong = append(r.wrong, fmt.Sprintf("the journal lacks revision %d", r.revision+1))
	}
	r.revision = e.revision
	if e.kind == "repair" {
		r.reel, r.wrong, r.props = &reel.Reel{NextID: r.reel.NextID}, nil, false
	}
	if p := e.change.Props; p != nil {
		if !r.props {
			r.reel.Props = *p.Before
		}
		r.props = true
	}
	for _, p := range e.change.Sources {
		if p.After != nil {
			r.sources[p.After.ID] = *p.After
		} else if _, ok := r.sources[p.Before.ID]; !ok {
			r.sources[p.Before.ID] = *p.Before
		}
	}
	next, err := e.change.Apply(r.reel)
	if err != nil {
		r.wrong = append(r.wrong, fmt.Sprintf("step %d (“%s”) does not follow from the one before: %v", e.revision, e.label, err))
		next = force(r.reel, e.change)
	}
	next.NextID = max(next.NextID, r.reel.NextID)
	r.reel = next
}

// force does a change whether or not it finds things as they were.
func force(r *reel.Reel, c reel.Change) *reel.Reel {
	out := *r
	if c.Props != nil {
		out.Props = *c.Props.After
	}
	out.Tracks = forced(r.Tracks, c.Tracks, func(t reel.Track) reel.ID { return t.ID })
	out.Sources = forced(r.Sources, c.Sources, func(s reel.Source) reel.ID { return s.ID })
	out.Clips = forced(r.Clips, c.Clips, func(c reel.Clip) reel.ID { return c.ID })
	out.Blends = forced(r.Blends, c.Blends, func(b reel.Blend) reel.ID { return b.ID })
	out.Strikes = forced(r.Strikes, c.Strikes, func(s reel.Strike) reel.ID { return s.ID })
	out.Points = forced(r.Points, c.Points, func(p reel.Point) reel.ID { return p.ID })
	out.Treatments = forced(r.Treatments, c.Treatments, func(t reel.Treatment) reel.ID { return t.ID })
	out.Swatches = forced(r.Swatches, c.Swatches, func(s reel.Swatch) reel.ID { return s.ID })
	out.Markers = forced(r.Markers, c.Markers, func(m reel.Marker) reel.ID { return m.ID })
	out.Ties = forced(r.Ties, c.Ties, func(t reel.Tie) reel.ID { return t.ID })
	out.Clips = slices.Clone(out.Clips)
	for _, s := range c.Shifts {
		for i := range out.Clips {
			if _, moved := slices.BinarySearch(s.Clips, out.Clips[i].ID); moved {
				out.Clips[i].Start += s.By
			}
		}
	}
	return &out
}

func forced[T any](things []T, pairs []reel.Pair[T], id func(T) reel.ID) []T {
	by := map[reel.ID]T{}
	for _, t := range things {
		by[id(t)] = t
	}
	for _, p := range pairs {
		if p.After != nil {
			by[id(*p.After)] = *p.After
		} else {
			delete(by, id(*p.Before))
		}
	}
	var out []T
	for _, t := range by {
		out = append(out, t)
	}
	slices.SortFunc(out, func(a, b T) int { return cmp.Compare(id(a), id(b)) })
	return out
}

// completed is a reel to which the sources are given back that its clips,
// covers and swatches need and that were there once.
func (r replayed) completed(doc *reel.Reel) *reel.Reel {
	need := map[reel.ID]bool{}
	for _, c := range doc.Clips {
		need[c.Source] = true
	}
	for _, s := range doc.Strikes {
		need[s.Cover.Source] = true
	}
	for _, s := range doc.Swatches {
		need[s.Source] = true
	}
	out := *doc
	out.Sources = slices.Clone(doc.Sources)
	for id := range need {
		if _, there := doc.Source(id); there {
			continue
		}
		if src, once := r.sources[id]; once {
			out.Sources = append(out.Sources, src)
		}
	}
	slices.SortFunc(out.Sources, func(a, b reel.Source) int { return cmp.Compare(a.ID, b.ID) })
	for _, id := range []reel.ID{lastID(out.Tracks, func(t reel.Track) reel.ID { return t.ID }), lastID(out.Sources, func(s reel.Source) reel.ID { return s.ID }), lastID(out.Clips, func(c reel.Clip) reel.ID { return c.ID })} {
		out.NextID = max(out.NextID, id+1)
	}
	return &out
}

func lastID[T any](things []T, id func(T) reel.ID) reel.ID {
	if len(things) == 0 {
		return 0
	}
	return id(things[len(things)-1])
}
