package api

import (
	"context"

	"blendseam/core/level"
	"blendseam/core/reel"
	"blendseam/work"
)

// PauseRequest is a clip that is to be so long by its pauses alone.
type PauseRequest struct {
	Clip   reel.ID    `json:"clip"`
	Length int64      `json:"length" doc:"samples"`
	Later  reel.Later `json:"later,omitempty"`
}

// PauseProposal is what that takes.
type PauseProposal struct {
	Revision int64 `json:"revision"`
	level.PauseFit
	Edit *Edit `json:"edit"`
}

// postPauses listens for the pauses of a clip and tells what would bring it to a length
// without a word being touched.
func (s *API) postPauses(ctx context.Context, in *struct {
	OfReel
	Body PauseRequest
}) (PauseProposal, error) {
	v, err := s.Store.Load(ctx, in.Reel)
	if err != nil {
		return PauseProposal{}, err
	}
	q := in.Body
	found, err := level.FitPauses(ctx, work.Present(s.Library, v.Reel), s.opener(v.Reel.Props.SampleRate), q.Clip, q.Length, q.Later)
	if err != nil {
		return PauseProposal{}, err
	}
	out := PauseProposal{Revision: v.Revision, PauseFit: found}
	out.Edit, err = written(found.Edit)
	return out, err
}
