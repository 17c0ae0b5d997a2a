package server

import (
	"bytes"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"net/http"

	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/core/timecode"
	"blendseam/store"
)

//go:embed pages/*.html
var pageFiles embed.FS

// loadPages parses each page together with the frame around all of them.
func loadPages(a *assets) (map[string]*template.Template, error) {
	funcs := template.FuncMap{
		"icon":  func(name string) template.HTML { return icon(a, name) },
		"stamp": func() string { return a.stamp },
		"duration": func(samples int64, rate int) string {
			sec := (samples + int64(rate)/2) / int64(rate)
			return fmt.Sprintf("%d:%02d", sec/60, sec%60)
		},
		"json": func(v any) (string, error) { b, err := json.Marshal(v); return string(b), err },
	}
	out := map[string]*template.Template{}
	for _, name := range []string{"shelf", "bench", "sources", "missing"} {
		t, err := template.New("frame.html").Funcs(funcs).ParseFS(pageFiles, "pages/frame.html", "pages/"+name+".html")
		if err != nil {
			return nil, err
		}
		out[name] = t
	}
	return out, nil
}

// icon is a use of one of the icons in icons.svg.
func icon(a *assets, name string) template.HTML {
	return template.HTML(`<svg class="icon" aria-hidden="true"><use href="/static/icons.svg?v=` + a.stamp + `#` + template.HTMLEscapeString(name) + `"/></svg>`)
}

func (s *Server) page(w http.ResponseWriter, r *http.Request, status int, name string, data any) {
	var b bytes.Buffer
	if err := s.pages[name].Execute(&b, data); err != nil {
		s.fail(w, r, err)
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	_, _ = w.Write(b.Bytes())
}

func (s *Server) shelfPage(w http.ResponseWriter, r *http.Request) {
	reels, err := s.store.Shelf(r.Context(), false)
	var removed []store.Entry
	if err == nil {
		removed, err = s.store.Shelf(r.Context(), true)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.page(w, r, http.StatusOK, "shelf", map[string]any{
		"Title": "Shelf", "Reels": reels, "Removed": removed, "FrameRates": timecode.Rates, "SampleRates": sound.Rates, "DefaultRate": sound.DefaultRate,
	})
}

func (s *Server) benchPage(w http.ResponseWriter, r *http.Request) {
	s.reelPage(w, r, "bench")
}

func (s *Server) sourcesPage(w http.ResponseWriter, r *http.Request) {
	s.reelPage(w, r, "sources")
}

// reelPage shows a page of the reel that the path names.
func (s *Server) reelPage(w http.ResponseWriter, r *http.Request, name string) {
	v, err := s.version(r)
	var bad badRequest
	if errors.Is(err, store.ErrNoReel) || errors.As(err, &bad) {
		s.page(w, r, http.StatusNotFound, "missing", map[string]any{"Title": "No such reel"})
		return
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	data := map[string]any{"Title": v.Reel.Props.Name, "ID": v.ID, "Reel": v.Reel, "Roles": reel.Roles}
	s.page(w, r, http.StatusOK, name, data)
}
