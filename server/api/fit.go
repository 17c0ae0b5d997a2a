package api

import (
	"context"
	"encoding/json"

	"blendseam/core/reel"
	"blendseam/store"
	"blendseam/work"
)

// FitRequest is a clip that is to be so long, and the revision in which it was seen.
type FitRequest struct {
	Base int64 `json:"base" doc:"the revision the clip was seen in"`
	reel.FitClip
}

// postFit has a clip computed at another speed, as a job; when it is there the reel plays
// it. What cannot be fitted is refused at once.
func (s *API) postFit(ctx context.Context, in *struct {
	OfReel
	Body FitRequest
}) (*Made, error) {
	v, err := s.Store.Load(ctx, in.Reel)
	if err != nil {
		return nil, err
	}
	e := in.Body.FitClip
	if _, err := reel.Do(ctx, v.Reel, &e); err != nil {
		return nil, err
	}
	c, _ := v.Reel.Clip(e.Clip)
	settings, err := json.Marshal(work.FitSettings{Edit: e, Base: in.Body.Base})
	if err != nil {
		return nil, err
	}
	return s.addJob(ctx, store.Job{Kind: work.FitJob, Reel: in.Reel, Name: c.Name, Settings: settings})
}
