package api

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
	"blendseam/server/answer"
	"blendseam/store"
	"blendseam/work"
)

// maxSweep bounds the seams of one sweep.
const maxSweep = 5000

// SweepQuery names the seams of a sweep, and how its progress is told.
type SweepQuery struct {
	Seams []struct {
		Left  reel.ID `json:"left"`
		Right reel.ID `json:"right"`
	} `json:"seams"`
	Name string `json:"name"` // under which progress is told to those who watch
}

// SweepRow is a seam of a sweep, before and after.
type SweepRow struct {
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
func (s *API) postSweep(w http.ResponseWriter, r *http.Request) {
	var in SweepQuery
	v, err := s.version(r)
	if err == nil {
		err = answer.ReadJSON(r, &in)
	}
	if err == nil && (len(in.Seams) == 0 || len(in.Seams) > maxSweep || len(in.Name) > 80) {
		err = answer.Bad(fmt.Sprintf("A sweep goes over 1 to %d seams.", maxSweep))
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	chosen := map[work.Pair]bool{}
	for _, p := range in.Seams {
		chosen[work.Pair{Left: p.Left, Right: p.Right}] = true
	}
	var seams []reel.Seam
	for _, one := range v.Reel.Seams() {
		if chosen[work.Pair{Left: one.Left, Right: one.Right}] {
			seams = append(seams, one)
		}
	}
	told := -1.0
	rows, err := seam.Sweep(r.Context(), v.Reel, s.opener(v.Reel.Props.SampleRate), seams, func(p float64) {
		if p >= told+0.02 && in.Name != "" {
			told = p
			s.Live.Tell(v.ID, "sweep", map[string]any{"name": in.Name, "progress": p})
		}
	})
	out := make([]SweepRow, 0, len(rows))
	for _, row := range rows {
		one := SweepRow{Left: row.Before.Left, Right: row.Before.Right, Before: row.Before, After: row.After, Says: row.Plan.Says, Why: row.Plan.Why, Worse: row.Worse}
		if row.Plan.Edit != nil && err == nil {
			one.Edit, err = reel.Encode(row.Plan.Edit)
		}
		out = append(out, one)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	answer.JSON(w, http.StatusOK, map[string]any{"revision": v.Revision, "rows": out})
}

// BetterCut is a place near a cut, with the edit that goes there.
type BetterCut struct {
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
	left, err := answer.QueryInt(r, "left", 0)
	if err != nil {
		return reel.Seam{}, err
	}
	right, err := answer.QueryInt(r, "right", 0)
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
	return reel.Seam{}, answer.Bad("That seam is gone: its clips are no longer there, or no longer meet.")
}

// getBetter looks for a better cut near one.
func (s *API) getBetter(w http.ResponseWriter, r *http.Request) {
	v, err := s.version(r)
	var one reel.Seam
	var frames int64
	if err == nil {
		one, err = seamOf(r, v)
	}
	if err == nil {
		frames, err = answer.QueryInt(r, "frames", 4)
	}
	if err == nil && one.Kind != reel.CutSeam {
		err = answer.Bad("Select a seam where two clips meet to look for a better cut.")
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	p := v.Reel.Props
	m := seam.New(v.Reel, s.opener(p.SampleRate))
	found, err := m.Better(r.Context(), one, p.FrameRate.Sample(min(max(frames, 1), 12), p.SampleRate))
	out := make([]BetterCut, 0, len(found))
	for _, b := range found {
		c := BetterCut{By: b.By, Slip: b.Slip, Level: b.Level, Gap: b.Gap, Jump: b.Jump, R: b.R, Click: b.Click, Word: b.Word}
		if b.Edit != nil && err == nil {
			c.Edit, err = reel.Encode(b.Edit)
		}
		out = append(out, c)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	answer.JSON(w, http.StatusOK, map[string]any{"revision": v.Revision, "places": out})
}

// getSpectrum sends the third-octave levels of both sides of a seam.
func (s *API) getSpectrum(w http.ResponseWriter, r *http.Request) {
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
		s.Fail(w, r, err)
		return
	}
	answer.JSON(w, http.StatusOK, out)
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
func (s *API) heard(ctx context.Context, r *http.Request, v store.Version) (*reel.Reel, error) {
	q := r.URL.Query()
	if name := q.Get("trial"); name != "" {
		if at := s.trials.get(name); at != nil {
			return at, nil
		}
		return nil, answer.Bad("That trial has expired. Try it again.")
	}
	if q.Get("before") != "" {
		at, _, err := s.Store.BeforeLast(ctx, v.ID)
		return at, err
	}
	return v.Reel, nil
}

// mixOf is the renderer of a reel with the library's sound.
func (s *API) mixOf(r *reel.Reel, o mix.Options) (*mix.Mix, error) {
	return mix.New(r, s.opener(r.Props.SampleRate), o)
}
