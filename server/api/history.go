package api

import (
	"context"
	"net/http"

	"blendseam/server/answer"
	"blendseam/server/live"
	"blendseam/store"
)

// StepRequest undoes or redoes a step, against a revision where it names one.
type StepRequest struct {
	Base *int64 `json:"base,omitempty"`
}

type stepInput struct {
	OfReel
	Body *StepRequest
}

// StepPage are rows of a reel's journal, the newest first.
type StepPage struct {
	Steps []store.Step `json:"steps"`
}

func (s *API) historyRoutes() {
	get(s, "/reels/{reel}/history", "getHistory", "The steps of a reel, the newest first", s.getHistory)
	post(s, "/reels/{reel}/undo", "postUndo", "Undo the last step", func(ctx context.Context, in *stepInput) (live.Changed, error) {
		return s.step(ctx, in, s.Store.Undo)
	})
	post(s, "/reels/{reel}/redo", "postRedo", "Redo the step that was undone last", func(ctx context.Context, in *stepInput) (live.Changed, error) {
		return s.step(ctx, in, s.Store.Redo)
	})
	post(s, "/reels/{reel}/go", "postGo", "Go to the state after a step, or 0 for the beginning", s.postGo)
	get(s, "/reels/{reel}/versions", "listVersions", "The named versions of a reel", s.listVersions)
	handle(s, operation(http.MethodPost, "/reels/{reel}/versions", "keepVersion", "Save the reel as it is now as a version", http.StatusCreated), s.keepVersion)
	act(s, http.MethodDelete, "/reels/{reel}/versions/{version}", "letGoVersion", "Delete a version", func(ctx context.Context, in *ofVersion) error {
		return s.Store.LetGo(ctx, in.Reel, in.Version)
	})
	post(s, "/reels/{reel}/versions/{version}/go", "goToVersion", "Go to a version, as a step", func(ctx context.Context, in *ofVersion) (live.Changed, error) {
		return s.done(s.Store.GoToVersion(ctx, in.Reel, in.Version))
	})
	create(s, "/reels/{reel}/versions/{version}/open", "openVersion", "Open a version as a new reel", s.openVersion)
}

type historyInput struct {
	OfReel
	Before int64  `query:"before" doc:"revision that the rows are older than; 0 for the newest"`
	Limit  int64  `query:"limit" default:"100" doc:"at most 1000"`
	Only   string `query:"only" doc:"“steps” leaves out rows that tell of undo, redo and the list of sources"`
}

func (s *API) getHistory(ctx context.Context, in *historyInput) (StepPage, error) {
	v, err := s.Store.Load(ctx, in.Reel)
	if err != nil {
		return StepPage{}, err
	}
	steps, err := s.Store.History(ctx, v.ID, in.Before, int(min(max(in.Limit, 1), 1000)), in.Only == "steps")
	return StepPage{some(steps)}, err
}

// some is a list that is never null.
func some[T any](list []T) []T {
	if list == nil {
		return []T{}
	}
	return list
}

func (s *API) step(ctx context.Context, in *stepInput, do func(context.Context, int64, int64) (store.Result, error)) (live.Changed, error) {
	base := int64(store.Any)
	if in.Body != nil && in.Body.Base != nil {
		if base = *in.Body.Base; base < 0 {
			return live.Changed{}, answer.Bad("A revision is not negative.")
		}
	}
	return s.done(do(ctx, in.Reel, base))
}

type goInput struct {
	OfReel
	Body struct {
		Revision int64 `json:"revision"`
	}
}

// postGo brings a reel to the state after a step of its history.
func (s *API) postGo(ctx context.Context, in *goInput) (live.Changed, error) {
	if in.Body.Revision < 0 {
		return live.Changed{}, answer.Bad("A step is named by its revision, or 0 for the beginning.")
	}
	return s.done(s.Store.GoTo(ctx, in.Reel, in.Body.Revision))
}

type ofVersion struct {
	OfReel
	Version int64 `path:"version" minimum:"0"`
}

// VersionList are the named versions of a reel.
type VersionList struct {
	Versions []store.Kept `json:"versions"`
}

func (s *API) listVersions(ctx context.Context, in *OfReel) (VersionList, error) {
	v, err := s.Store.Load(ctx, in.Reel)
	if err != nil {
		return VersionList{}, err
	}
	kept, err := s.Store.Versions(ctx, v.ID)
	return VersionList{some(kept)}, err
}

// NameRequest names something.
type NameRequest struct {
	Name string `json:"name"`
}

type nameInput struct {
	OfReel
	Body NameRequest
}

func (s *API) keepVersion(ctx context.Context, in *nameInput) (*Sent[store.Kept], error) {
	kept, err := s.Store.Keep(ctx, in.Reel, in.Body.Name)
	return &Sent[store.Kept]{kept}, err
}

func (s *API) openVersion(ctx context.Context, in *ofVersion) (*Made, error) {
	id, err := s.Store.OpenVersion(ctx, in.Reel, in.Version)
	return made(id, ""), err
}
