package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"strings"

	"blendseam/core/reel"
)

// Finding is something that is not as it must be.
type Finding struct {
	Reel   int64
	Name   string // of the reel
	What   string
	Mended bool
}

// Verify looks through all reels, removed ones too: whether the tables hold
// what the journal leads to from nothing, whether that is sound, and whether
// the line of undo and redo and all versions can be gone to. With repair, what
// is wrong is brought to what the journal says, or as near to it as is sound.
func (s *Store) Verify(ctx context.Context, repair bool, say func(Finding)) error {
	ids, err := s.Reels(ctx)
	if err != nil {
		return err
	}
	for _, id := range ids {
		found, err := s.VerifyReel(ctx, id, repair)
		if err != nil {
			return fmt.Errorf("reel %d: %w", id, err)
		}
		for _, f := range found {
			say(f)
		}
	}
	return nil
}

// Reels are the ids of all reels, removed ones too.
func (s *Store) Reels(ctx context.Context) (ids []int64, err error) {
	defer s.guard(&ctx, &err)()
	found, err := s.db.QueryContext(ctx, "SELECT id FROM reels ORDER BY id")
	if err != nil {
		return nil, err
	}
	defer found.Close()
	for found.Next() {
		var id int64
		if err := found.Scan(&id); err != nil {
			return nil, err
		}
		ids = append(ids, id)
	}
	return ids, found.Err()
}

// VerifyReel is Verify of one reel.
func (s *Store) VerifyReel(ctx context.Context, id int64, repair bool) (out []Finding, err error) {
	defer s.guard(&ctx, &err)()
	tx, err := s.db.BeginTx(ctx, &sql.TxOptions{Isolation: sql.LevelRepeatableRead, ReadOnly: !repair})
	if err != nil {
		return nil, err
	}
	defer tx.Rollback()
	if repair { // nobody edits it meanwhile
		var n int
		if err := tx.QueryRowContext(ctx, "SELECT COUNT(*) FROM reels WHERE id = ? FOR UPDATE", id).Scan(&n); err != nil {
			return nil, err
		}
	}
	v, err := readVersion(ctx, tx, id)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil // it is gone meanwhile
	}
	if err != nil {
		return nil, err
	}
	r, err := replay(ctx, tx, id)
	if err != nil {
		return nil, err
	}
	if !r.props { // the first journals did not tell it
		r.reel.Props = v.Reel.Props
	}
	say := func(mended bool, format string, a ...any) {
		out = append(out, Finding{id, v.Reel.Props.Name, fmt.Sprintf(format, a...), mended})
	}
	var wrong []string
	if r.revision != v.Revision {
		wrong = append(wrong, fmt.Sprintf("it is at revision %d and its journal at %d", v.Revision, r.revision))
	}
	wrong = append(wrong, r.wrong...)
	rowsDiffer := !reel.Diff(v.Reel, r.reel).Empty()
	if rowsDiffer {
		wrong = append(wrong, "its tables differ from its journal: "+inWords(reel.Diff(r.reel, v.Reel)))
	}
	if err := v.Reel.Check(); err != nil {
		wrong = append(wrong, "it breaks a rule: "+err.Error())
	}
	mended := false
	if len(wrong) > 0 && repair {
		if mended, err = mend(ctx, tx, v, r); err != nil {
			return nil, err
		}
	}
	for _, w := range wrong {
		say(mended, "%s", w)
	}
	if len(wrong) == 0 || mended {
		if err := s.verifyLine(ctx, tx, id, repair, say); err != nil {
			return nil, err
		}
	}
	if err := s.verifyVersions(ctx, tx, id, say); err != nil {
		return nil, err
	}
	if repair && len(out) > 0 {
		if err := tx.Commit(); err != nil {
			return nil, err
		}
		s.slot(id).keep(Version{})
	}
	return out, nil
}

