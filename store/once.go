package store

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"encoding/json"
	"errors"
	"time"

	"blendseam/core/reel"
)

// A request that changes something may come twice: its answer was lost on the
// way, and its sender cannot tell whether it was done. So each carries a key,
// and what it led to is kept by that key in the same transaction.

// KeepRequests is how long a key is remembered.
const KeepRequests = 48 * time.Hour

// MaxKey is the longest a key can be, in bytes.
const MaxKey = 80

// ErrOtherRequest is returned for a key that another request had.
var ErrOtherRequest = errors.New("this key was given to another request")

type onceKey struct{}

// once is the key of a request and a digest of what it asks for.
type once struct {
	key, digest string
	own         bool // given by the store itself, to know of its own commit
}

// Once marks the work of a context as one request: done again with the same
// key and the same asking, it gives what it led to the first time.
func Once(ctx context.Context, key string, asking ...[]byte) context.Context {
	sum := sha256.New()
	for _, part := range asking {
		sum.Write(part)
		sum.Write([]byte{0})
	}
	return context.WithValue(ctx, onceKey{}, once{key: key, digest: hex.EncodeToString(sum.Sum(nil))})
}

// PartOf marks a part of the work of a request that changes several things, one after the
// other: each is known by itself when the request comes again.
func PartOf(ctx context.Context, part string) context.Context {
	o, ok := ctx.Value(onceKey{}).(once)
	if !ok {
		return ctx
	}
	sum := sha256.Sum256([]byte(o.key + "\x00" + part))
	o.key = "part-" + hex.EncodeToString(sum[:])
	return context.WithValue(ctx, onceKey{}, o)
}

func onceOf(ctx context.Context) once {
	if o, ok := ctx.Value(onceKey{}).(once); ok {
		return o
	}
	return once{key: "own-" + rand.Text(), own: true}
}

// done is what a request led to, as it is kept.
type done struct {
	Outcome reel.Outcome `json:"outcome,omitzero"`
	Undo    string       `json:"undo,omitempty"`
	Redo    string       `json:"redo,omitempty"`
	Made    int64        `json:"made,omitempty"` // a new reel or version
}

// known gives what a request led to the first time, where there was one.
func (o once) known(ctx context.Context, q querier, reelID int64) (d done, revision int64, saved, ok bool, err error) {
	if o.own {
		return
	}
	var digest string
	var text []byte
	var reel int64
	err = q.QueryRowContext(ctx, "SELECT digest, reel_id, revision, saved, answer_json FROM requests WHERE request_key = ?", o.key).Scan(&digest, &reel, &revision, &saved, &text)
	if errors.Is(err, sql.ErrNoRows) {
		return d, 0, false, false, nil
	}
	if err == nil && (digest != o.digest || reel != reelID) {
		err = ErrOtherRequest
	}
	if err == nil {
		err = json.Unmarshal(text, &d)
	}
	return d, revision, saved, err == nil, err
}

// keep writes what a request led to, within its transaction.
func (o once) keep(ctx context.Context, q querier, reelID, revision int64, saved bool, d done) error {
	text, err := json.Marshal(d)
	if err == nil && len(text) > partBytes {
		// What is said of thousands of things is told once; what was done is in the
		// change.
		d.Outcome.Opens, d.Outcome.Made = nil, nil
		d.Outcome.Notes, d.Outcome.Says = d.Outcome.Notes[:min(len(d.Outcome.Notes), 50)], d.Outcome.Says[:min(len(d.Outcome.Says), 50)]
		text, err = json.Marshal(d)
	}
	if err != nil {
		return err
	}
	_, err = q.ExecContext(ctx, "INSERT INTO requests (request_key, digest, reel_id, revision, saved, answer_json, made_at) VALUES (?, ?, ?, ?, ?, ?, ?)",
		o.key, o.digest, reelID, revision, saved, text, time.Now().UTC())
	return err
}

// committed finds out what became of a transaction whose commit failed: the
// reel's row is waited for, so that one still under way has come to its end.
func (s *Store) committed(ctx context.Context, o once, reelID int64) (bool, error) {
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), 1500*time.Millisecond)
	defer cancel()
	tx, err := s.db.BeginTx(ctx, nil)
	if err != nil {
		return false, err
	}
	defer tx.Rollback()
	var n int
	if reelID != 0 {
		if err := tx.QueryRowContext(ctx, "SELECT COUNT(*) FROM reels WHERE id = ? FOR UPDATE", reelID).Scan(&n); err != nil {
			return false, err
		}
	}
	// A key that another transaction has just put in is waited for as well.
	rows, err := tx.QueryContext(ctx, "SELECT 1 FROM requests WHERE request_key = ? FOR UPDATE", o.key)
	if err != nil {
		return false, err
	}
	defer rows.Close()
	return rows.Next(), rows.Err()
}

// commit ends a transaction. When the answer to it does not come, it asks what
// became of it.
func (s *Store) commit(ctx context.Context, tx *sql.Tx, o once, reelID int64) error {
	err := tx.Commit()
	if err == nil {
		return nil
	}
	saved, lost := s.committed(ctx, o, reelID)
	switch {
	case lost != nil:
		return errors.Join(ErrUnknown, err)
	case saved:
		return nil
	}
	return classify(err)
}

// ForgetRequests drops the keys of requests made before a time.
func (s *Store) ForgetRequests(ctx context.Context, before time.Time) (err error) {
	defer s.guard(&ctx, &err)()
	_, err = s.db.ExecContext(ctx, "DELETE FROM requests WHERE made_at < ?", before.UTC())
	return err
}
