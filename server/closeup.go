package server

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strconv"

	"github.com/go-chi/chi/v5"

	"blendseam/core/gain"
	"blendseam/core/measure"
	"blendseam/core/mix"
	"blendseam/core/reel"
)

// closeUpQuery names a seam by its clips, 0 for none, and how much of its
// surroundings to measure.
type closeUpQuery struct {
	Left   reel.ID `json:"left"`
	Right  reel.ID `json:"right"`
	Around int64   `json:"around"` // samples each side of the cut
}

// closeUp is one seam with all that is drawn and said of it.
type closeUp struct {
	At     int64       `json:"at"`
	Room   *reel.Room  `json:"room,omitempty"` // for a blend; absent where no two clips meet
	Blend  *reel.Blend `json:"blend,omitempty"`
	Fade   *reel.Fade  `json:"fade,omitempty"` // where one clip meets nothing
	Curves *curves     `json:"curves,omitempty"`
	Level  *levels     `json:"level,omitempty"`
}

// curves are the gains of both sides at even steps through the blend.
type curves struct {
	Out []float64 `json:"out"`
	In  []float64 `json:"in"`
}

// levels are courses of RMS level through the seam, on this track alone.
type levels struct {
	From  int64     `json:"from"` // place of the first value
	Hop   int64     `json:"hop"`  // samples from one to the next
	Blend []float64 `json:"blend"`
	Hard  []float64 `json:"hard"`
}

// curvePoints is how finely the curves are drawn.
const curvePoints = 96

func (s *Server) getCloseUp(w http.ResponseWriter, r *http.Request) {
	v, err := s.version(r)
	var left, right, around int64
	if err == nil {
		left, err = queryInt(r, "left", 0)
	}
	if err == nil {
		right, err = queryInt(r, "right", 0)
	}
	if err == nil {
		around, err = queryInt(r, "around", int64(v.Reel.Props.SampleRate))
	}
	var c *closeUp
	if err == nil {
		c, err = s.closeUp(r.Context(), v.Reel, closeUpQuery{reel.ID(left), reel.ID(right), around})
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	writeJSON(w, http.StatusOK, c)
}

func (s *Server) closeUp(ctx context.Context, r *reel.Reel, q closeUpQuery) (*closeUp, error) {
	left, okL := r.Clip(q.Left)
	right, okR := r.Clip(q.Right)
	if !okL && !okR {
		return nil, badRequest{"That seam is gone: its clips are no longer there."}
	}
	out := &closeUp{At: right.Start}
	track := right.Track
	if okL {
		out.At, track = left.End(), left.Track
	}
	if okL && okR && left.End() == right.Start && left.Track == right.Track {
		room := r.BlendRoom(left, right)
		out.Room = &room
		if _, b := r.BlendAt(left.ID); b.ID != 0 {
			out.Blend = &b
			out.Curves = &curves{drawn(b.Law.Out(b.Length(), b.Lean)), drawn(b.Law.In(b.Length(), b.Lean))}
		}
	}
	switch {
	case okL && !okR && left.FadeOut.Length > 0:
		f := left.FadeOut
		out.Fade, out.Curves = &f, &curves{Out: drawn(gain.Curve{Shape: f.Shape, Warp: f.Bend, Len: f.Length, Fall: true})}
	case okR && !okL && right.FadeIn.Length > 0:
		f := right.FadeIn
		out.Fade, out.Curves = &f, &curves{In: drawn(gain.Curve{Shape: f.Shape, Warp: f.Bend, Len: f.Length})}
	}
	var err error
	out.Level, err = s.levels(ctx, r, track, out, q.Around)
	return out, err
}

// drawn are a curve's gains at even steps from its start to its end.
func drawn(c gain.Curve) []float64 {
	c.Len *= curvePoints // finer than samples, for the shortest of curves
	out := make([]float64, curvePoints+1)
	for k := range out {
		out[k] = c.At(int64(k) * c.Len / curvePoints)
	}
	return out
}

// getCurve sends the drawing of a fade's shape, for the timeline.
func (s *Server) getCurve(w http.ResponseWriter, r *http.Request) {
	shape := gain.Shape(chi.URLParam(r, "shape"))
	bend, err := strconv.ParseFloat(r.URL.Query().Get("bend"), 64)
	if err != nil {
		bend = gain.Even
	}
	if err := errors.Join(shape.Check(), gain.CheckWarp(bend)); err != nil {
		s.fail(w, r, badRequest{upperFirst(err.Error()) + "."})
		return
	}
	if immutable(w, r, fmt.Sprintf("%s-%g", shape, bend)) {
		return
	}
	writeJSON(w, http.StatusOK, drawn(gain.Curve{Shape: shape, Warp: bend, Len: 1}))
}

func (s *Server) levels(ctx context.Context, r *reel.Reel, track reel.ID, c *closeUp, around int64) (*levels, error) {
	rate := int64(r.Props.SampleRate)
	around = min(max(around, rate/20), 20*rate)
	out := &levels{From: c.At - around, Hop: max(around/150, 1)}
	o := mix.Options{}
	for _, t := range r.Tracks {
		if t.ID != track {
			o.Without = append(o.Without, t.ID)
		}
	}
	course := func(o mix.Options) ([]float64, error) {
		m, err := mix.New(r, s.opener(r.Props.SampleRate), o)
		if err != nil {
			return nil, err
		}
		left, right := make([]float32, 2*around), make([]float32, 2*around)
		if err := m.Render(ctx, left, right, out.From); err != nil {
			return nil, err
		}
		return measure.Course(int(rate/33), int(out.Hop), left, right), nil
	}
	var err error
	if out.Blend, err = course(o); err != nil {
		return nil, err
	}
	out.Hard = out.Blend
	if c.Blend != nil {
		o.HardCut = c.Blend.ID
		out.Hard, err = course(o)
	}
	return out, err
}
