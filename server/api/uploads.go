package api

import (
	"context"
	"errors"
	"net/http"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

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
	j := s.Imports.Begin(v.ID, name, cancel)
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

func (s *API) listImports(w http.ResponseWriter, r *http.Request) {
	v, err := s.version(r)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	answer.JSON(w, http.StatusOK, map[string]any{"imports": s.Imports.Of(v.ID)})
}

// job is the import that the path names.
func (s *API) job(r *http.Request) (*work.Job, error) {
	id, err := answer.PathInt(r, "reel")
	if err != nil {
		return nil, err
	}
	j := s.Imports.Find(id, chi.URLParam(r, "import"))
	if j == nil {
		return nil, answer.Bad("That import is not known here any more.")
	}
	return j, nil
}

func (s *API) cancelImport(w http.ResponseWriter, r *http.Request) {
	j, err := s.job(r)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Imports.Stop(j)
	w.WriteHeader(http.StatusNoContent)
}

func (s *API) chooseChannels(w http.ResponseWriter, r *http.Request) {
	var in struct {
		Picks []work.Pick `json:"picks"`
	}
	j, err := s.job(r)
	if err == nil {
		err = answer.ReadJSON(r, &in)
	}
	if err == nil {
		err = s.Imports.Choose(r.Context(), j, in.Picks)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}
