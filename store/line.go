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

// Undo takes back the newest step that is done.
func (s *Store) Undo(ctx context.Context, id int64) (Result, error) {
	return s.step(ctx, id, func(tx *sql.Tx, v Version) (move, error) { return back(ctx, tx, v, -1) })
}

// Redo does the oldest step that is undone again.
func (s *Store) Redo(ctx context.Context, id int64) (Result, error) {
	return s.step(ctx, id, func(tx *sql.Tx, v Version) (move, error) { return forth(ctx, tx, v, -1) })
}

// back takes back the steps that are done after a revision, or the newest one
// when it is negative.
func back(ctx context.Context, tx *sql.Tx, v Version, to int64) (move, error) {
	return along(ctx, tx, v, "undo", "done", "undone", "revision > ?", "DESC", to, reel.Change.Invert)
}

// forth does the steps again that are undone up to a revision, or the oldest
// one when it is negative.
func forth(ctx context.Context, tx *sql.Tx, v Version, to int64) (move, error) {
	return along(ctx, tx, v, "redo", "undone", "done", "revision <= ?", "ASC", to, func(c reel.Change) reel.Change { return c })
}

func along(ctx context.Context, tx *sql.Tx, v Version, kind, from, into, which, order string, to int64, turn func(reel.Change) reel.Change) (move, error) {
	query, args := "SELECT revision, label, change_json FROM journal WHERE reel_id = ? AND kind = 'step' AND state = ?", []any{v.ID, from}
	if to >= 0 {
		query += " AND " + which
		args = append(args, to)
	}
	query += " ORDER BY revision " + order
	if to < 0 {
		query += " LIMIT 1"
	}
	m := move{kind: kind}
	at, n, first := v.Reel, 0, int64(0)
	err := each(ctx, tx, query, args, func(revision int64, label string, c reel.Change) error {
		var err error
		m.target, m.outcome.Label = revision, label
		if n == 0 {
			first = revision
		}
		n++
		at, err = turn(c).Apply(at)
		return err
	})
	if err != nil {
		return m, err
	}
	if n == 0 {
		return m, ErrNothing
	}
	if n > 1 {
		m.outcome.Label = fmt.Sprintf("%d steps, to “%s”", n, m.outcome.Label)
	}
	m.change = reel.Diff(v.Reel, at)
	_, err = tx.ExecContext(ctx, "UPDATE journal SET state = ? WHERE reel_id = ? AND kind = 'step' AND state = ? AND revision BETWEEN ? AND ?",
		into, v.ID, from, min(first, m.target), max(first, m.target))
	return m, err
}

// each reads rows of the journal one by one.
func each(ctx context.Context, q querier, query string, args []any, do func(revision int64, label string, c reel.Change) error) error {
	rows, err := q.QueryContext(ctx, query, args...)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var revision int64
		var label string
		var text []byte
		var c reel.Change
		if err := rows.Scan(&revision, &label, &text); err != nil {
			return err
		}
		if err := json.Unmarshal(text, &c); err != nil {
			return err
		}
		if err := do(revision, label, c); err != nil {
			return err
		}
	}
	return rows.Err()
}

// GoTo brings a reel to the state that it had after a step, named by its
// revision; 0 is the state before any step. Along the line of undo that is
// undo or redo of several steps at once. A state that a later step has
// dropped from the line is come back to by a new step. Sources stay listed as
// they are now.
func (s *Store) GoTo(ctx context.Context, id, revision int64) (Result, error) {
	return s.step(ctx, id, func(tx *sql.Tx, v Version) (move, error) {
		if revision == 0 {
			return back(ctx, tx, v, 0)
		}
		var state, label string
		err := tx.QueryRowContext(ctx, "SELECT state, label FROM journal WHERE reel_id = ? AND revision = ? AND kind = 'step'", id, revision).Scan(&state, &label)
		if errors.Is(err, sql.ErrNoRows) {
			return move{}, ErrNothing
		}
		if err != nil {
			return move{}, err
		}
		switch state {
		case "done":
			return back(ctx, tx, v, revision)
		case "undone":
			return forth(ctx, tx, v, revision)
		}
		at := v.Reel
		err = each(ctx, tx, "SELECT revision, label, change_json FROM journal WHERE reel_id = ? AND revision > ? ORDER BY revision DESC", []any{id, revision},
			func(_ int64, _ string, c reel.Change) (err error) {
				at, err = c.Invert().Apply(at)
				return err
			})
		if err != nil {
			return move{}, err
		}
		return newStep(ctx, tx, v, onto(v.Reel, at), reel.Outcome{Label: "back to “" + label + "”"})
	})
}

// onto is a former state of a reel with the sources that it has now.
func onto(now, then *reel.Reel) *reel.Reel {
	out := *then
	out.Sources = now.Sources
	return &out
}

// Step is a row of the history.
type Step struct {
	Revision int64     `json:"revision"`
	Kind     string    `json:"kind"`  // step, undo, redo or library
	State    string    `json:"state"` // of a step: done, undone, or dropped from the line by a later one
	Label    string    `json:"label"`
	At       time.Time `json:"at"`
}

// History gives at most limit rows of the journal older than the revision
// before, the newest first; before 0 begins at the newest. With steps only,
// rows that tell of undo, redo and the list of sources are left out.
func (s *Store) History(ctx context.Context, id, before int64, limit int, steps bool) ([]Step, error) {
	if before <= 0 {
		before = 1 << 62
	}
	query := "SELECT revision, kind, state, label, made_at FROM journal WHERE reel_id = ? AND revision < ?"
	if steps {
		query += " AND kind = 'step'"
	}
	rows, err := s.db.QueryContext(ctx, query+" ORDER BY revision DESC LIMIT ?", id, before, limit)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	out := []Step{}
	for rows.Next() {
		var st Step
		if err := rows.Scan(&st.Revision, &st.Kind, &st.State, &st.Label, &st.At); err != nil {
			return nil, err
		}
		out = append(out, st)
	}
	return out, rows.Err()
}
