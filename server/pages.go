package server

import (
	"bytes"
	"context"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"net/http"
	"strconv"
	"strings"

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
		"count": func(n int, one string) string {
			if n == 1 {
				return "1 " + one
			}
			return fmt.Sprintf("%d %ss", n, one)
		},
		"modules": a.modules,
		"word":    func(name string) string { return strings.ToUpper(name[:1]) + name[1:] },
		"khz":     func(rate int) string { return strconv.FormatFloat(float64(rate)/1000, 'f', -1, 64) + " kHz" },
		"json":    func(v any) (string, error) { b, err := json.Marshal(v); return string(b), err },
	}
	out := map[string]*template.Template{}
	for _, name := range []string{"shelf", "bench", "sources", "keys", "text", "missing", "away"} {
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
	if m, ok := data.(map[string]any); ok {
		s.noticeHelpers()
		m["Notices"] = s.notices.list()
	}
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
	shown, err := s.mapped(r.Context(), reels)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	until := func(e *store.Entry) string {
		if s.removedDays == 0 || e.RemovedAt == nil {
			return ""
		}
		return e.RemovedAt.AddDate(0, 0, s.removedDays).Format("2 Jan")
	}
	var just *store.Entry // what was removed a moment ago, to put it back
	for i, e := range removed {
		if fmt.Sprint(e.ID) == r.URL.Query().Get("removed") {
			just = &removed[i]
		}
	}
	s.page(w, r, http.StatusOK, "shelf", map[string]any{
		"Just": just, "Days": s.removedDays, "Until": until,
		"Title": "Reels", "Reels": shown, "Removed": pointers(removed), "FrameRates": timecode.Rates, "SampleRates": sound.Rates, "DefaultRate": sound.DefaultRate,
	})
}

func pointers[T any](all []T) []*T {
	out := make([]*T, len(all))
	for i := range all {
		out[i] = &all[i]
	}
	return out
}

// shelved is a reel with a small map of its clips.
type shelved struct {
	store.Entry
	Map *reelMap
}

// reelMap draws clips as strips, a row a track, over a width of 1000.
type reelMap struct {
	Height int
	Strips []strip
}

type strip struct {
	Role     reel.Role
	X, Width string
	Y        int
}

// mappedReels is how many reels get a map, and mappedClips the most it draws.
const (
	mappedReels = 12
	mappedClips = 400
)

func (s *Server) mapped(ctx context.Context, reels []store.Entry) ([]shelved, error) {
	out := make([]shelved, len(reels))
	for i, e := range reels {
		out[i].Entry = e
		if i >= mappedReels || e.Length == 0 || e.Clips > mappedClips {
			continue
		}
		v, err := s.store.Load(ctx, e.ID)
		if err != nil {
			return nil, err
		}
		m := &reelMap{}
		place := func(n int64) string { return strconv.FormatFloat(float64(n)/float64(e.Length)*1000, 'f', 1, 64) }
		for _, t := range v.Reel.Order() {
			for _, c := range v.Reel.OnTrack(t.ID) {
				m.Strips = append(m.Strips, strip{t.Role, place(c.Start), place(max(c.Length-e.Length/1000, e.Length/1000)), m.Height})
			}
			m.Height += 9
		}
		out[i].Map = m
	}
	return out, nil
}

func (s *Server) benchPage(w http.ResponseWriter, r *http.Request) {
	s.reelPage(w, r, "bench")
}

func (s *Server) sourcesPage(w http.ResponseWriter, r *http.Request) {
	s.reelPage(w, r, "sources")
}

func (s *Server) keysPage(w http.ResponseWriter, r *http.Request) {
	s.page(w, r, http.StatusOK, "keys", map[string]any{"Title": "Keys"})
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
	limits, err := json.Marshal(reel.Shipped)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	data := map[string]any{"Limits": string(limits), "Title": v.Reel.Props.Name, "ID": v.ID, "Reel": v.Reel, "Roles": reel.Roles, "Colours": reel.Colours[1:]}
	s.page(w, r, http.StatusOK, name, data)
}
