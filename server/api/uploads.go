package api

import (
	"context"
	"errors"
	"net/http"
	"strings"
	"time"

	"blendseam/server/answer"
	"blendseam/work"
)

// errSenderGone ends a transfer whose sender has left or stalls.
var errSenderGone = errors.New("the sender is gone")

// postUpload takes a file's bytes as the request's body and answers when they
// are here; decoding goes on after that.
func (s *API) postUpload(w http.ResponseWriter, r *http.Request) {
	v, err := s.version(r)
	name := fileNameOf(r.URL.Query().Get("name"))
	if err == nil && name == "" {
		err = answer.Bad("The upload lacks its file's name.")
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	ctx, end := context.WithCancelCause(s.Crew.Context())
	cancel := func() { end(context.Canceled) }
	// A sender that leaves, or stalls, ends the transfer.
	stop := context.AfterFunc(r.Context(), func() { end(errSenderGone) })
	// A transfer that has stalled is woken up when it is stopped.
	wake := context.AfterFunc(ctx, func() { _ = http.NewResponseController(w).SetReadDeadline(time.Now()) })
	j := s.Imports.Begin(v.ID, name, r.URL.Query().Get("folder"), cancel)
	upload, err := s.Imports.Receive(ctx, j, s.Times.Body(ctx, w, r.Body), r.ContentLength)
	if errors.Is(context.Cause(ctx), errSenderGone) {
		if upload != nil {
			upload.Discard()
		}
		err = s.Library.CutOff(name)
	} else if ctx.Err() != nil {
		err = ctx.Err()
	}
	stop() // the rest does not end with the request
	wake()
	if err != nil {
		cancel()
		s.Imports.Fail(j, err)
		s.Fail(w, r, err)
		return
	}
	s.Imports.TakeIn(ctx, j, upload, v.Reel.Props.SampleRate)
	answer.JSON(w, http.StatusAccepted, s.Imports.Look(j))
}

// fileNameOf is the last part of a file's name, for showing only: no path is
// ever made of it.
func fileNameOf(name string) string {
	name = name[strings.LastIndexAny(name, `/\`)+1:]
	if name == "" {
		return ""
	}
	return work.Shorten(name)
}

// ImportList are the files of a reel on their way in.
type ImportList struct {
	Imports []work.Incoming `json:"imports"`
}

func (s *API) importRoutes() {
	get(s, "/reels/{reel}/imports", "listImports", "Files on their way into a reel", func(ctx context.Context, in *OfReel) (ImportList, error) {
		v, err := s.Store.Load(ctx, in.Reel)
		return ImportList{some(s.Imports.Of(v.ID))}, err
	})
	act(s, http.MethodDelete, "/reels/{reel}/imports/{import}", "cancelImport", "Stop an import", func(_ context.Context, in *OfImport) error {
		j, err := in.in(s)
		if err == nil {
			s.Imports.Stop(j)
		}
		return err
	})
	act(s, http.MethodPost, "/reels/{reel}/imports/{import}/channels", "chooseChannels", "Choose channels of a recording that has more than two", func(ctx context.Context, in *struct {
		OfImport
		Body struct {
			Picks []work.Pick `json:"picks"`
		}
	}) error {
		j, err := in.in(s)
		if err != nil {
			return err
		}
		return s.Imports.Choose(ctx, j, in.Body.Picks)
	})
}

// OfImport is a request about a file on its way in.
type OfImport struct {
	OfReel
	Import string `path:"import"`
}

func (q OfImport) in(s *API) (*work.Incoming, error) {
	j := s.Imports.Find(q.Reel, q.Import)
	if j == nil {
		return nil, answer.Bad("That import is not known here any more.")
	}
	return j, nil
}
