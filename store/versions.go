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

// Kept is a named version of a reel: the reel as it was when it was kept.
type Kept struct {
	ID       int64     `json:"id"`
	Name     string    `json:"name"`
	Revision int64     `json:"revision"` // that it was kept at
	At       time.Time `json:"at"`
}

// ErrNoVersion is returned for a named version that is not there.
var ErrNoVersion = errors.New("there is no such version")

// MaxVersions is the most named versions that a reel can have.
const MaxVersions = 200

// Keep keeps a reel as it is now under a name.
func (s *Store) Keep(ctx context.Context, id int64, name string) (k Kept, err error) {
	defer s.guard(&ctx, &err)()
	if name, err = reel.CleanName(name); err != nil {
		return Kept{}, err
	}
	made, err := s.make(ctx, id, func(ctx context.Context, tx *sql.Tx) (int64, error) {
		v, err := s.lockedVersion(ctx, tx, id)
		if err != nil {
			return 0, err
		}
		var n int
		if err := tx.QueryRowContext(ctx, "SELECT COUNT(*) FROM versions WHERE reel_id = ?", id).Scan(&n); err != nil {
			return 0, err
		}
		if n >= MaxVersions {
			return 0, &reel.Refusal{Reason: fmt.Sprintf("This reel has %d versions, the most there can be.", MaxVersions), Possible: "Delete one first, or open one as a reel of its own."}
		}
		text, err := json.Marshal(v.Reel)
		if err != nil {
			return 0, err
		}
		first, rest := split(text)
		res, err := tx.ExecContext(ctx, "INSERT INTO versions (reel_id, name, revision, reel_json, parts, made_at) VALUES (?, ?, ?, ?, ?, ?)", id, name, v.Revision, first, len(rest), time.Now().UTC().Truncate(time.Millisecond))
		if err != nil {
			return 0, err
		}
		made, err := res.LastInsertId()
		if err != nil {
			return 0, err
		}
		return made, versionParts.write(ctx, tx, rest, made)
	})
	if err != nil {
		return Kept{}, err
	}
	err = s.db.QueryRowContext(ctx, "SELECT id, name, revision, made_at FROM versions WHERE id = ?", made).Scan(&k.ID, &k.Name, &k.Revision, &k.At)
	if errors.Is(err, sql.ErrNoRows) {
		err = ErrNoVersion
	}
	return k, err
}

// Versions lists the named versions of a reel, the newest first.
func (s *Store) Versions(ctx context.Context, id int64) (out []Kept, err error) {
	defer s.guard(&ctx, &err)()
	rows, err := s.db.QueryContext(ctx, "SELECT id, name, revision, made_at FROM versions WHERE reel_id = ? ORDER BY id DESC", id)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	out = []Kept{}
	for rows.Next() {
		var k Kept
		if err := rows.Scan(&k.ID, &k.Name, &k.Revision, &k.At); err != nil {
			return nil, err
		}
		out = append(out, k)
	}
	return out, rows.Err()
}

// version reads a named version.
func (s *Store) version(ctx context.Context, q querier, id, version int64) (string, *reel.Reel, error) {
	var name string
	var text []byte
	var n int
	err := q.QueryRowContext(ctx, "SELECT name, reel_json, parts FROM versions WHERE reel_id = ? AND id = ?", id, version).Scan(&name, &text, &n)
	if errors.Is(err, sql.ErrNoRows) {
		return "", nil, ErrNoVersion
	}
	if err == nil {
		text, err = versionParts.whole(ctx, q, text, n, version)
	}
	var r reel.Reel
	if err == nil {
		err = json.Unmarshal(text, &r)
	}
	return name, &r, err
}

// GoToVersion brings a reel back to a named version, as a new step that undo
// takes back. Sources stay listed as they are now.
func (s *Store) GoToVersion(ctx context.Context, id, version int64) (Result, error) {
	return s.step(ctx, id, func(ctx context.Context, tx *sql.Tx, v Version) (move, error) {
		name, then, err := s.version(ctx, tx, id, version)
		if err != nil {
			return move{}, err
		}
		return newStep(v, onto(v.Reel, then), reel.Outcome{Label: "back to version “" + name + "”"})
	})
}

// OpenVersion makes a new reel of a named version.
func (s *Store) OpenVersion(ctx context.Context, id, version int64) (made int64, err error) {
	defer s.guard(&ctx, &err)()
	return s.make(ctx, id, func(ctx context.Context, tx *sql.Tx) (int64, error) {
		v, err := s.lockedVersion(ctx, tx, id)
		if err != nil {
			return 0, err
		}
		name, then, err := s.version(ctx, tx, id, version)
		if err != nil {
			return 0, err
		}
		r := *onto(v.Reel, then)
		r.Props.Name = reel.ShortName(r.Props.Name + ", " + name)
		return create(ctx, tx, &r)
	})
}

// LetGo removes a named version. The reel's history stays.
func (s *Store) LetGo(ctx context.Context, id, version int64) error {
	return s.mark(ctx, id, ErrNoVersion, "DELETE FROM versions WHERE reel_id = ? AND id = ?", id, version)
}
