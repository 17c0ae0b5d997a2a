package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
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
func (s *Store) Keep(ctx context.Context, id int64, name string) (Kept, error) {
	name, err := reel.CleanName(name)
	if err != nil {
		return Kept{}, err
	}
	v, err := s.Load(ctx, id)
	if err != nil {
		return Kept{}, err
	}
	var n int
	if err := s.db.QueryRowContext(ctx, "SELECT COUNT(*) FROM versions WHERE reel_id = ?", id).Scan(&n); err != nil {
		return Kept{}, err
	}
	if n >= MaxVersions {
		return Kept{}, &reel.Refusal{Reason: "This reel has 200 versions, which is as many as are kept.", Possible: "Let one go first, or open one as a reel of its own."}
	}
	text, err := json.Marshal(v.Reel)
	if err != nil {
		return Kept{}, err
	}
	k := Kept{Name: name, Revision: v.Revision, At: time.Now().UTC().Truncate(time.Millisecond)}
	res, err := s.db.ExecContext(ctx, "INSERT INTO versions (reel_id, name, revision, reel_json, made_at) VALUES (?, ?, ?, ?, ?)", id, k.Name, k.Revision, text, k.At)
	if err != nil {
		return Kept{}, err
	}
	k.ID, err = res.LastInsertId()
	return k, err
}

// Versions lists the named versions of a reel, the newest first.
func (s *Store) Versions(ctx context.Context, id int64) ([]Kept, error) {
	rows, err := s.db.QueryContext(ctx, "SELECT id, name, revision, made_at FROM versions WHERE reel_id = ? ORDER BY id DESC", id)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	out := []Kept{}
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
	err := q.QueryRowContext(ctx, "SELECT name, reel_json FROM versions WHERE reel_id = ? AND id = ?", id, version).Scan(&name, &text)
	if errors.Is(err, sql.ErrNoRows) {
		return "", nil, ErrNoVersion
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
	return s.step(ctx, id, func(tx *sql.Tx, v Version) (move, error) {
		name, then, err := s.version(ctx, tx, id, version)
		if err != nil {
			return move{}, err
		}
		return newStep(ctx, tx, v, onto(v.Reel, then), reel.Outcome{Label: "back to version “" + name + "”"})
	})
}

// OpenVersion makes a new reel of a named version.
func (s *Store) OpenVersion(ctx context.Context, id, version int64) (int64, error) {
	v, err := s.Load(ctx, id)
	if err != nil {
		return 0, err
	}
	name, then, err := s.version(ctx, s.db, id, version)
	if err != nil {
		return 0, err
	}
	r := *onto(v.Reel, then)
	r.NextID = max(r.NextID, v.Reel.NextID)
	r.Props.Name = reel.ShortName(r.Props.Name + ", " + name)
	return s.Create(ctx, &r)
}

// LetGo removes a named version. The reel's history stays.
func (s *Store) LetGo(ctx context.Context, id, version int64) error {
	res, err := s.db.ExecContext(ctx, "DELETE FROM versions WHERE reel_id = ? AND id = ?", id, version)
	if err != nil {
		return err
	}
	if n, err := res.RowsAffected(); err != nil || n == 0 {
		return errors.Join(ErrNoVersion, err)
	}
	return nil
}
