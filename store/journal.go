package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"blendseam/core/reel"
)

// Result is what an edit, an undo or a redo led to.
type Result struct {
	Version
	Change  reel.Change  `json:"change"`
	Outcome reel.Outcome `json:"outcome"`
}

// Conflict is an edit against a revision that is past, of a thing that has
// changed since.
type Conflict struct {
	What string // the thing
	By   string // the step that changed it
}

func (c *Conflict) Error() string {
	return fmt.Sprintf("%s has changed since: “%s”. Look at it as it is now and try again.", c.What, c.By)
}

// ErrNothing is returned when there is nothing to undo or redo.
var ErrNothing = errors.New("there is no step to go to")

// Do makes an edit against a revision of a reel and saves it.
func (s *Store) Do(ctx context.Context, id, base int64, edit reel.Edit) (Result, error) {
	return s.step(ctx, id, func(tx *sql.Tx, v Version) (move, error) {
		if err := conflict(ctx, tx, v, base, edit); err != nil {
			return move{}, err
		}
		next, outcome, err := edit.Apply(v.Reel)
		if err != nil {
			return move{}, err
		}
		return newStep(ctx, tx, v, next, outcome)
	})
}

// newStep is a step from the version to a reel. It ends the line of redo.
func newStep(ctx context.Context, tx *sql.Tx, v Version, next *reel.Reel, outcome reel.Outcome) (move, error) {
	if v.Redo != "" {
		if _, err := tx.ExecContext(ctx, "UPDATE journal SET state = 'dropped' WHERE reel_id = ? AND kind = 'step' AND state = 'undone'", v.ID); err != nil {
			return move{}, err
		}
	}
	return move{kind: "step", change: reel.Diff(v.Reel, next), outcome: outcome}, nil
}

// Library makes an edit that keeps the list of sources, outside the line of
// undo.
func (s *Store) Library(ctx context.Context, id int64, edit reel.Edit) (Result, error) {
	return s.step(ctx, id, func(tx *sql.Tx, v Version) (move, error) {
		next, outcome, err := edit.Apply(v.Reel)
		if err != nil {
			return move{}, err
		}
		return move{kind: "library", change: reel.Diff(v.Reel, next), outcome: outcome}, nil
	})
}

// move is what one transaction does to a reel: a row of the journal.
type move struct {
	kind    string // step, undo, redo or library
	change  reel.Change
	outcome reel.Outcome
	target  int64 // for undo and redo: the step it acts on, the last of several
}

// step runs one transaction that changes a reel as plan says.
func (s *Store) step(ctx context.Context, id int64, plan func(*sql.Tx, Version) (move, error)) (Result, error) {
	c := s.slot(id)
	c.mu.Lock()
	defer c.mu.Unlock()
	tx, err := s.db.BeginTx(ctx, nil)
	if err != nil {
		return Result{}, err
	}
	defer tx.Rollback()
	var revision int64
	err = tx.QueryRowContext(ctx, "SELECT revision FROM reels WHERE id = ? AND removed_at IS NULL FOR UPDATE", id).Scan(&revision)
	if errors.Is(err, sql.ErrNoRows) {
		return Result{}, ErrNoReel
	}
	if err != nil {
		return Result{}, err
	}
	v, err := s.current(ctx, c, tx, id, revision)
	if err != nil {
		return Result{}, err
	}
	m, err := plan(tx, v)
	if err != nil {
		return Result{Version: v}, err
	}
	line := m.kind == "undo" || m.kind == "redo"
	if m.change.Empty() && !line {
		return Result{Version: v, Outcome: m.outcome}, nil // nothing differs: no step to save
	}
	next, err := m.change.Apply(v.Reel)
	if err != nil {
		return Result{Version: v}, err
	}
	next.NextID = max(next.NextID, v.Reel.NextID)
	text, err := json.Marshal(m.change)
	if err != nil {
		return Result{}, err
	}
	if err := writeChange(ctx, tx, id, m.change, v.Reel); err != nil {
		return Result{}, err
	}
	out := Result{Version: Version{ID: id, Revision: revision + 1, Reel: next, Undo: v.Undo, Redo: v.Redo}, Change: m.change, Outcome: m.outcome}
	now := time.Now().UTC()
	if _, err := tx.ExecContext(ctx, "INSERT INTO journal (reel_id, revision, kind, state, target, label, change_json, made_at) VALUES (?, ?, ?, 'done', ?, ?, ?, ?)",
		id, out.Revision, m.kind, m.target, clip(m.outcome.Label, 1000), text, now); err != nil {
		return Result{}, err
	}
	if _, err := tx.ExecContext(ctx, "UPDATE reels SET revision = ?, next_id = ?, changed_at = ? WHERE id = ?", out.Revision, next.NextID, now, id); err != nil {
		return Result{}, err
	}
	switch {
	case m.kind == "step":
		out.Undo, out.Redo = m.outcome.Label, ""
	case line:
		if out.Undo, out.Redo, err = readLine(ctx, tx, id); err != nil {
			return Result{}, err
		}
	}
	if err := tx.Commit(); err != nil {
		c.version = Version{} // whether it was saved is not known: read it anew
		return Result{}, err
	}
	c.version = out.Version
	return out, nil
}

