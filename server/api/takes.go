package api

import (
	"context"
	"encoding/json"
	"slices"

	"blendseam/core/conform"
	"blendseam/core/reel"
	"blendseam/server/answer"
	"blendseam/store"
	"blendseam/work"
)

// TakeList are the takes of a reel that came as several files.
type TakeList struct {
	Takes []conform.Take `json:"takes"`
}

func (s *API) getTakes(ctx context.Context, in *OfReel) (TakeList, error) {
	v, err := s.Store.Load(ctx, in.Reel)
	if err != nil {
		return TakeList{}, err
	}
	return TakeList{some(work.TakesOf(s.Library, v.Reel))}, nil
}

// postTake joins the files of a take, as a job.
func (s *API) postTake(ctx context.Context, in *struct {
	OfReel
	Body struct {
		Sources []reel.ID `json:"sources" doc:"those of a take that getTakes tells of"`
	}
}) (*Made, error) {
	return s.addTake(ctx, in.Reel, in.Body.Sources)
}

func (s *API) addTake(ctx context.Context, id int64, sources []reel.ID) (*Made, error) {
	v, err := s.Store.Load(ctx, id)
	if err != nil {
		return nil, err
	}
	for _, t := range work.TakesOf(s.Library, v.Reel) {
		if !slices.Equal(t.Sources, sources) {
			continue
		}
		settings, err := json.Marshal(t)
		if err != nil {
			return nil, err
		}
		return s.addJob(ctx, store.Job{Kind: work.JoinJob, Reel: id, Name: t.Name, Settings: settings})
	}
	return nil, answer.Bad("These sources are not the files of one take, or were joined before.")
}
