package store

import (
	"context"
	"encoding/json"
	"errors"
)

// KeySet is a named set of keys of a user: for commands that differ from the
// shipped keys, the combinations that call them.
type KeySet struct {
	Name   string              `json:"name"`
	Chosen bool                `json:"chosen"` // the one in force; none is for the shipped keys
	Keys   map[string][]string `json:"keys"`
}

// ErrNoKeySet is returned for a set of keys that is not there.
var ErrNoKeySet = errors.New("there is no such set of keys")

// KeySets lists a user's sets of keys by name.
func (s *Store) KeySets(ctx context.Context, owner string) (out []KeySet, err error) {
	defer s.guard(&ctx, &err)()
	rows, err := s.db.QueryContext(ctx, "SELECT name, chosen, keys_json FROM key_sets WHERE owner = ? ORDER BY name", owner)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	out = []KeySet{}
	for rows.Next() {
		var k KeySet
		var text []byte
		if err := rows.Scan(&k.Name, &k.Chosen, &text); err != nil {
			return nil, err
		}
		if err := json.Unmarshal(text, &k.Keys); err != nil {
			return nil, err
		}
		out = append(out, k)
	}
	return out, rows.Err()
}

// SaveKeySet writes a set over the one of its name.
func (s *Store) SaveKeySet(ctx context.Context, owner string, k KeySet) (err error) {
	defer s.guard(&ctx, &err)()
	text, err := json.Marshal(k.Keys)
	if err != nil {
		return err
	}
	if _, err := s.db.ExecContext(ctx, "INSERT INTO key_sets (owner, name, chosen, keys_json) VALUES (?, ?, FALSE, ?) ON DUPLICATE KEY UPDATE keys_json = VALUES(keys_json)", owner, k.Name, text); err != nil {
		return err
	}
	if k.Chosen {
		return s.ChooseKeySet(ctx, owner, k.Name)
	}
	return nil
}

// ChooseKeySet puts a set in force; an empty name the shipped keys.
func (s *Store) ChooseKeySet(ctx context.Context, owner, name string) (err error) {
	defer s.guard(&ctx, &err)()
	if name != "" {
		var n int
		if err := s.db.QueryRowContext(ctx, "SELECT COUNT(*) FROM key_sets WHERE owner = ? AND name = ?", owner, name).Scan(&n); err != nil {
			return err
		}
		if n == 0 {
			return ErrNoKeySet
		}
	}
	_, err = s.db.ExecContext(ctx, "UPDATE key_sets SET chosen = (name = ?) WHERE owner = ?", name, owner)
	return err
}

// RemoveKeySet forgets a set.
func (s *Store) RemoveKeySet(ctx context.Context, owner, name string) (err error) {
	defer s.guard(&ctx, &err)()
	res, err := s.db.ExecContext(ctx, "DELETE FROM key_sets WHERE owner = ? AND name = ?", owner, name)
	if err != nil {
		return err
	}
	if n, err := res.RowsAffected(); err != nil || n == 0 {
		return errors.Join(ErrNoKeySet, err)
	}
	return nil
}
