package store

import (
	"context"
	"fmt"
	"time"

	"blendseam/core/reel"
)

// Purge deletes the reels that were removed before a time, with their history
// and versions, and tells which.
func (s *Store) Purge(ctx context.Context, before time.Time) (gone []Entry, err error) {
	defer s.guard(&ctx, &err)()
	removed, err := s.Shelf(ctx, true)
	if err != nil {
		return nil, err
	}
	for _, e := range removed {
		if e.RemovedAt == nil || !e.RemovedAt.Before(before) {
			continue
		}
		if err := s.purge(ctx, e.ID, before); err != nil {
			return gone, fmt.Errorf("reel %d: %w", e.ID, err)
		}
		gone = append(gone, e)
	}
	return gone, nil
}

func (s *Store) purge(ctx context.Context, id int64, before time.Time) error {
	tx, err := s.db.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	// It may have been put back since it was listed.
	var n int
	if err := tx.QueryRowContext(ctx, "SELECT COUNT(*) FROM reels WHERE id = ? AND removed_at < ? FOR UPDATE", id, before.UTC()).Scan(&n); err != nil || n == 0 {
		return err
	}
	if err := clearTables(ctx, tx, id); err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, "DELETE FROM reels WHERE id = ?", id); err != nil {
		return err
	}
	if err := tx.Commit(); err != nil {
		return err
	}
	s.mu.Lock()
	delete(s.cache, id)
	s.mu.Unlock()
	return nil
}

// Needed are the recordings, by hash, that a reel plays or lists, that a
// version holds, or that undo or redo could bring back; of reels that were
// removed too. A source that was taken off the list before a time, that
// nothing plays and that no step ever played is not among them.
func (s *Store) Needed(ctx context.Context, unlistedBefore time.Time) (map[string]bool, error) {
	out := map[string]bool{}
	ids, err := s.Reels(ctx)
	if err != nil {
		return nil, err
	}
	for _, id := range ids {
		if err := s.neededBy(ctx, id, unlistedBefore, out); err != nil {
			return nil, fmt.Errorf("reel %d: %w", id, err)
		}
	}
	return out, nil
}

func (s *Store) neededBy(ctx context.Context, id int64, unlistedBefore time.Time, out map[string]bool) error {
	v, err := s.Anew(ctx, id)
	if err == ErrNoReel {
		return nil
	}
	if err != nil {
		return err
	}
	// What was ever played, by way of any step.
	played := map[reel.ID]bool{}
	clips := func(c reel.Clip) { played[c.Source] = true }
	strikes := func(s reel.Strike) { played[s.Cover.Source] = true }
	swatches := func(s reel.Swatch) { played[s.Source] = true }
	byHash := map[string]bool{} // room tone names the recording that it is grown of
	source := func(src reel.Source) {
		if src.Bed.Grown() {
			byHash[src.Recording] = true
		}
		if src.Fitted() {
			byHash[src.Fit.Of] = true // to which it can be taken back
		}
	}
	doc := func(r *reel.Reel) {
		visit(r.Clips, clips)
		visit(r.Strikes, strikes)
		visit(r.Swatches, swatches)
		visit(r.Sources, source)
	}
	doc(v.Reel)
	err = each(ctx, s.db, id, rows{}, func(e entry) error {
		visitPairs(e.change.Clips, clips)
		visitPairs(e.change.Strikes, strikes)
		visitPairs(e.change.Swatches, swatches)
		visitPairs(e.change.Sources, source)
		return nil
	})
	if err != nil {
		return err
	}
	kept, err := s.Versions(ctx, id)
	if err != nil {
		return err
	}
	for _, k := range kept {
		_, r, err := s.version(ctx, s.db, id, k.ID)
		if err != nil {
			return err
		}
		doc(r)
		for _, src := range r.Sources {
			if !src.Unlisted {
				out[src.Recording] = true
			}
		}
	}
	left, err := s.unlistedAt(ctx, id)
	if err != nil {
		return err
	}
	for _, src := range v.Reel.Sources {
		at, known := left[src.ID]
		if !src.Unlisted || played[src.ID] || byHash[src.Recording] || src.Bed.Grown() || !known || at.After(unlistedBefore) {
			out[src.Recording] = true
		}
	}
	for hash := range byHash {
		out[hash] = true
	}
	// Sources that only a step of the past holds, which could come back.
	return each(ctx, s.db, id, rows{where: "kind <> 'library'"}, func(e entry) error {
		visitPairs(e.change.Sources, func(src reel.Source) { out[src.Recording] = true })
		return nil
	})
}

