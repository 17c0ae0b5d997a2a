package api

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"time"

	"blendseam/core/conform"
	"blendseam/delivery"
	"blendseam/delivery/handon"
	"blendseam/interchange/bundle"
	"blendseam/media"
	"blendseam/server/answer"
	"blendseam/store"
	"blendseam/work"
)

func (s *API) bundleRoutes() {
	create(s, "/reels/{reel}/bundles", "postBundle", "Write a reel with all its sound as one file, as a job", func(ctx context.Context, in *struct {
		OfReel
		Body work.BundleSettings
	}) (*Made, error) {
		return s.addBundle(ctx, in.Reel, in.Body)
	})
	get(s, "/bundles/{turn}", "getOpening", "How far a bundle is opened", s.getOpening)
}

// Opening is how far a bundle is opened.
type Opening struct {
	Part float64 `json:"part" doc:"0…1, of its sound that was taken in"`
}

// getOpening tells of a bundle that is being opened, by the turn that its sender gave it.
func (s *API) getOpening(_ context.Context, in *struct {
	Turn string `path:"turn" maxLength:"64"`
}) (Opening, error) {
	part, ok := s.opening.Load(in.Turn)
	if !ok {
		return Opening{}, nil // it has not come yet, or is open already
	}
	return Opening{part.(float64)}, nil
}

func (s *API) addBundle(ctx context.Context, id int64, want work.BundleSettings) (*Made, error) {
	v, err := s.Store.Load(ctx, id)
	if err != nil {
		return nil, err
	}
	ending := ".bundle.zip"
	switch want.List {
	case "":
	case "adl":
		if err := want.Fades.Check(); err != nil {
			return nil, answer.Bad(err.Error())
		}
		if handon.Samples(v.Reel, conform.Choice{}) == 0 {
			return nil, answer.Bad("No clip of this reel has sound. Insert one, or export the list alone.")
		}
		ending = " (AES31).zip"
	default:
		return nil, answer.Bad("A list with its sound is written as adl.")
	}
	settings, err := json.Marshal(want)
	if err != nil {
		return nil, err
	}
	return s.addJob(ctx, store.Job{Kind: work.BundleJob, Reel: id, Name: delivery.PlainName(v.Reel.Props.Name) + ending, Settings: settings})
}

// takeBundle takes a bundle as the request's body and makes a reel of it. One that cannot
// be taken over makes none; recordings of it that came before are cleared away as any
// that no reel plays.
func (s *API) takeBundle(w http.ResponseWriter, r *http.Request) {
	name := fileNameOf(r.URL.Query().Get("name"))
	if name == "" {
		name = "bundle.zip"
	}
	ctx, end := context.WithCancel(r.Context())
	defer end()
	u, err := s.Library.Receive(ctx, name, s.Times.Body(ctx, w, r.Body), func(int64) {})
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	defer u.Discard()
	_ = http.NewResponseController(w).SetWriteDeadline(time.Time{}) // decoding may take long
	turn := r.URL.Query().Get("turn")
	told := func(float64) {}
	if turn != "" && len(turn) <= 64 {
		told = func(part float64) { s.opening.Store(turn, part) }
		told(0)
		defer s.opening.Delete(turn)
	}
	out, err := s.openBundle(ctx, u, told)
	var bad *bundle.Malformed
	switch {
	case errors.As(err, &bad):
		err = answer.Bad("“" + name + "” cannot be opened: " + bad.Why + ". No reel was made.")
	case errors.Is(err, bundle.ErrNewer):
		err = answer.Bad("“" + name + "” cannot be opened: " + err.Error() + ".")
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	answer.JSON(w, http.StatusCreated, out)
}

func (s *API) openBundle(ctx context.Context, u *media.Upload, told func(float64)) (work.TakenOver, error) {
	f, size, err := u.Open()
	if err != nil {
		return work.TakenOver{}, err
	}
	defer f.Close()
	x := work.Bundles{Store: s.Store, Library: s.Library, Files: s.Files}
	return x.TakeOver(ctx, f, size, told)
}
