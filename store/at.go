package store

import (
	"context"
	"database/sql"
	"errors"
)

// ErrNoRevision is returned for a revision that a reel does not have, or cannot be
// brought back to.
var ErrNoRevision = errors.New("no such revision")

// At gives a reel as it was at a revision: the newest version with every step since
// taken back.
func (s *Store) At(ctx context.Context, id, revision int64) (v Version, err error) {
	v, err = s.Load(ctx, id)
	if err != nil || v.Revision == revision {
		return v, err
	}
	if revision < 1 || revision > v.Revision {
		return Version{}, ErrNoRevision
	}
	defer s.guard(&ctx, &err)()
	tx, err := s.db.BeginTx(ctx, &sql.TxOptions{Isolation: sql.LevelRepeatableRead, ReadOnly: true})
	if err != nil {
		return Version{}, err
	}
	defer tx.Rollback()
	then := v.Reel
	err = each(ctx, tx, id, rows{where: "revision > ? AND revision <= ?", args: []any{revision, v.Revision}, desc: true}, func(e entry) error {
		if e.kind == "repair" {
			return ErrNoRevision // it tells the whole reel, not what it was before
		}
		var err error
		then, err = e.change.Invert().Apply(then)
		return err
	})
	if err != nil {
		return Version{}, err
	}
	out := *then
	return Version{ID: v.ID, UID: v.UID, Revision: revision, Reel: &out}, nil
}