func clip(s string, n int) string {
	if r := []rune(s); len(r) > n {
		return string(r[:n])
	}
	return s
}

// conflict checks an edit made against an older revision.
func conflict(ctx context.Context, q querier, v Version, base int64, edit reel.Edit) error {
	if base > v.Revision {
		return &Conflict{"The reel", fmt.Sprintf("revision %d is not known here", base)}
	}
	if base == v.Revision {
		return nil
	}
	rows, err := q.QueryContext(ctx, "SELECT label, change_json FROM journal WHERE reel_id = ? AND revision > ? ORDER BY revision", v.ID, base)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var label string
		var text []byte
		var c reel.Change
		if err := rows.Scan(&label, &text); err != nil {
			return err
		}
		if err := json.Unmarshal(text, &c); err != nil {
			return err
		}
		if what := c.Conflict(edit.Names()); what != "" {
			return &Conflict{upper(what), label}
		}
		if timed, ok := edit.(reel.Timed); ok && c.Stirs(v.Reel, timed.On()) {
			return &Conflict{"What lies on the track", label}
		}
	}
	return rows.Err()
}

func upper(s string) string {
	r := []rune(s)
	if len(r) > 0 && r[0] >= 'a' && r[0] <= 'z' {
		r[0] -= 'a' - 'A'
	}
	return string(r)
}

// readLine gives the names of the steps that undo and redo would go to.
func readLine(ctx context.Context, q querier, id int64) (undo, redo string, err error) {
	const query = "SELECT label FROM journal WHERE reel_id = ? AND kind = 'step' AND state = ? ORDER BY revision "
	err = q.QueryRowContext(ctx, query+"DESC LIMIT 1", id, "done").Scan(&undo)
	if err == nil || errors.Is(err, sql.ErrNoRows) {
		err = q.QueryRowContext(ctx, query+"ASC LIMIT 1", id, "undone").Scan(&redo)
	}
	if errors.Is(err, sql.ErrNoRows) {
		err = nil
	}
	return undo, redo, err
}

// Since gives what changed after a revision, the oldest first, for one who
// watches the reel.
func (s *Store) Since(ctx context.Context, id, revision int64) ([]Result, error) {
	rows, err := s.db.QueryContext(ctx, "SELECT revision, label, change_json FROM journal WHERE reel_id = ? AND revision > ? ORDER BY revision LIMIT 1000", id, revision)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []Result
	for rows.Next() {
		var r Result
		var text []byte
		if err := rows.Scan(&r.Revision, &r.Outcome.Label, &text); err != nil {
			return nil, err
		}
		if err := json.Unmarshal(text, &r.Change); err != nil {
			return nil, err
		}
		out = append(out, r)
	}
	return out, rows.Err()
}
