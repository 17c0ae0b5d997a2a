package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"time"

	"blendseam/core/reel"
)

// Entry is a reel on the shelf.
type Entry struct {
	ID        int64      `json:"id"`
	Props     reel.Props `json:"props"`
	Revision  int64      `json:"revision"`
	Length    int64      `json:"length"` // samples
	Tracks    int        `json:"tracks"`
	Clips     int        `json:"clips"`
	Blends    int        `json:"blends"`
	MadeAt    time.Time  `json:"madeAt"`
	ChangedAt time.Time  `json:"changedAt"`
	RemovedAt *time.Time `json:"removedAt,omitempty"`
}

// Shelf lists the reels, the last changed first: those that are there, or
// those that were removed.
func (s *Store) Shelf(ctx context.Context, removed bool) ([]Entry, error) {
	where := "r.removed_at IS NULL"
	if removed {
		where = "r.removed_at IS NOT NULL"
	}
	rows, err := s.db.QueryContext(ctx, `SELECT r.id, r.name, r.sample_rate, r.fps_num, r.fps_den, r.fps_drop, r.start_frame, r.revision, r.made_at, r.changed_at, r.removed_at,
		(SELECT COUNT(*) FROM tracks t WHERE t.reel_id = r.id),
		(SELECT COUNT(*) FROM clips c WHERE c.reel_id = r.id),
		(SELECT COUNT(*) FROM blends b WHERE b.reel_id = r.id),
		(SELECT COALESCE(MAX(c.start + c.length), 0) FROM clips c WHERE c.reel_id = r.id)
		FROM reels r WHERE `+where+` ORDER BY r.changed_at DESC, r.id DESC LIMIT 1000`)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	out := []Entry{}
	for rows.Next() {
		var e Entry
		p := &e.Props
		if err := rows.Scan(&e.ID, &p.Name, &p.SampleRate, &p.FrameRate.Num, &p.FrameRate.Den, &p.FrameRate.Drop, &p.StartFrame, &e.Revision,
			&e.MadeAt, &e.ChangedAt, &e.RemovedAt, &e.Tracks, &e.Clips, &e.Blends, &e.Length); err != nil {
			return nil, err
		}
		out = append(out, e)
	}
	return out, rows.Err()
}

// Create makes a reel from a document and returns its id. The document becomes
// the reel's first revision; a reel that begins empty has none to undo.
func (s *Store) Create(ctx context.Context, r *reel.Reel) (int64, error) {
	if err := r.Check(); err != nil {
		return 0, err
	}
	tx, err := s.db.BeginTx(ctx, nil)
	if err != nil {
		return 0, err
	}
	defer tx.Rollback()
	now, p := time.Now().UTC(), r.Props
	limits, err := json.Marshal(p.Limits)
	if err != nil {
		return 0, err
	}
	res, err := tx.ExecContext(ctx, "INSERT INTO reels (name, sample_rate, fps_num, fps_den, fps_drop, start_frame, limits_json, next_id, revision, made_at, changed_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, 1, ?, ?)",
		p.Name, p.SampleRate, p.FrameRate.Num, p.FrameRate.Den, p.FrameRate.Drop, p.StartFrame, limits, r.NextID, now, now)
	if err != nil {
		return 0, err
	}
	id, err := res.LastInsertId()
	if err != nil {
		return 0, err
	}
	empty := &reel.Reel{Props: p}
	change := reel.Diff(empty, r)
	if err := writeChange(ctx, tx, id, change, empty); err != nil {
		return 0, err
	}
	text, err := json.Marshal(change)
	if err != nil {
		return 0, err
	}
	if _, err := tx.ExecContext(ctx, "INSERT INTO journal (reel_id, revision, kind, state, label, change_json, made_at) VALUES (?, 1, 'library', 'done', ?, ?, ?)", id, "make the reel", text, now); err != nil {
		return 0, err
	}
	return id, tx.Commit()
}

// Copy makes a new reel of another's newest version, under a name.
func (s *Store) Copy(ctx context.Context, id int64, name string) (int64, error) {
	v, err := s.Load(ctx, id)
	if err != nil {
		return 0, err
	}
	r := *v.Reel
	r.Props.Name = name
	return s.Create(ctx, &r)
}

// Remove takes a reel off the shelf; Restore puts it back. Nothing of it goes.
func (s *Store) Remove(ctx context.Context, id int64) error {
	return s.mark(ctx, "UPDATE reels SET removed_at = ? WHERE id = ? AND removed_at IS NULL", time.Now().UTC(), id)
}

// Restore puts a removed reel back on the shelf.
func (s *Store) Restore(ctx context.Context, id int64) error {
	return s.mark(ctx, "UPDATE reels SET removed_at = NULL WHERE id = ? AND removed_at IS NOT NULL", id)
}

func (s *Store) mark(ctx context.Context, query string, args ...any) error {
	res, err := s.db.ExecContext(ctx, query, args...)
	if err != nil {
		return err
	}
	if n, err := res.RowsAffected(); err != nil || n == 0 {
		return errors.Join(ErrNoReel, err)
	}
	return nil
}

// Recording is a working copy: a recording at a sample rate.
type Recording struct {
	Hash       string    `json:"hash"` // SHA-256 of the original file, in hex
	Rate       int       `json:"rate"`
	FileName   string    `json:"fileName"`
	Format     string    `json:"format"` // of the original, in words
	Bytes      int64     `json:"bytes"`
	NativeRate int       `json:"nativeRate"`
	Channels   int       `json:"channels"`
	Length     int64     `json:"length"`  // samples at Rate
	Missing    int64     `json:"missing"` // samples at NativeRate that the file promised and lacked
	Bad        int64     `json:"bad"`     // samples that were not numbers and are silent now
	StartTC    int64     `json:"startTC"` // samples at Rate from midnight, −1 when not known
	MadeAt     time.Time `json:"madeAt"`
}

// SaveRecording keeps what is known of a working copy.
func (s *Store) SaveRecording(ctx context.Context, r Recording) error {
	_, err := s.db.ExecContext(ctx, "REPLACE INTO recordings (hash, rate, file_name, format, bytes, native_rate, channels, length, missing, bad, start_tc, made_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
		r.Hash, r.Rate, clip(r.FileName, 255), clip(r.Format, 80), r.Bytes, r.NativeRate, r.Channels, r.Length, r.Missing, r.Bad, r.StartTC, time.Now().UTC())
	return err
}

// Recording gives a working copy; not ok when there is none.
func (s *Store) Recording(ctx context.Context, hash string, rate int) (r Recording, ok bool, err error) {
	err = s.db.QueryRowContext(ctx, "SELECT hash, rate, file_name, format, bytes, native_rate, channels, length, missing, bad, start_tc, made_at FROM recordings WHERE hash = ? AND rate = ?", hash, rate).
		Scan(&r.Hash, &r.Rate, &r.FileName, &r.Format, &r.Bytes, &r.NativeRate, &r.Channels, &r.Length, &r.Missing, &r.Bad, &r.StartTC, &r.MadeAt)
	if errors.Is(err, sql.ErrNoRows) {
		return r, false, nil
	}
	return r, err == nil, err
}
