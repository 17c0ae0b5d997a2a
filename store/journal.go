package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"blendseam/core/reel"
)

// Result is what an edit, an undo or a redo led to.
type Result struct {
	Version
	Change  reel.Change  `json:"change"`
	Outcome reel.Outcome `json:"outcome"`
	Again   bool         `json:"-"` // it was done before, by the same key; the reel is not given
	Whole   bool         `json:"-"` // the change is the whole reel, as it was repaired
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
	return s.step(ctx, id, func(ctx context.Context, tx *sql.Tx, v Version) (move, error) {
		if err := conflict(ctx, tx, v, base, edit); err != nil {
			return move{}, err
		}
		did, err := reel.Do(ctx, v.Reel, edit)
		if err != nil {
			return move{}, err
		}
		return newStep(v, did.Reel, did.Outcome)
	})
}

// newStep is a step from the version to a reel. It ends the line of redo.
func newStep(v Version, next *reel.Reel, outcome reel.Outcome) (move, error) {
	return move{kind: "step", change: reel.Diff(v.Reel, next), outcome: outcome}, nil
}

// Library makes an edit that keeps the list of sources, outside the line of
// undo.
func (s *Store) Library(ctx context.Context, id int64, edit reel.Edit) (Result, error) {
	return s.step(ctx, id, func(_ context.Context, _ *sql.Tx, v Version) (move, error) {
		did, err := edit.Apply(v.Reel)
		if err != nil {
			return move{}, err
		}
		return move{kind: "library", change: reel.Diff(v.Reel, did.Reel), outcome: did.Outcome}, nil
	})
}

// move is what one transaction does to a reel: a row of the journal.
type move struct {
	kind    string // step, undo, redo, library or repair
	change  reel.Change
	outcome reel.Outcome
	target  int64 // for undo and redo: the step it acts on, the last of several
}

// Unsound is a document that breaks a rule of its own, and so is not written.
type Unsound struct{ Why error }

func (u *Unsound) Error() string { return "it would break a rule of the reel: " + u.Why.Error() }
func (u *Unsound) Unwrap() error { return u.Why }

