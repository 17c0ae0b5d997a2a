package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"blendseam/core/reel"
	"blendseam/interchange/bundle"
)

// Hand gives a reel at one revision, with its history and versions where they are
// wanted, while others may be at work on it.
func (s *Store) Hand(ctx context.Context, id int64, history, versions bool) (h bundle.Handed, err error) {
	defer s.guard(&ctx, &err)()
	tx, err := s.db.BeginTx(ctx, &sql.TxOptions{Isolation: sql.LevelRepeatableRead, ReadOnly: true})
	if err != nil {
		return h, err
	}
	defer tx.Rollback()
	var there int
	err = tx.QueryRowContext(ctx, "SELECT COUNT(*) FROM reels WHERE id = ? AND removed_at IS NULL", id).Scan(&there)
	if err == nil && there == 0 {
		err = ErrNoReel
	}
	if err != nil {
		return h, err
	}
	v, err := readVersion(ctx, tx, id)
	if err != nil {
		return h, err
	}
	h.Reel, h.Revision = v.Reel, v.Revision
	if history {
		if h.Steps, err = handedSteps(ctx, tx, id); err != nil {
			return h, err
		}
	}
	if versions {
		if h.Versions, err = s.handedVersions(ctx, tx, id); err != nil {
			return h, err
		}
	}
	h.Accepted, err = column[string](ctx, tx, "SELECT print FROM accepted WHERE reel_id = ? ORDER BY print", id)
	return h, err
}

func handedSteps(ctx context.Context, q querier, id int64) (out []bundle.Step, err error) {
	times, err := column[time.Time](ctx, q, "SELECT made_at FROM journal WHERE reel_id = ? ORDER BY revision", id)
	if err != nil {
		return nil, err
	}
	err = each(ctx, q, id, rows{}, func(e entry) error {
		text, err := json.Marshal(e.change)
		if len(out) >= len(times) {
			err = errors.New("a journal grew while it was read")
		}
		if err != nil {
			return err
		}
		out = append(out, bundle.Step{Revision: e.revision, Kind: e.kind, State: e.state, Target: e.target, Label: e.label, At: times[len(out)], Change: text})
		return nil
	})
	return out, err
}

func (s *Store) handedVersions(ctx context.Context, q querier, id int64) (out []bundle.Version, err error) {
	ids, err := column[int64](ctx, q, "SELECT id FROM versions WHERE reel_id = ? ORDER BY id", id)
	for _, n := range ids {
		if err != nil {
			return nil, err
		}
		var v bundle.Version
		if v.Name, v.Reel, err = s.version(ctx, q, id, n); err == nil {
			err = q.QueryRowContext(ctx, "SELECT revision, made_at FROM versions WHERE id = ?", n).Scan(&v.Revision, &v.At)
		}
		out = append(out, v)
	}
	return out, err
}

// column reads the values of one column.
func column[T any](ctx context.Context, q querier, query string, args ...any) (out []T, err error) {
	rows, err := q.QueryContext(ctx, query, args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var v T
		if err := rows.Scan(&v); err != nil {
			return nil, err
		}
		out = append(out, v)
	}
	return out, rows.Err()
}

// led says what is wrong with a history: that it does not lead to its reel.
func led(h bundle.Handed) error {
	r := newReplayed()
	for i, st := range h.Steps {
		e := entry{revision: st.Revision, target: st.Target, kind: st.Kind, state: st.State, label: st.Label}
		if !slices.Contains([]string{"step", "undo", "redo", "library", "repair"}, e.kind) || !slices.Contains([]string{"done", "undone", "dropped"}, e.state) {
			return fmt.Errorf("step %d is of no kind that is known", i+1)
		}
		err := json.Unmarshal(st.Change, &e.change)
		if err == nil {
			err = e.change.Check()
		}
		if err != nil {
			return fmt.Errorf("step %d cannot be read: %w", i+1, err)
		}
		r.do(e)
	}
	if !r.props {
		r.reel.Props = h.Reel.Props
	}
	switch {
	case len(r.wrong) > 0:
		return errors.New(r.wrong[0])
	case r.revision != h.Revision || !reel.Diff(r.reel, h.Reel).Empty():
		return errors.New("its steps do not lead to it")
	}
	return nil
}

