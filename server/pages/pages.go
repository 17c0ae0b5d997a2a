// Package pages are the pages that the server renders.
package pages

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"net/http"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"

	"blendseam/core/reel"
	"blendseam/interchange/sheet"
	"blendseam/server/answer"
	"blendseam/store"
	"blendseam/web"
	"blendseam/work"
)

// Pages shows pages.
type Pages struct {
	*answer.Answers
	Parts
	texts map[string]text
}

// Parts are what the pages are made of.
type Parts struct {
	Store   *store.Store
	Site    *web.Site
	Notices *work.Notices
	// FileDays is how many days the files of jobs are kept.
	FileDays float64
	Days     int // that removed reels are kept, 0 for ever
	// Report is a table that is told of a reel.
	Report func(ctx context.Context, v store.Version, what string) (sheet.Table, error)
}

// New makes the pages of their parts.
func New(a *answer.Answers, parts Parts) (*Pages, error) {
	texts, err := loadTexts()
	return &Pages{a, parts, texts}, err
}

// Routes answers for all pages.
func (s *Pages) Routes(r chi.Router) {
	r.Use(middleware.Compress(5, "text/html"))
	r.Get("/", s.shelf)
	r.Get("/reels/{reel}", s.ofReel("bench"))
	r.Get("/reels/{reel}/sources", s.ofReel("sources"))
	r.Get("/reels/{reel}/print/{what}", s.print)
	r.Get("/keys", func(w http.ResponseWriter, r *http.Request) {
		s.page(w, r, http.StatusOK, "keys", map[string]any{"Title": "Keys"})
	})
	r.Get("/jobs", func(w http.ResponseWriter, r *http.Request) {
		s.page(w, r, http.StatusOK, "jobs", map[string]any{"Title": "Jobs", "Days": s.FileDays})
	})
	r.Get("/numbers", s.textPage("numbers"))
	r.Get("/glossary", s.textPage("glossary"))
}

// Away is the page in place of one that cannot be had for a while.
func (s *Pages) Away(w http.ResponseWriter, r *http.Request, p answer.Problem) {
	s.page(w, r, p.Status, "away", map[string]any{"Title": p.Title, "Detail": "Every saved edit is safe."})
}

func (s *Pages) page(w http.ResponseWriter, r *http.Request, status int, name string, data any) {
	if m, ok := data.(map[string]any); ok {
		s.Notices.LookForHelpers()
		m["Notices"] = s.Notices.List()
	}
	var b bytes.Buffer
	if err := s.Site.Render(&b, name, data); err != nil {
		s.Fail(w, r, err)
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	_, _ = w.Write(b.Bytes())
}

// ofReel shows a page of the reel that the path names.
func (s *Pages) ofReel(name string) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		var v store.Version
		id, err := answer.PathInt(r, "reel")
		if err == nil {
			v, err = s.Store.Load(r.Context(), id)
		}
		if errors.Is(err, store.ErrNoReel) || answer.IsBad(err) {
			s.page(w, r, http.StatusNotFound, "missing", map[string]any{"Title": "No such reel"})
			return
		}
		if err != nil {
			s.Fail(w, r, err)
			return
		}
		limits, err := json.Marshal(reel.Shipped)
		if err != nil {
			s.Fail(w, r, err)
			return
		}
		data := map[string]any{"Limits": string(limits), "Title": v.Reel.Props.Name, "ID": v.ID, "Reel": v.Reel, "Roles": reel.Roles, "Colours": reel.Colours[1:]}
		s.page(w, r, http.StatusOK, name, data)
	}
}
