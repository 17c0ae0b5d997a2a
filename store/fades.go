package store

import (
	"context"
	"slices"
	"strings"

	"blendseam/core/reel"
)

// fadeRow is the fade of one end of a clip.
type fadeRow struct {
	clip reel.ID
	side reel.End
	reel.Fade
}

var fades = table[fadeRow]{
	"fades", []string{"clip", "side", "length", "shape", "bend"},
	func(f fadeRow) []any { return []any{f.clip, f.side, f.Length, f.Shape, f.Bend} },
	func(f *fadeRow) []any { return []any{&f.clip, &f.side, &f.Length, &f.Shape, &f.Bend} },
}

// readFades gives the clips the fades that have a row.
func readFades(ctx context.Context, q querier, reelID int64, r *reel.Reel) error {
	ends, err := fades.read(ctx, q, reelID)
	if err != nil {
		return err
	}
	for i := range r.Clips {
		r.Clips[i].FadeIn, r.Clips[i].FadeOut = reel.NoFade, reel.NoFade
		for ; len(ends) > 0 && ends[0].clip <= r.Clips[i].ID; ends = ends[1:] {
			if ends[0].clip < r.Clips[i].ID {
				continue
			}
			if ends[0].side == reel.Head {
				r.Clips[i].FadeIn = ends[0].Fade
			} else {
				r.Clips[i].FadeOut = ends[0].Fade
			}
		}
	}
	return nil
}

// fadeWriter keeps a row for each fade that differs from no fade at all.
func fadeWriter(pairs []reel.Pair[reel.Clip]) writer {
	var there []fadeRow
	stale := map[reel.End][]reel.ID{}
	for _, p := range pairs {
		var was, is reel.Clip
		was.FadeIn, was.FadeOut, is.FadeIn, is.FadeOut = reel.NoFade, reel.NoFade, reel.NoFade, reel.NoFade
		if p.Before != nil {
			was = *p.Before
		}
		if p.After != nil {
			is = *p.After
		}
		for _, end := range []struct {
			side    reel.End
			was, is reel.Fade
		}{{reel.Head, was.FadeIn, is.FadeIn}, {reel.Tail, was.FadeOut, is.FadeOut}} {
			switch {
			case end.was == end.is:
			case end.is == reel.NoFade:
				stale[end.side] = append(stale[end.side], was.ID)
			default:
				there = append(there, fadeRow{is.ID, end.side, end.is})
			}
		}
	}
	return writer{
		func(ctx context.Context, q querier, reelID int64) error { return fades.put(ctx, q, reelID, there) },
		func(ctx context.Context, q querier, reelID int64) error {
			for side, ids := range stale {
				for part := range slices.Chunk(ids, batch) {
					args := []any{reelID, side}
					for _, id := range part {
						args = append(args, id)
					}
					if _, err := q.ExecContext(ctx, "DELETE FROM fades WHERE reel_id = ? AND side = ? AND clip IN (?"+strings.Repeat(", ?", len(part)-1)+")", args...); err != nil {
						return err
					}
				}
			}
			return nil
		},
	}
}