// TakeOver makes a reel of one that was handed over. A history or a version that does
// not hold is left out, and told; what is of the reel itself has to be sound.
func (s *Store) TakeOver(ctx context.Context, h bundle.Handed) (id int64, left []string, err error) {
	defer s.guard(&ctx, &err)()
	if err := h.Reel.Check(); err != nil {
		return 0, nil, &Unsound{err}
	}
	if len(h.Steps) > 0 {
		if why := led(h); why != nil {
			left = append(left, "Its history was left out: "+why.Error()+".")
			h.Steps = nil
		}
	}
	id, err = s.make(ctx, 0, func(ctx context.Context, tx *sql.Tx) (int64, error) {
		id, err := create(ctx, tx, h.Reel)
		if err != nil {
			return 0, err
		}
		if len(h.Steps) > 0 {
			if err := writeSteps(ctx, tx, id, h); err != nil {
				return 0, err
			}
		}
		for _, v := range h.Versions {
			why, err := writeVersion(ctx, tx, id, v)
			if err != nil {
				return 0, err
			}
			if why != "" {
				left = append(left, why)
			}
		}
		for _, print := range h.Accepted {
			if len(print) != 32 || strings.Trim(print, "0123456789abcdef") != "" {
				continue
			}
			if _, err := tx.ExecContext(ctx, "INSERT IGNORE INTO accepted (reel_id, print, made_at) VALUES (?, ?, ?)", id, print, time.Now().UTC()); err != nil {
				return 0, err
			}
		}
		return id, nil
	})
	return id, left, err
}

// writeSteps puts a history in the place of the first step of a reel that was made.
func writeSteps(ctx context.Context, tx *sql.Tx, id int64, h bundle.Handed) error {
	if _, err := tx.ExecContext(ctx, "DELETE FROM journal WHERE reel_id = ?", id); err != nil {
		return err
	}
	for _, st := range h.Steps {
		first, rest := split(st.Change)
		if _, err := tx.ExecContext(ctx, "INSERT INTO journal (reel_id, revision, kind, state, target, label, change_json, parts, made_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
			id, st.Revision, st.Kind, st.State, st.Target, clip(st.Label, 1000), first, len(rest), st.At.UTC()); err != nil {
			return err
		}
		if err := journalParts.write(ctx, tx, rest, id, st.Revision); err != nil {
			return err
		}
	}
	_, err := tx.ExecContext(ctx, "UPDATE reels SET revision = ? WHERE id = ?", h.Revision, id)
	return err
}

// writeVersion keeps a named version, or says why not.
func writeVersion(ctx context.Context, tx *sql.Tx, id int64, v bundle.Version) (why string, err error) {
	name, err := reel.CleanName(v.Name)
	if err == nil && v.Reel == nil {
		err = errors.New("there is nothing in it")
	}
	if err == nil {
		err = v.Reel.Check()
	}
	if err != nil {
		return fmt.Sprintf("Version “%s” was left out: %v.", clip(v.Name, 100), err), nil
	}
	text, err := json.Marshal(v.Reel)
	if err != nil {
		return "", err
	}
	first, rest := split(text)
	res, err := tx.ExecContext(ctx, "INSERT INTO versions (reel_id, name, revision, reel_json, parts, made_at) VALUES (?, ?, ?, ?, ?, ?)", id, name, v.Revision, first, len(rest), v.At.UTC().Truncate(time.Millisecond))
	if err != nil {
		return "", err
	}
	made, err := res.LastInsertId()
	if err != nil {
		return "", err
	}
	return "", versionParts.write(ctx, tx, rest, made)
}