// step runs one transaction that changes a reel as plan says.
func (s *Store) step(ctx context.Context, id int64, plan func(context.Context, *sql.Tx, Version) (move, error)) (r Result, err error) {
	defer s.guard(&ctx, &err)()
	o := onceOf(ctx)
	c := s.slot(id)
	give, err := c.take(ctx)
	if err != nil {
		return Result{}, err
	}
	defer give()
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
	if d, at, saved, again, err := o.known(ctx, tx, id); err != nil || again {
		if err != nil {
			return Result{}, err
		}
		return firstResult(ctx, tx, id, at, saved, d)
	}
	v, ok := c.known(revision)
	if !ok {
		if v, err = readVersion(ctx, tx, id); err != nil {
			return Result{}, err
		}
		c.keep(v)
	}
	m, err := plan(ctx, tx, v)
	if err != nil {
		return Result{Version: v}, err
	}
	line := m.kind == "undo" || m.kind == "redo"
	if m.change.Empty() && !line {
		// Nothing differs: no step to save, but that it was asked for.
		if !o.own {
			if err := o.keep(ctx, tx, id, revision, false, done{Outcome: m.outcome, Undo: v.Undo, Redo: v.Redo}); err != nil {
				return Result{}, err
			}
			if err := s.commit(ctx, tx, o, id); err != nil {
				return Result{}, err
			}
		}
		return Result{Version: v, Outcome: m.outcome}, nil
	}
	if m.kind == "step" && v.Redo != "" {
		if _, err := tx.ExecContext(ctx, "UPDATE journal SET state = 'dropped' WHERE reel_id = ? AND kind = 'step' AND state = 'undone'", id); err != nil {
			return Result{}, err
		}
	}
	next, err := m.change.Apply(v.Reel)
	if err != nil {
		return Result{Version: v}, err
	}
	next.NextID = max(next.NextID, v.Reel.NextID)
	if err := next.Check(); err != nil {
		return Result{Version: v}, &Unsound{err}
	}
	if err := writeChange(ctx, tx, id, m.change, v.Reel); err != nil {
		return Result{}, err
	}
	out := Result{Version: Version{ID: id, UID: v.UID, Revision: revision + 1, Reel: next, Undo: v.Undo, Redo: v.Redo}, Change: m.change, Outcome: m.outcome}
	if err := writeJournal(ctx, tx, id, out.Revision, next.NextID, m); err != nil {
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
	if err := o.keep(ctx, tx, id, out.Revision, true, done{Outcome: m.outcome, Undo: out.Undo, Redo: out.Redo}); err != nil {
		return Result{}, err
	}
	if err := s.commit(ctx, tx, o, id); err != nil {
		c.keep(Version{}) // it is read anew
		return Result{}, err
	}
	c.keep(out.Version)
	return out, nil
}

// firstResult is what a request led to that is now made again.
func firstResult(ctx context.Context, q querier, id, revision int64, saved bool, d done) (Result, error) {
	r := Result{Version: Version{ID: id, Revision: revision, Undo: d.Undo, Redo: d.Redo}, Outcome: d.Outcome, Again: true}
	if !saved {
		return r, nil
	}
	found := false
	err := each(ctx, q, id, rows{where: "revision = ?", args: []any{revision}}, func(e entry) error {
		r.Change, found = e.change, true
		return nil
	})
	if err == nil && !found {
		err = fmt.Errorf("the journal lacks revision %d of reel %d", revision, id)
	}
	return r, err
}

// writeJournal writes the row of a move and the reel's new revision.
func writeJournal(ctx context.Context, q querier, id, revision int64, nextID reel.ID, m move) error {
	text, err := json.Marshal(m.change)
	if err != nil {
		return err
	}
	now := time.Now().UTC()
	first, rest := split(text)
	if _, err := q.ExecContext(ctx, "INSERT INTO journal (reel_id, revision, kind, state, target, label, change_json, parts, made_at) VALUES (?, ?, ?, 'done', ?, ?, ?, ?, ?)",
		id, revision, m.kind, m.target, clip(m.outcome.Label, 1000), first, len(rest), now); err != nil {
		return err
	}
	if err := journalParts.write(ctx, q, rest, id, revision); err != nil {
		return err
	}
	_, err = q.ExecContext(ctx, "UPDATE reels SET revision = ?, next_id = ?, changed_at = ? WHERE id = ?", revision, nextID, now, id)
	return err
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
	return each(ctx, q, v.ID, rows{where: "revision > ?", args: []any{base}}, func(e entry) error {
		if e.kind == "repair" {
			return &Conflict{"The reel", e.label}
		}
		if what := e.change.Conflict(edit.Names()); what != "" {
			return &Conflict{upper(what), e.label}
		}
		if timed, ok := edit.(reel.Timed); ok && e.change.Stirs(v.Reel, timed.On()) {
			return &Conflict{"What lies on the track", e.label}
		}
		return nil
	})
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
// watches the reel; a thousand steps at most.
func (s *Store) Since(ctx context.Context, id, revision int64) (out []Result, err error) {
	defer s.guard(&ctx, &err)()
	err = each(ctx, s.db, id, rows{where: "revision > ?", args: []any{revision}, limit: 1000}, func(e entry) error {
		out = append(out, Result{Version: Version{ID: id, Revision: e.revision}, Change: e.change, Outcome: reel.Outcome{Label: e.label}, Whole: e.kind == "repair"})
		return nil
	})
	return out, err
}

// Revisions are the newest revisions of reels, those that are there.
func (s *Store) Revisions(ctx context.Context, ids []int64) (out map[int64]int64, err error) {
	defer s.guard(&ctx, &err)()
	out = map[int64]int64{}
	if len(ids) == 0 {
		return out, nil
	}
	args := make([]any, len(ids))
	for i, id := range ids {
		args[i] = id
	}
	rows, err := s.db.QueryContext(ctx, "SELECT id, revision FROM reels WHERE removed_at IS NULL AND id IN (?"+strings.Repeat(", ?", len(ids)-1)+")", args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var id, revision int64
		if err := rows.Scan(&id, &revision); err != nil {
			return nil, err
		}
		out[id] = revision
	}
	return out, rows.Err()
}
