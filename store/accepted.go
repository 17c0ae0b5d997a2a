package store

import (
	"context"
	"time"

	"blendseam/core/reel"
)

// Accepted are the prints of a reel's seams that were heard and found good.
// A seam whose surroundings change has another print, and gets its own back
// when they do.
func (s *Store) Accepted(ctx context.Context, id int64) (out map[string]bool, err error) {
	defer s.guard(&ctx, &err)()
	rows, err := s.db.QueryContext(ctx, "SELECT print FROM accepted WHERE reel_id = ?", id)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	out = map[string]bool{}
	for rows.Next() {
		var print string
		if err := rows.Scan(&print); err != nil {
			return nil, err
		}
		out[print] = true
	}
	return out, rows.Err()
}

// Accept marks a seam as it sounds now, or takes the mark off.
func (s *Store) Accept(ctx context.Context, id int64, print string, good bool) (err error) {
	defer s.guard(&ctx, &err)()
	if !good {
		_, err := s.db.ExecContext(ctx, "DELETE FROM accepted WHERE reel_id = ? AND print = ?", id, print)
		return err
	}
	_, err = s.db.ExecContext(ctx, "INSERT IGNORE INTO accepted (reel_id, print, made_at) SELECT id, ?, ? FROM reels WHERE id = ?", print, time.Now().UTC(), id)
	return err
}

// BeforeLast is a reel as it was before its newest step that stands, and the
// name of that step, to compare; ErrNothing when there is none.
func (s *Store) BeforeLast(ctx context.Context, id int64) (out *reel.Reel, step string, err error) {
	defer s.guard(&ctx, &err)()
	v, err := s.Load(ctx, id)
	if err != nil {
		return nil, "", err
	}
	err = each(ctx, s.db, id, rows{where: "kind = 'step' AND state = 'done'", desc: true, limit: 1}, func(e entry) (err error) {
		step = e.label
		if out, err = e.change.Invert().Apply(v.Reel); err != nil {
			out, err = nil, nil // there is no way back to compare with
		}
		return err
	})
	if err == nil && out == nil {
		err = ErrNothing
	}
	return out, step, err
}
