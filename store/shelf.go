package store

import (
	"context"
	"crypto/rand"
	"database/sql"
	"encoding/json"
	"errors"
	"strings"
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
func (s *Store) Shelf(ctx context.Context, removed bool) (out []Entry, err error) {
	defer s.guard(&ctx, &err)()
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
	out = []Entry{}
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
func (s *Store) Create(ctx context.Context, r *reel.Reel) (id int64, err error) {
	defer s.guard(&ctx, &err)()
	return s.make(ctx, 0, func(ctx context.Context, tx *sql.Tx) (int64, error) { return create(ctx, tx, r) })
}

// make runs one transaction that makes a thing with an id, once for each
// request. Of is the reel that it is made from, or 0.
func (s *Store) make(ctx context.Context, of int64, do func(context.Context, *sql.Tx) (int64, error)) (int64, error) {
	o := onceOf(ctx)
	tx, err := s.db.BeginTx(ctx, nil)
	if err != nil {
		return 0, err
	}
	defer tx.Rollback()
	if d, _, _, again, err := o.known(ctx, tx, of); err != nil || again {
		return d.Made, err
	}
	made, err := do(ctx, tx)
	if err != nil {
		return 0, err
	}
	if err := o.keep(ctx, tx, of, 0, false, done{Made: made}); err != nil {
		if number(err) == errDuplicate { // the same request, at the same moment
			_ = tx.Rollback()
			if d, _, _, again, err := o.known(ctx, s.db, of); err != nil || again {
				return d.Made, err
			}
		}
		return 0, err
	}
	return made, s.commit(ctx, tx, o, of)
}

// lockedVersion is the newest version of a reel, which stays so until the
// transaction ends.
func (s *Store) lockedVersion(ctx context.Context, tx *sql.Tx, id int64) (Version, error) {
	var revision int64
	err := tx.QueryRowContext(ctx, "SELECT revision FROM reels WHERE id = ? AND removed_at IS NULL FOR UPDATE", id).Scan(&revision)
	if errors.Is(err, sql.ErrNoRows) {
		return Version{}, ErrNoReel
	}
	if err != nil {
		return Version{}, err
	}
	if v, ok := s.slot(id).known(revision); ok {
		return v, nil
	}
	return readVersion(ctx, tx, id)
}

func create(ctx context.Context, q querier, r *reel.Reel) (int64, error) {
	if err := r.Check(); err != nil {
		return 0, &Unsound{err}
	}
	now, p := time.Now().UTC(), r.Props
	limits, err := json.Marshal(p.Limits)
	if err != nil {
		return 0, err
	}
	res, err := q.ExecContext(ctx, "INSERT INTO reels (uid, name, sample_rate, fps_num, fps_den, fps_drop, start_frame, limits_json, target_json, next_id, revision, made_at, changed_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, 1, ?, ?)",
		strings.ToLower(rand.Text()), p.Name, p.SampleRate, p.FrameRate.Num, p.FrameRate.Den, p.FrameRate.Drop, p.StartFrame, limits, jsonText[reel.Target]{&p.Target}, r.NextID, now, now)
	if err != nil {
		return 0, err
	}
	id, err := res.LastInsertId()
	if err != nil {
		return 0, err
	}
	empty := &reel.Reel{}
	change := reel.Diff(empty, r) // the reel's own settings among it, so that the journal tells all
	if err := writeChange(ctx, q, id, change, empty); err != nil {
		return 0, err
	}
	return id, writeJournal(ctx, q, id, 1, r.NextID, move{kind: "library", change: change, outcome: reel.Outcome{Label: "make the reel"}})
}

// Copy makes a new reel of another's newest version, under a name.
func (s *Store) Copy(ctx context.Context, id int64, name string) (made int64, err error) {
	defer s.guard(&ctx, &err)()
	return s.make(ctx, id, func(ctx context.Context, tx *sql.Tx) (int64, error) {
		v, err := s.lockedVersion(ctx, tx, id)
		if err != nil {
			return 0, err
		}
		r := *v.Reel
		r.Props.Name = name
		return create(ctx, tx, &r)
	})
}

// Remove takes a reel off the list; Restore puts it back. Nothing of it goes
// until it is purged.
func (s *Store) Remove(ctx context.Context, id int64) error {
	return s.mark(ctx, id, ErrNoReel, "UPDATE reels SET removed_at = ? WHERE id = ? AND removed_at IS NULL", time.Now().UTC(), id)
}

// Restore puts a removed reel back on the list.
func (s *Store) Restore(ctx context.Context, id int64) error {
	return s.mark(ctx, id, ErrNoReel, "UPDATE reels SET removed_at = NULL WHERE id = ? AND removed_at IS NOT NULL", id)
}

// mark runs a statement about a reel, once for each request. It is the error
// given when there is nothing that it is about.
func (s *Store) mark(ctx context.Context, id int64, nothing error, query string, args ...any) (err error) {
	defer s.guard(&ctx, &err)()
	_, err = s.make(ctx, id, func(ctx context.Context, tx *sql.Tx) (int64, error) {
		res, err := tx.ExecContext(ctx, query, args...)
		if err != nil {
			return 0, err
		}
		n, err := res.RowsAffected()
		if err == nil && n == 0 {
			err = nothing
		}
		return id, err
	})
	return err
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
func (s *Store) SaveRecording(ctx context.Context, r Recording) (err error) {
	defer s.guard(&ctx, &err)()
	_, err = s.db.ExecContext(ctx, "REPLACE INTO recordings (hash, rate, file_name, format, bytes, native_rate, channels, length, missing, bad, start_tc, made_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
		r.Hash, r.Rate, clip(r.FileName, 255), clip(r.Format, 80), r.Bytes, r.NativeRate, r.Channels, r.Length, r.Missing, r.Bad, r.StartTC, time.Now().UTC())
	return err
}

const recordingColumns = "hash, rate, file_name, format, bytes, native_rate, channels, length, missing, bad, start_tc, made_at"

func (r *Recording) fields() []any {
	return []any{&r.Hash, &r.Rate, &r.FileName, &r.Format, &r.Bytes, &r.NativeRate, &r.Channels, &r.Length, &r.Missing, &r.Bad, &r.StartTC, &r.MadeAt}
}

// Recording gives a working copy; not ok when there is none.
func (s *Store) Recording(ctx context.Context, hash string, rate int) (r Recording, ok bool, err error) {
	defer s.guard(&ctx, &err)()
	err = s.db.QueryRowContext(ctx, "SELECT "+recordingColumns+" FROM recordings WHERE hash = ? AND rate = ?", hash, rate).Scan(r.fields()...)
	if errors.Is(err, sql.ErrNoRows) {
		return r, false, nil
	}
	return r, err == nil, err
}

// RecordingsOf are the working copies of a reel's sources at its rate, by hash.
func (s *Store) RecordingsOf(ctx context.Context, reelID int64) (out map[string]Recording, err error) {
	defer s.guard(&ctx, &err)()
	rows, err := s.db.QueryContext(ctx, "SELECT "+recordingColumns+" FROM recordings WHERE rate = (SELECT sample_rate FROM reels WHERE id = ?) AND hash IN (SELECT recording FROM sources WHERE reel_id = ?)", reelID, reelID)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	out = map[string]Recording{}
	for rows.Next() {
		var r Recording
		if err := rows.Scan(r.fields()...); err != nil {
			return nil, err
		}
		out[r.Hash] = r
	}
	return out, rows.Err()
}
