package api

import (
	"fmt"
	"net/http"

	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/core/timecode"
	"blendseam/server/answer"
	"blendseam/store"
)

func (s *API) listReels(w http.ResponseWriter, r *http.Request) {
	reels, err := s.Store.Shelf(r.Context(), r.URL.Query().Get("removed") != "")
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	answer.JSON(w, http.StatusOK, map[string]any{"reels": reels})
}

// NewReel is what a reel is made from.
type NewReel struct {
	Name       string        `json:"name"`
	SampleRate int           `json:"sampleRate"`
	FrameRate  timecode.Rate `json:"frameRate"`
	Start      string        `json:"start"` // timecode of the first sample
}

func (s *API) createReel(w http.ResponseWriter, r *http.Request) {
	var in NewReel
	if err := answer.ReadJSON(r, &in); err != nil {
		s.Fail(w, r, err)
		return
	}
	id, err := s.makeReel(r, in)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	w.Header().Set("Location", fmt.Sprintf("/api/v1/reels/%d", id))
	answer.JSON(w, http.StatusCreated, map[string]int64{"id": id})
}

// makeReel makes a reel with the tracks that one begins with.
func (s *API) makeReel(r *http.Request, in NewReel) (int64, error) {
	if in.SampleRate == 0 {
		in.SampleRate = sound.DefaultRate
	}
	if err := in.FrameRate.Check(); err != nil {
		return 0, answer.Bad(answer.UpperFirst(err.Error()) + ".")
	}
	props := reel.Props{Name: in.Name, SampleRate: in.SampleRate, FrameRate: in.FrameRate}
	if in.Start != "" {
		start, err := in.FrameRate.Parse(in.Start)
		if err != nil || start < 0 {
			return 0, answer.Bad(fmt.Sprintf("The start %q is not a timecode at %s frames a second.", in.Start, in.FrameRate))
		}
		props.StartFrame = start
	}
	doc, err := reel.New(props, reel.Starter)
	if err != nil {
		return 0, err
	}
	return s.Store.Create(r.Context(), doc)
}

func (s *API) getReel(w http.ResponseWriter, r *http.Request) {
	v, err := s.version(r)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	answer.JSON(w, http.StatusOK, v)
}

func (s *API) removeReel(w http.ResponseWriter, r *http.Request) {
	s.onShelf(w, r, func(id int64) error { return s.Store.Remove(r.Context(), id) })
}

func (s *API) restoreReel(w http.ResponseWriter, r *http.Request) {
	s.onShelf(w, r, func(id int64) error { return s.Store.Restore(r.Context(), id) })
}

func (s *API) onShelf(w http.ResponseWriter, r *http.Request, do func(int64) error) {
	id, err := answer.PathInt(r, "reel")
	if err == nil {
		err = do(id)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}

func (s *API) copyReel(w http.ResponseWriter, r *http.Request) {
	v, err := s.version(r)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	var in struct {
		Name string `json:"name"`
	}
	if err = answer.ReadJSON(r, &in); err == nil {
		_, _, err = (&reel.SetReel{Name: &in.Name}).Apply(v.Reel)
	}
	var id int64
	if err == nil {
		id, err = s.Store.Copy(r.Context(), v.ID, in.Name)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	answer.JSON(w, http.StatusCreated, map[string]int64{"id": id})
}

func (s *API) getHistory(w http.ResponseWriter, r *http.Request) {
	v, err := s.version(r)
	var before, limit int64
	if err == nil {
		before, err = answer.QueryInt(r, "before", 0)
	}
	if err == nil {
		limit, err = answer.QueryInt(r, "limit", 100)
	}
	var steps []store.Step
	if err == nil {
		steps, err = s.Store.History(r.Context(), v.ID, before, int(min(max(limit, 1), 1000)), r.URL.Query().Get("only") == "steps")
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	answer.JSON(w, http.StatusOK, map[string]any{"steps": steps})
}

// getTimecode reads a timecode and tells where in the reel it lies.
func (s *API) getTimecode(w http.ResponseWriter, r *http.Request) {
	v, err := s.version(r)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	p := v.Reel.Props
	frame, err := p.FrameRate.Parse(r.URL.Query().Get("text"))
	if err != nil {
		s.Fail(w, r, answer.Bad(answer.UpperFirst(err.Error())+"."))
		return
	}
	if frame < p.StartFrame {
		s.Fail(w, r, answer.Bad(fmt.Sprintf("The reel starts at %s; that is before it.", p.FrameRate.Format(p.StartFrame))))
		return
	}
	sample := p.FrameRate.Sample(frame-p.StartFrame, p.SampleRate)
	answer.JSON(w, http.StatusOK, map[string]any{"sample": sample, "text": p.FrameRate.Format(frame)})
}
