package api

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"

	"blendseam/core/reel"
	"blendseam/delivery"
	"blendseam/server/answer"
	"blendseam/store"
)

// mostExportPresets is how many a user keeps.
const mostExportPresets = 100

func (s *API) exportPresetRoutes() {
	get(s, "/export-presets", "listExportPresets", "The user's named ways to export", s.listExportPresets)
	act(s, http.MethodPut, "/export-presets/{name}", "putExportPreset", "Save a way to export by a name", s.putExportPreset)
	act(s, http.MethodDelete, "/export-presets/{name}", "removeExportPreset", "Delete a named way to export", func(ctx context.Context, in *OfExportPreset) error {
		return s.Store.RemoveExportPreset(ctx, user, in.Name)
	})
}

// OfExportPreset is a request about a named way to export.
type OfExportPreset struct {
	Name string `path:"name" doc:"name of the preset"`
}

// ExportPreset is a named way to export. What of a reel is exported is not part of it.
type ExportPreset struct {
	Name  string         `json:"name"`
	Order delivery.Order `json:"order"`
}

// ExportPresetList are named ways to export.
type ExportPresetList struct {
	Presets []ExportPreset `json:"presets"`
}

func (s *API) listExportPresets(ctx context.Context, _ *struct{}) (ExportPresetList, error) {
	out := ExportPresetList{Presets: []ExportPreset{}}
	all, err := s.Store.ExportPresets(ctx, user)
	for _, p := range all {
		one := ExportPreset{Name: p.Name}
		if json.Unmarshal(p.Order, &one.Order) == nil {
			out.Presets = append(out.Presets, one)
		}
	}
	return out, err
}

func (s *API) putExportPreset(ctx context.Context, in *struct {
	OfExportPreset
	Body delivery.Order
}) error {
	name, err := reel.CleanName(in.Name)
	if err != nil {
		return err
	}
	if len([]rune(name)) > 80 {
		return answer.Bad("The name of a preset has at most 80 letters.")
	}
	all, err := s.Store.ExportPresets(ctx, user)
	if err != nil {
		return err
	}
	if len(all) >= mostExportPresets {
		return answer.Bad(fmt.Sprintf("There are %d presets. Delete one first.", len(all)))
	}
	o := in.Body
	o.From, o.To, o.Clips = 0, -1, nil
	if err := o.Check(); err != nil {
		return answer.Bad(answer.UpperFirst(err.Error()) + ".")
	}
	text, err := json.Marshal(o)
	if err != nil {
		return err
	}
	return s.Store.SaveExportPreset(ctx, user, store.ExportPreset{Name: name, Order: text})
}