func visit[T any](all []T, do func(T)) {
	for _, one := range all {
		do(one)
	}
}

func visitPairs[T any](all []reel.Pair[T], do func(T)) {
	for _, p := range all {
		if p.Before != nil {
			do(*p.Before)
		}
		if p.After != nil {
			do(*p.After)
		}
	}
}

// unlistedAt is when each source was last taken off the list.
func (s *Store) unlistedAt(ctx context.Context, id int64) (map[reel.ID]time.Time, error) {
	found, err := s.db.QueryContext(ctx, "SELECT revision, made_at FROM journal WHERE reel_id = ? AND kind = 'library'", id)
	if err != nil {
		return nil, err
	}
	made := map[int64]time.Time{}
	for found.Next() {
		var revision int64
		var at time.Time
		if err := found.Scan(&revision, &at); err != nil {
			found.Close()
			return nil, err
		}
		made[revision] = at
	}
	found.Close()
	if err := found.Err(); err != nil {
		return nil, err
	}
	out := map[reel.ID]time.Time{}
	err = each(ctx, s.db, id, rows{where: "kind = 'library'"}, func(e entry) error {
		for _, p := range e.change.Sources {
			if p.After != nil && p.After.Unlisted && (p.Before == nil || !p.Before.Unlisted) {
				out[p.After.ID] = made[e.revision]
			}
		}
		return nil
	})
	return out, err
}

// AllListed are the recordings that reels list, by hash. It is asked before
// Needed, which reads every journal.
func (s *Store) AllListed(ctx context.Context) (out map[string]bool, err error) {
	defer s.guard(&ctx, &err)()
	found, err := s.db.QueryContext(ctx, "SELECT DISTINCT recording FROM sources WHERE NOT unlisted")
	if err != nil {
		return nil, err
	}
	defer found.Close()
	out = map[string]bool{}
	for found.Next() {
		var hash string
		if err := found.Scan(&hash); err != nil {
			return nil, err
		}
		out[hash] = true
	}
	return out, found.Err()
}

// Listed reports whether any reel lists a recording.
func (s *Store) Listed(ctx context.Context, hash string) (is bool, err error) {
	defer s.guard(&ctx, &err)()
	err = s.db.QueryRowContext(ctx, "SELECT EXISTS (SELECT 1 FROM sources WHERE recording = ? AND NOT unlisted)", hash).Scan(&is)
	return is, err
}

// Forget drops what is known of a recording whose files are gone.
func (s *Store) Forget(ctx context.Context, hash string) (err error) {
	defer s.guard(&ctx, &err)()
	for _, query := range []string{"DELETE FROM recordings WHERE hash = ?", "DELETE FROM pictures WHERE hash = ?"} {
		if _, err := s.db.ExecContext(ctx, query, hash); err != nil {
			return err
		}
	}
	return nil
}

// Bytes is what the database's tables take.
func (s *Store) Bytes(ctx context.Context) (n int64, err error) {
	defer s.guard(&ctx, &err)()
	err = s.db.QueryRowContext(ctx, "SELECT COALESCE(SUM(DATA_LENGTH + INDEX_LENGTH), 0) FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE()").Scan(&n)
	return n, err
}
