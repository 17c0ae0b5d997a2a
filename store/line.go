package store

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"time"

	"blendseam/core/reel"
)

// Any is the base of an undo or redo that is made against no revision in
// particular.
const Any = -1

// Undo takes back the newest step that is done. Made against a revision, it is
// refused when another step was made, undone or redone since: it would act on
// a step that its maker has not seen.
func (s *Store) Undo(ctx context.Context, id, base int64) (Result, error) {
	return s.step(ctx, id, func(ctx context.Context, tx *sql.Tx, v Version) (move, error) {
		if err := unseen(ctx, tx, v, base); err != nil {
			return move{}, err
		}
		return back(ctx, tx, v, -1)
	})
}

// Redo does the oldest step that is undone again; its base is like that of
// Undo.
func (s *Store) Redo(ctx context.Context, id, base int64) (Result, error) {
	return s.step(ctx, id, func(ctx context.Context, tx *sql.Tx, v Version) (move, error) {
		if err := unseen(ctx, tx, v, base); err != nil {
			return move{}, err
		}
		return forth(ctx, tx, v, -1)
	})
}

// unseen refuses to act on the line of undo when it differs from what it was
// at a revision.
func unseen(ctx context.Context, q querier, v Version, base int64) error {
	if base < 0 || base == v.Revision {
		return nil
	}
	if base > v.Revision {
		return &Conflict{"The reel", fmt.Sprintf("revision %d is not known here", base)}
	}
	var label string
	err := q.QueryRowContext(ctx, "SELECT label FROM journal WHERE reel_id = ? AND revision > ? AND kind <> 'library' ORDER BY revision DESC LIMIT 1", v.ID, base).Scan(&label)
	if errors.Is(err, sql.ErrNoRows) {
		return nil
	}
	if err == nil {
		err = &Conflict{"The reel", label}
	}
	return err
}

// back takes back the steps that are done after a revision, or the newest one
// when it is negative.
func back(ctx context.Context, tx *sql.Tx, v Version, to int64) (move, error) {
	return along(ctx, tx, v, "undo", "done", "undone", "revision > ?", true, to, reel.Change.Invert)
}

// forth does the steps again that are undone up to a revision, or the oldest
// one when it is negative.
func forth(ctx context.Context, tx *sql.Tx, v Version, to int64) (move, error) {
	return along(ctx, tx, v, "redo", "undone", "done", "revision <= ?", false, to, func(c reel.Change) reel.Change { return c })
}

func along(ctx context.Context, tx *sql.Tx, v Version, kind, from, into, upTo string, desc bool, to int64, turn func(reel.Change) reel.Change) (move, error) {
	which := rows{where: "kind = 'step' AND state = ?", args: []any{from}, desc: desc}
	if to >= 0 {
		which.where += " AND " + upTo
		which.args = append(which.args, to)
	} else {
		which.limit = 1
	}
	m := move{kind: kind}
	at, n, first := v.Reel, 0, int64(0)
	err := each(ctx, tx, v.ID, which, func(e entry) error {
		m.target, m.outcome.Label = e.revision, e.label
		if n == 0 {
			first = e.revision
		}
		n++
		next, err := turn(e.change).Apply(at)
		if err != nil {
			return &reel.Refusal{Reason: fmt.Sprintf("“%s” cannot be %s: %v.", e.label, map[string]string{"undo": "undone", "redo": "redone"}[kind], err), Possible: "Open a version from before it, or edit on from here."}
		}
		at = next
		return nil
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

// GoTo brings a reel to the state that it had after a step, named by its
// revision; 0 is the state before any step. Along the line of undo that is
// undo or redo of several steps at once. A state that a later step has
// dropped from the line is come back to by a new step. Sources stay listed as
// they are now.
func (s *Store) GoTo(ctx context.Context, id, revision int64) (Result, error) {
	return s.step(ctx, id, func(ctx context.Context, tx *sql.Tx, v Version) (move, error) {
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
		err = each(ctx, tx, id, rows{where: "revision > ?", args: []any{revision}, desc: true}, func(e entry) error {
			if e.kind == "repair" {
				return &reel.Refusal{Reason: "The reel was repaired after that step, so there is no way back to it.", Possible: "Go to a step after the repair, or open a version."}
			}
			next, err := e.change.Invert().Apply(at)
			if err != nil {
				return &reel.Refusal{Reason: fmt.Sprintf("There is no way back past “%s”: %v.", e.label, err), Possible: "Open a version instead."}
			}
			at = next
			return nil
		})
		if err != nil {
			return move{}, err
		}
		return newStep(v, onto(v.Reel, at), reel.Outcome{Label: "back to “" + label + "”"})
	})
}

// onto is a former state of a reel with the list of sources as it is now. What
// the clips of that state play is as it was then, though a later step took it
// away or linked it; recordings that came since stay listed.
func onto(now, then *reel.Reel) *reel.Reel {
	out := *then
	out.Sources = nil
	for _, s := range then.Sources {
		if n, ok := now.Source(s.ID); ok {
			s.Name = n.Name
			if !s.Missing() {
				s.Unlisted = n.Unlisted
			}
		}
		out.Sources = append(out.Sources, s)
	}
	for _, n := range now.Sources {
		if _, ok := then.Source(n.ID); !ok && !n.Missing() && !n.Bed.Grown() {
			out.Sources = append(out.Sources, n)
		}
	}
	slices.SortFunc(out.Sources, func(a, b reel.Source) int { return cmp.Compare(a.ID, b.ID) })
	out.NextID = max(then.NextID, now.NextID)
	return &out
}

// Step is a row of the history.
type Step struct {
	Revision int64     `json:"revision"`
	Kind     string    `json:"kind"`  // step, undo, redo, library or repair
	State    string    `json:"state"` // of a step: done, undone, or dropped from the line by a later one
	Label    string    `json:"label"`
	At       time.Time `json:"at"`
}

// History gives at most limit rows of the journal older than the revision
// before, the newest first; before 0 begins at the newest. With steps only,
// rows that tell of undo, redo and the list of sources are left out.
func (s *Store) History(ctx context.Context, id, before int64, limit int, steps bool) (out []Step, err error) {
	defer s.guard(&ctx, &err)()
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
	out = []Step{}
	for rows.Next() {
		var st Step
		if err := rows.Scan(&st.Revision, &st.Kind, &st.State, &st.Label, &st.At); err != nil {
			return nil, err
		}
		out = append(out, st)
	}
	return out, rows.Err()
}
