package api

import (
	"context"

	"blendseam/core/roomtone"
)

// Continuity is the room through a reel as it sounds, at a revision.
type Continuity struct {
	Revision int64 `json:"revision"`
	roomtone.Continuity
}

func (s *API) getContinuity(ctx context.Context, in *OfReel) (Continuity, error) {
	v, err := s.Store.Load(ctx, in.Reel)
	if err != nil {
		return Continuity{}, err
	}
	c, err := s.Continuity.Of(ctx, v.Reel)
	return Continuity{v.Revision, c}, err
}
