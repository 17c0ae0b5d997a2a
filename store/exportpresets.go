package store

import (
	"context"
	"encoding/json"
)

// ExportPreset is a named way to export: the settings as they were given.
type ExportPreset struct {
	Name  string          `json:"name"`
	Order json.RawMessage `json:"order"`
}

// ExportPresets lists a user's by name.
func (s *Store) ExportPresets(ctx context.Context, owner string) (out []ExportPreset, err error) {
	defer s.guard(&ctx, &err)()
	found, err := s.db.QueryContext(ctx, "SELECT name, order_json FROM export_presets WHERE owner = ? ORDER BY name", owner)
	if err != nil {
		return nil, err
	}
	defer found.Close()
	for found.Next() {
		var p ExportPreset
		if err := found.Scan(&p.Name, (*[]byte)(&p.Order)); err != nil {
			return nil, err
		}
		out = append(out, p)
	}
	return out, found.Err()
}

// SaveExportPreset keeps a way to export by a name; one that was there is replaced.
func (s *Store) SaveExportPreset(ctx context.Context, owner string, p ExportPreset) (err error) {
	defer s.guard(&ctx, &err)()
	_, err = s.db.ExecContext(ctx, "REPLACE INTO export_presets (owner, name, order_json) VALUES (?, ?, ?)", owner, p.Name, string(p.Order))
	return err
}

// RemoveExportPreset lets one go. That it is gone already is no error.
func (s *Store) RemoveExportPreset(ctx context.Context, owner, name string) (err error) {
	defer s.guard(&ctx, &err)()
	_, err = s.db.ExecContext(ctx, "DELETE FROM export_presets WHERE owner = ? AND name = ?", owner, name)
	return err
}
