package server

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"fmt"
	"net/http"
	"sync"

	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/seam"
	"blendseam/store"
)

// maxSweep bounds the seams of one sweep.
const maxSweep = 5000

// sweepQuery names the seams of a sweep, and how its progress is told.
type sweepQuery struct {
	Seams []struct {
		Left  reel.ID `json:"left"`
		Right reel.ID `json:"right"`
	} `json:"seams"`
	Name string `json:"name"` // under which progress is told to those who watch
}

// sweepRow is a seam of a sweep, before and after.
type sweepRow struct {
	Left   reel.ID         `json:"left"`
	Right  reel.ID         `json:"right"`
	Before seam.Judgement  `json:"before"`
	After  *seam.Judgement `json:"after,omitempty"`
	Says   string          `json:"says"`
	Why    string          `json:"why"`
	Worse  bool            `json:"worse"`
	Edit   json.RawMessage `json:"edit,omitempty"`
}

// postSweep proposes for many seams what would mend them. It changes nothing.
func (s *Server) postSweep(w http.ResponseWriter, r *http.Request) {
	var in sweepQuery
	v, err := s.version(r)
	if err == nil {
		err = readJSON(w, r, &in)
	}
	if err == nil && (len(in.Seams) == 0 || len(in.Seams) > maxSweep || len(in.Name) > 80) {
		err = badRequest{fmt.Sprintf("A sweep goes over 1 to %d seams.", maxSweep)}
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	chosen := map[pair]bool{}
	for _, p := range in.Seams {
		chosen[pair{p.Left, p.Right}] = true
	}
	var seams []reel.Seam
	for _, one := range v.Reel.Seams() {
		if chosen[pair{one.Left, one.Right}] {
			seams = append(seams, one)
		}
	}
	told := -1.0
	rows, err := seam.Sweep(r.Context(), v.Reel, s.opener(v.Reel.Props.SampleRate), seams, func(p float64) {
		if p >= told+0.02 && in.Name != "" {
			told = p
			s.hub.publish(v.ID, event{"sweep", map[string]any{"name": in.Name, "progress": p}})
		}
	})
	out := make([]sweepRow, 0, len(rows))
	for _, row := range rows {
		one := sweepRow{Left: row.Before.Left, Right: row.Before.Right, Before: row.Before, After: row.After, Says: row.Plan.Says, Why: row.Plan.Why, Worse: row.Worse}
		if row.Plan.Edit != nil && err == nil {
			one.Edit, err = reel.Encode(row.Plan.Edit)
		}
		out = append(out, one)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	writeJSON(w, http.StatusOK, map[string]any{"revision": v.Revision, "rows": out})
}

// betterCut is a place near a cut, with the edit that goes there.
type betterCut struct {
	By    int64           `json:"by"`
	Slip  int64           `json:"slip"`
	Level float64         `json:"level"`
	Gap   float64         `json:"gap"`
	Jump  float64         `json:"jump"`
	R     float64         `json:"r"`
	Click float64         `json:"click"`
	Word  bool            `json:"word"`
	Edit  json.RawMessage `json:"edit,omitempty"`
}

// seamOf is the seam that a query names by its clips.
func seamOf(r *http.Request, v store.Version) (reel.Seam, error) {
	left, err := queryInt(r, "left", 0)
	if err != nil {
		return reel.Seam{}, err
	}
	right, err := queryInt(r, "right", 0)
	if err != nil {
		return reel.Seam{}, err
	}
	return findSeam(v.Reel, reel.ID(left), reel.ID(right))
}

func findSeam(r *reel.Reel, left, right reel.ID) (reel.Seam, error) {
	for _, s := range r.Seams() {
		if s.Left == left && s.Right == right {
			return s, nil
		}
	}
	return reel.Seam{}, badRequest{"That seam is gone: its clips are no longer there, or no longer meet."}
}

// getBetter looks for a better cut near one.
func (s *Server) getBetter(w http.ResponseWriter, r *http.Request) {
	v, err := s.version(r)
	var one reel.Seam
	var frames int64
	if err == nil {
		one, err = seamOf(r, v)
	}
	if err == nil {
		frames, err = queryInt(r, "frames", 4)
	}
	if err == nil && one.Kind != reel.CutSeam {
		err = badRequest{"Select a seam where two clips meet to look for a better cut."}
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	p := v.Reel.Props
	m := seam.New(v.Reel, s.opener(p.SampleRate))
	found, err := m.Better(r.Context(), one, p.FrameRate.Sample(min(max(frames, 1), 12), p.SampleRate))
	out := make([]betterCut, 0, len(found))
	for _, b := range found {
		c := betterCut{By: b.By, Slip: b.Slip, Level: b.Level, Gap: b.Gap, Jump: b.Jump, R: b.R, Click: b.Click, Word: b.Word}
		if b.Edit != nil && err == nil {
			c.Edit, err = reel.Encode(b.Edit)
		}
		out = append(out, c)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	writeJSON(w, http.StatusOK, map[string]any{"revision": v.Revision, "places": out})
}

// getSpectrum sends the third-octave levels of both sides of a seam.
func (s *Server) getSpectrum(w http.ResponseWriter, r *http.Request) {
	v, err := s.version(r)
	var one reel.Seam
	if err == nil {
		one, err = seamOf(r, v)
	}
	var out seam.Spectra
	if err == nil {
		out, err = seam.New(v.Reel, s.opener(v.Reel.Props.SampleRate)).Spectra(r.Context(), one)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	writeJSON(w, http.StatusOK, out)
}

// trials are reels as edits would leave them, kept for a while so that they
// can be heard before they are made.
type trials struct {
	mu    sync.Mutex
	reels map[string]*reel.Reel
	order []string
}

// mostTrials bounds what is kept.
const mostTrials = 32

func (t *trials) put(r *reel.Reel) string {
	t.mu.Lock()
	defer t.mu.Unlock()
	name := rand.Text()
	if t.reels == nil {
		t.reels = map[string]*reel.Reel{}
	}
	t.reels[name] = r
	if t.order = append(t.order, name); len(t.order) > mostTrials {
		delete(t.reels, t.order[0])
		t.order = t.order[1:]
	}
	return name
}

func (t *trials) get(name string) *reel.Reel {
	t.mu.Lock()
	defer t.mu.Unlock()
	return t.reels[name]
}

// heard is the reel that a request for sound means: as it is, as it was before
// the last step, or as an edit would leave it.
func (s *Server) heard(ctx context.Context, r *http.Request, v store.Version) (*reel.Reel, error) {
	q := r.URL.Query()
	if name := q.Get("trial"); name != "" {
		if at := s.trials.get(name); at != nil {
			return at, nil
		}
		return nil, badRequest{"That trial has expired. Try it again."}
	}
	if q.Get("before") != "" {
		at, _, err := s.store.BeforeLast(ctx, v.ID)
		return at, err
	}
	return v.Reel, nil
}

// mixOf is the renderer of a reel with the library's sound.
func (s *Server) mixOf(r *reel.Reel, o mix.Options) (*mix.Mix, error) {
	return mix.New(r, s.opener(r.Props.SampleRate), o)
}