// mend writes the reel that is nearest to what was acknowledged and sound: as
// the journal tells it; else as the tables do. Sources that were lost are given
// back. Where that is not where the journal leads, the journal goes on from it.
func mend(ctx context.Context, q querier, v Version, r replayed) (bool, error) {
	var to *reel.Reel
	for _, doc := range []*reel.Reel{r.reel, v.Reel} {
		if doc = r.completed(doc); doc.Check() == nil {
			to = doc
			break
		}
	}
	if to == nil {
		return false, nil
	}
	// Whatever lies in the tables makes way.
	if err := clearTables(ctx, q, v.ID); err != nil {
		return false, err
	}
	whole := reel.Diff(&reel.Reel{}, to)
	if err := writeChange(ctx, q, v.ID, whole, &reel.Reel{}); err != nil {
		return false, err
	}
	if len(r.wrong) == 0 && r.revision == v.Revision && reel.Diff(r.reel, to).Empty() {
		_, err := q.ExecContext(ctx, "UPDATE reels SET next_id = GREATEST(next_id, ?) WHERE id = ?", to.NextID, v.ID)
		return true, err
	}
	next := max(to.NextID, v.Reel.NextID)
	return true, writeJournal(ctx, q, v.ID, max(r.revision, v.Revision)+1, next, move{kind: "repair", change: whole, outcome: reel.Outcome{Label: "repaired"}})
}

// verifyLine goes along undo to the beginning and along redo to the end. With
// repair, steps that there is no way past leave the line.
func (s *Store) verifyLine(ctx context.Context, q querier, id int64, repair bool, say func(bool, string, ...any)) error {
	v, err := readVersion(ctx, q, id)
	if err != nil {
		return err
	}
	for _, way := range []struct {
		state, verb string
		desc        bool
		turn        func(reel.Change) reel.Change
		past        string
	}{
		{"done", "undone", true, reel.Change.Invert, "<="},
		{"undone", "redone", false, func(c reel.Change) reel.Change { return c }, ">="},
	} {
		at, stuck := v.Reel, int64(0)
		errStuck := errors.New("stuck")
		err := each(ctx, q, id, rows{where: "kind = 'step' AND state = ?", args: []any{way.state}, desc: way.desc}, func(e entry) error {
			next, err := way.turn(e.change).Apply(at)
			if err == nil {
				err = next.Check()
			}
			if err != nil {
				stuck = e.revision
				say(repair, "step %d (“%s”) cannot be %s: %v", e.revision, e.label, way.verb, err)
				return errStuck
			}
			at = next
			return nil
		})
		if err != nil && !errors.Is(err, errStuck) {
			return err
		}
		if stuck != 0 && repair {
			if _, err := q.ExecContext(ctx, "UPDATE journal SET state = 'dropped' WHERE reel_id = ? AND kind = 'step' AND state = ? AND revision "+way.past+" ?", id, way.state, stuck); err != nil {
				return err
			}
		}
	}
	return nil
}

func (s *Store) verifyVersions(ctx context.Context, q querier, id int64, say func(bool, string, ...any)) error {
	found, err := q.QueryContext(ctx, "SELECT id FROM versions WHERE reel_id = ?", id)
	if err != nil {
		return err
	}
	var ids []int64
	for found.Next() {
		var n int64
		if err := found.Scan(&n); err != nil {
			found.Close()
			return err
		}
		ids = append(ids, n)
	}
	found.Close()
	if err := found.Err(); err != nil {
		return err
	}
	for _, n := range ids {
		name, doc, err := s.version(ctx, q, id, n)
		if err == nil {
			err = doc.Check()
		}
		if err != nil {
			say(false, "version “%s” breaks a rule: %v", name, err)
		}
	}
	return nil
}

// inWords names what a change touches.
func inWords(c reel.Change) string {
	var out []string
	if c.Props != nil {
		out = append(out, "its settings")
	}
	add := func(n int, one string) {
		if n == 1 {
			out = append(out, "1 "+one)
		} else if n > 1 {
			out = append(out, fmt.Sprintf("%d %ss", n, one))
		}
	}
	add(len(c.Tracks), "track")
	add(len(c.Sources), "source")
	moved := 0
	for _, s := range c.Shifts {
		moved += len(s.Clips)
	}
	add(len(c.Clips)+moved, "clip")
	add(len(c.Blends), "blend")
	add(len(c.Strikes), "strike")
	add(len(c.Points), "point")
	add(len(c.Treatments), "treatment")
	add(len(c.Swatches), "swatch")
	add(len(c.Markers), "marker")
	add(len(c.Ties), "tie")
	return strings.Join(out, ", ")
}
