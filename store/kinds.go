package store

import (
	"context"
	"slices"

	"blendseam/core/reel"
)

// kind is one kind of thing of a reel as the database keeps it.
type kind struct {
	table  string
	read   func(context.Context, querier, int64, *reel.Reel) error
	writer func(reel.Change) writer
}

// writer writes the rows of one kind of thing to what a change leaves.
type writer struct {
	put, remove func(context.Context, querier, int64) error
}

// kinds are in the order in which they come to be: what others point to first.
// A new kind of thing is one entry here, with its table in rows.go and a step
// of migration.
var kinds = []kind{
	kindOf(tracks, func(r *reel.Reel) *[]reel.Track { return &r.Tracks }, func(c reel.Change) []reel.Pair[reel.Track] { return c.Tracks }, func(t reel.Track) reel.ID { return t.ID }),
	kindOf(sources, func(r *reel.Reel) *[]reel.Source { return &r.Sources }, func(c reel.Change) []reel.Pair[reel.Source] { return c.Sources }, func(s reel.Source) reel.ID { return s.ID }),
	kindOf(clips, func(r *reel.Reel) *[]reel.Clip { return &r.Clips }, func(c reel.Change) []reel.Pair[reel.Clip] { return c.Clips }, func(c reel.Clip) reel.ID { return c.ID }),
	{fades.name, readFades, func(c reel.Change) writer { return fadeWriter(c.Clips) }},
	kindOf(strikes, func(r *reel.Reel) *[]reel.Strike { return &r.Strikes }, func(c reel.Change) []reel.Pair[reel.Strike] { return c.Strikes }, func(s reel.Strike) reel.ID { return s.ID }),
	kindOf(points, func(r *reel.Reel) *[]reel.Point { return &r.Points }, func(c reel.Change) []reel.Pair[reel.Point] { return c.Points }, func(p reel.Point) reel.ID { return p.ID }),
	kindOf(treatments, func(r *reel.Reel) *[]reel.Treatment { return &r.Treatments }, func(c reel.Change) []reel.Pair[reel.Treatment] { return c.Treatments }, func(t reel.Treatment) reel.ID { return t.ID }),
	kindOf(swatches, func(r *reel.Reel) *[]reel.Swatch { return &r.Swatches }, func(c reel.Change) []reel.Pair[reel.Swatch] { return c.Swatches }, func(s reel.Swatch) reel.ID { return s.ID }),
	kindOf(markers, func(r *reel.Reel) *[]reel.Marker { return &r.Markers }, func(c reel.Change) []reel.Pair[reel.Marker] { return c.Markers }, func(m reel.Marker) reel.ID { return m.ID }),
	kindOf(ties, func(r *reel.Reel) *[]reel.Tie { return &r.Ties }, func(c reel.Change) []reel.Pair[reel.Tie] { return c.Ties }, func(t reel.Tie) reel.ID { return t.ID }),
	kindOf(blends, func(r *reel.Reel) *[]reel.Blend { return &r.Blends }, func(c reel.Change) []reel.Pair[reel.Blend] { return c.Blends }, func(b reel.Blend) reel.ID { return b.ID }),
}

func kindOf[T any](t table[T], of func(*reel.Reel) *[]T, in func(reel.Change) []reel.Pair[T], id func(T) reel.ID) kind {
	return kind{
		table: t.name,
		read: func(ctx context.Context, q querier, reelID int64, r *reel.Reel) (err error) {
			*of(r), err = t.read(ctx, q, reelID)
			return err
		},
		writer: func(c reel.Change) writer {
			var gone []reel.ID
			var there []T
			for _, p := range in(c) {
				if p.After == nil {
					gone = append(gone, id(*p.Before))
				} else {
					there = append(there, *p.After)
				}
			}
			return writer{
				func(ctx context.Context, q querier, reelID int64) error { return t.put(ctx, q, reelID, there) },
				func(ctx context.Context, q querier, reelID int64) error { return t.remove(ctx, q, reelID, gone) },
			}
		},
	}
}

// clearTables takes all things of a reel out of the tables.
func clearTables(ctx context.Context, q querier, reelID int64) error {
	for _, k := range slices.Backward(kinds) {
		if _, err := q.ExecContext(ctx, "DELETE FROM "+k.table+" WHERE reel_id = ?", reelID); err != nil {
			return err
		}
	}
	return nil
}
