package store

import (
	"context"
	"encoding/json"

	"blendseam/core/reel"
)

// Presets lists a user's named blends in their order; none when the shipped
// ones are in force.
func (s *Store) Presets(ctx context.Context, owner string) (out []reel.Preset, err error) {
	defer s.guard(&ctx, &err)()
	rows, err := s.db.QueryContext(ctx, "SELECT name, usual, preset_json FROM presets WHERE owner = ? ORDER BY place", owner)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var p reel.Preset
		var name string
		var usual bool
		var text []byte
		if err := rows.Scan(&name, &usual, &text); err != nil {
			return nil, err
		}
		if err := json.Unmarshal(text, &p); err != nil {
			return nil, err
		}
		p.Name, p.Usual = name, usual
		out = append(out, p)
	}
	return out, rows.Err()
}

// SavePresets puts a list in the place of a user's; an empty one brings the
// shipped presets back.
func (s *Store) SavePresets(ctx context.Context, owner string, list []reel.Preset) (err error) {
	defer s.guard(&ctx, &err)()
	tx, err := s.db.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	if _, err := tx.ExecContext(ctx, "DELETE FROM presets WHERE owner = ?", owner); err != nil {
		return err
	}
	for i, p := range list {
		text, err := json.Marshal(p)
		if err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, "INSERT INTO presets (owner, name, place, usual, preset_json) VALUES (?, ?, ?, ?, ?)", owner, p.Name, i, p.Usual, text); err != nil {
			return err
		}
	}
	return tx.Commit()
}
