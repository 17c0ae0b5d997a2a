package api

import (
	"encoding/hex"
	"net/http"

	"blendseam/core/reel"
	"blendseam/server/answer"
	"blendseam/work"
)

// SeamList are the seams of a revision.
type SeamList struct {
	Revision int64             `json:"revision"`
	Length   int64             `json:"length"` // of the reel, in samples
	Seams    []work.ListedSeam `json:"seams"`
	Off      []OffSync         `json:"off"` // sound that stands off its picture
}

// OffSync is a clip of sound that is not in step with its shot.
type OffSync struct {
	Clip  reel.ID `json:"clip"`
	By    int64   `json:"by"`    // samples that it is late; negative where it is early
	Words string  `json:"words"` // in frames
}

// getSeams sends all seams with what is known of them, and has the others
// measured.
func (s *API) getSeams(w http.ResponseWriter, r *http.Request) {
	v, err := s.version(r)
	var accepted map[string]bool
	if err == nil {
		accepted, err = s.Store.Accepted(r.Context(), v.ID)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	out := SeamList{Revision: v.Revision, Length: v.Reel.Length()}
	var missing bool
	if out.Seams, missing = s.Measuring.Listed(v, accepted); missing {
		s.Measuring.Want(v)
	}
	out.Off = []OffSync{}
	for _, t := range v.Reel.Ties {
		if by := v.Reel.Off(t); by != 0 {
			out.Off = append(out.Off, OffSync{t.Clip, by, v.Reel.Props.Late(by)})
		}
	}
	answer.JSON(w, http.StatusOK, out)
}

// postAccept marks a seam as heard and found good, as it sounds by its print.
func (s *API) postAccept(w http.ResponseWriter, r *http.Request) {
	var in struct {
		Print string `json:"print"`
		Good  bool   `json:"good"`
	}
	v, err := s.version(r)
	if err == nil {
		err = answer.ReadJSON(r, &in)
	}
	if err == nil {
		if b, bad := hex.DecodeString(in.Print); bad != nil || len(b) != 16 {
			err = answer.Bad("A seam is accepted by the print that was read with it.")
		}
	}
	if err == nil {
		err = s.Store.Accept(r.Context(), v.ID, in.Print, in.Good)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Live.Tell(v.ID, "accepted", in)
	w.WriteHeader(http.StatusNoContent)
}
