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
	return s.fitJob(ctx, v, work.FitSettings{Edit: e, Base: in.Body.Base})
}

// FitShotRequest is a shot that is to be so long with its sound, and the revision in which
// it was seen.
type FitShotRequest struct {
	Base int64 `json:"base" doc:"the revision the shot was seen in"`
	reel.FitShot
}

// postShotFit has the sound of a shot computed at another speed, as a job; when it is there
// both run so.
func (s *API) postShotFit(ctx context.Context, in *struct {
	OfReel
	Body FitShotRequest
}) (*Made, error) {
	v, err := s.Store.Load(ctx, in.Reel)
	if err != nil {
		return nil, err
	}
	e := in.Body.FitShot
	return s.fitJob(ctx, v, work.FitSettings{Shot: &e, Base: in.Body.Base})
}

// fitJob notes a fit that is possible.
func (s *API) fitJob(ctx context.Context, v store.Version, want work.FitSettings) (*Made, error) {
	var e reel.Edit = &want.Edit
	clip := want.Edit.Clip
	if want.Shot != nil {
		e, clip = want.Shot, want.Shot.Shot
	}
	if _, err := reel.Do(ctx, work.Present(s.Library, v.Reel), e); err != nil {
		return nil, err
	}
	c, _ := v.Reel.Clip(clip)
	settings, err := json.Marshal(want)
	if err != nil {
		return nil, err
	}
	return s.addJob(ctx, store.Job{Kind: work.FitJob, Reel: v.ID, Name: c.Name, Settings: settings})
}
