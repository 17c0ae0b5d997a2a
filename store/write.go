package store

import (
	"context"
	"encoding/json"
	"slices"
	"strings"

	"blendseam/core/reel"
)

// writer writes the rows of one kind of thing to what a change leaves.
type writer struct {
	put, remove func(context.Context, querier, int64) error
}

func writerOf[T any](t table[T], pairs []reel.Pair[T], id func(T) reel.ID) writer {
	var gone []reel.ID
	var there []T
	for _, p := range pairs {
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
}

// writeChange brings the tables from the reel as it was to what the change
// leaves.
func writeChange(ctx context.Context, q querier, reelID int64, c reel.Change, before *reel.Reel) error {
	if c.Props != nil {
		p := c.Props.After
		limits, err := json.Marshal(p.Limits)
		if err != nil {
			return err
		}
		if _, err := q.ExecContext(ctx, "UPDATE reels SET name = ?, sample_rate = ?, fps_num = ?, fps_den = ?, fps_drop = ?, start_frame = ?, limits_json = ? WHERE id = ?",
			p.Name, p.SampleRate, p.FrameRate.Num, p.FrameRate.Den, p.FrameRate.Drop, p.StartFrame, limits, reelID); err != nil {
			return err
		}
	}
	// Runs of clips that move are told from those that stay by the rows as they
	// were: before anything else comes or goes.
	if err := writeShifts(ctx, q, reelID, c.Shifts, before.Clips); err != nil {
		return err
	}
	// What others point to is put before them, and goes after them.
	kinds := []writer{
		writerOf(tracks, c.Tracks, func(t reel.Track) reel.ID { return t.ID }),
		writerOf(sources, c.Sources, func(s reel.Source) reel.ID { return s.ID }),
		writerOf(clips, c.Clips, func(c reel.Clip) reel.ID { return c.ID }),
		fadeWriter(c.Clips),
		writerOf(strikes, c.Strikes, func(s reel.Strike) reel.ID { return s.ID }),
		writerOf(swatches, c.Swatches, func(s reel.Swatch) reel.ID { return s.ID }),
		writerOf(markers, c.Markers, func(m reel.Marker) reel.ID { return m.ID }),
		writerOf(ties, c.Ties, func(t reel.Tie) reel.ID { return t.ID }),
		writerOf(blends, c.Blends, func(b reel.Blend) reel.ID { return b.ID }),
	}
	for _, k := range kinds {
		if err := k.put(ctx, q, reelID); err != nil {
			return err
		}
	}
	for _, k := range slices.Backward(kinds) {
		if err := k.remove(ctx, q, reelID); err != nil {
			return err
		}
	}
	return nil
}

// writeShifts moves clips that change in nothing but their start. Clips that
// follow one another by id, with none between them that stays, are named by
// the first and the last of them.
func writeShifts(ctx context.Context, q querier, reelID int64, shifts []reel.Shift, before []reel.Clip) error {
	for _, s := range shifts {
		for part := range slices.Chunk(runs(s.Clips, before), batch) {
			args := []any{s.By, reelID}
			for _, r := range part {
				args = append(args, r.first, r.last)
			}
			where := "id BETWEEN ? AND ?" + strings.Repeat(" OR id BETWEEN ? AND ?", len(part)-1)
			if _, err := q.ExecContext(ctx, "UPDATE clips SET start = start + ? WHERE reel_id = ? AND ("+where+")", args...); err != nil {
				return err
			}
		}
	}
	return nil
}

type run struct{ first, last reel.ID }

// runs are the stretches of clips, both by rising id, in which each is moved.
func runs(moved []reel.ID, clips []reel.Clip) []run {
	var out []run
	going := false
	for _, c := range clips {
		if len(moved) == 0 {
			break
		}
		if c.ID != moved[0] {
			going = false
			continue
		}
		if !going {
			out = append(out, run{c.ID, c.ID})
		}
		out[len(out)-1].last, going = c.ID, true
		moved = moved[1:]
	}
	return out
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
