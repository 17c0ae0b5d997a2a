package api

import (
	"context"
	"encoding/json"
	"fmt"

	"blendseam/server/answer"
	"blendseam/store"
	"blendseam/work"
)

// postExtract saves stretches of a source as files and as sources, as a job.
func (s *API) postExtract(ctx context.Context, in *struct {
	OfReel
	Body work.ExtractSettings
}) (*Made, error) {
	return s.addExtract(ctx, in.Reel, in.Body)
}

func (s *API) addExtract(ctx context.Context, id int64, e work.ExtractSettings) (*Made, error) {
	v, err := s.Store.Load(ctx, id)
	if err != nil {
		return nil, err
	}
	if _, _, err := e.Parts(work.Present(s.Library, v.Reel)); err != nil {
		return nil, answer.Bad(answer.UpperFirst(err.Error()) + ".")
	}
	settings, err := json.Marshal(e)
	if err != nil {
		return nil, err
	}
	src, _ := v.Reel.Source(e.Source)
	name := fmt.Sprintf("%s, %d stretches", src.Name, len(e.Stretches))
	if len(e.Stretches) == 1 {
		name = src.Name + ", 1 stretch"
	}
	if e.Files {
		name += ".zip"
	}
	return s.addJob(ctx, store.Job{Kind: work.ExtractJob, Reel: id, Name: name, Settings: settings})
}
