package api

import (
	"net/http"

	"blendseam/core/roomtone"
	"blendseam/server/answer"
)

// getContinuity sends the room through the reel as it will sound.
func (s *API) getContinuity(w http.ResponseWriter, r *http.Request) {
	v, err := s.version(r)
	var c roomtone.Continuity
	if err == nil {
		c, err = s.Continuity.Of(r.Context(), v.Reel)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	answer.JSON(w, http.StatusOK, struct {
		Revision int64 `json:"revision"`
		roomtone.Continuity
	}{v.Revision, c})
}
