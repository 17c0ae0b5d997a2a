package server

import (
	"net/http"

	"blendseam/core/reel"
)

// getPresets sends the user's named blends, or the shipped ones.
func (s *Server) getPresets(w http.ResponseWriter, r *http.Request) {
	list, err := s.store.Presets(r.Context(), user)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	shipped := len(list) == 0
	if shipped {
		list = reel.ShippedPresets
	}
	writeJSON(w, http.StatusOK, map[string]any{"presets": list, "shipped": shipped})
}

// putPresets puts a list in the place of the user's.
func (s *Server) putPresets(w http.ResponseWriter, r *http.Request) {
	var in struct {
		Presets []reel.Preset `json:"presets"`
	}
	err := readJSON(w, r, &in)
	if err == nil {
		err = reel.CheckPresets(in.Presets)
	}
	if err == nil {
		err = s.store.SavePresets(r.Context(), user, in.Presets)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}

// restorePresets brings the shipped presets back.
func (s *Server) restorePresets(w http.ResponseWriter, r *http.Request) {
	if err := s.store.SavePresets(r.Context(), user, nil); err != nil {
		s.fail(w, r, err)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}
