package store

import (
	"context"
	"encoding/json"
	"slices"
	"strings"

	"blendseam/core/reel"
)

// writeChange brings the tables from the reel as it was to what the change
// leaves.
func writeChange(ctx context.Context, q querier, reelID int64, c reel.Change, before *reel.Reel) error {
	if c.Props != nil {
		p := c.Props.After
		limits, err := json.Marshal(p.Limits)
		if err != nil {
			return err
		}
		if _, err := q.ExecContext(ctx, "UPDATE reels SET name = ?, sample_rate = ?, fps_num = ?, fps_den = ?, fps_drop = ?, start_frame = ?, limits_json = ?, target_json = ? WHERE id = ?",
			p.Name, p.SampleRate, p.FrameRate.Num, p.FrameRate.Den, p.FrameRate.Drop, p.StartFrame, limits, jsonText[reel.Target]{&p.Target}, reelID); err != nil {
			return err
		}
	}
	// Runs of clips that move are told from those that stay by the rows as they
	// were: before anything else comes or goes.
	if err := writeShifts(ctx, q, reelID, c.Shifts, before.Clips); err != nil {
		return err
	}
	// What others point to is put before them, and goes after them.
	var writers []writer
	for _, k := range kinds {
		writers = append(writers, k.writer(c))
	}
	for _, w := range writers {
		if err := w.put(ctx, q, reelID); err != nil {
			return err
		}
	}
	for _, w := range slices.Backward(writers) {
		if err := w.remove(ctx, q, reelID); err != nil {
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
