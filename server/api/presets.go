package api

import (
	"net/http"

	"blendseam/core/reel"
	"blendseam/server/answer"
)

// getPresets sends the user's named blends, or the shipped ones.
func (s *API) getPresets(w http.ResponseWriter, r *http.Request) {
	list, err := s.Store.Presets(r.Context(), user)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	shipped := len(list) == 0
	if shipped {
		list = reel.ShippedPresets
	}
	answer.JSON(w, http.StatusOK, map[string]any{"presets": list, "shipped": shipped})
}

// putPresets puts a list in the place of the user's.
func (s *API) putPresets(w http.ResponseWriter, r *http.Request) {
	var in struct {
		Presets []reel.Preset `json:"presets"`
	}
	err := answer.ReadJSON(r, &in)
	if err == nil {
		err = reel.CheckPresets(in.Presets)
	}
	if err == nil {
		err = s.Store.SavePresets(r.Context(), user, in.Presets)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}

// restorePresets brings the shipped presets back.
func (s *API) restorePresets(w http.ResponseWriter, r *http.Request) {
	if err := s.Store.SavePresets(r.Context(), user, nil); err != nil {
		s.Fail(w, r, err)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}
