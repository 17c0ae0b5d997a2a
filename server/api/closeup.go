package api

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strconv"

	"github.com/go-chi/chi/v5"

	"blendseam/core/gain"
	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/seam"
	"blendseam/server/answer"
)

// CloseUpQuery names a seam by its clips, 0 for none, and how much of its
// surroundings to measure.
type CloseUpQuery struct {
	Left   reel.ID `json:"left"`
	Right  reel.ID `json:"right"`
	Around int64   `json:"around"` // samples each side of the cut
}

// CloseUp is one seam with all that is drawn and said of it.
type CloseUp struct {
	At    int64       `json:"at"`
	Room  *reel.Room  `json:"room,omitempty"` // for a blend; absent where no two clips meet
	Blend *reel.Blend `json:"blend,omitempty"`
	Fade  *reel.Fade  `json:"fade,omitempty"` // where one clip meets nothing
	// FadeRoom is the longest fade that fits there, in samples.
	FadeRoom int64           `json:"fadeRoom,omitempty"`
	Curves   *Curves         `json:"curves,omitempty"`
	Level    *seam.Course    `json:"level,omitempty"`
	Judged   *seam.Judgement `json:"judged,omitempty"`
	Strike   *reel.Strike    `json:"strike,omitempty"` // of a struck span; the curves are its fades
}

// Curves are the gains of both sides at even steps through the blend.
type Curves struct {
	Out []float64 `json:"out"`
	In  []float64 `json:"in"`
}

// CurvePoints is how finely the curves are drawn.
const CurvePoints = 96

func (s *API) getCloseUp(ctx context.Context, in *struct {
	OfSeam
	Around int64 `query:"around" doc:"samples measured each side of the cut; a second where it is left out"`
}) (*CloseUp, error) {
	v, err := s.Store.Load(ctx, in.Reel)
	if err != nil {
		return nil, err
	}
	if in.Around == 0 {
		in.Around = int64(v.Reel.Props.SampleRate)
	}
	return s.closeUp(ctx, v.ID, v.Reel, CloseUpQuery{in.Left, in.Right, in.Around})
}

func (s *API) closeUp(ctx context.Context, id int64, r *reel.Reel, q CloseUpQuery) (*CloseUp, error) {
	left, okL := r.Clip(q.Left)
	right, okR := r.Clip(q.Right)
	if !okL && !okR {
		return nil, answer.Bad("That seam is gone: its clips are no longer there.")
	}
	out := &CloseUp{At: right.Start}
	if okL {
		out.At = left.End()
	}
	if k, struck := r.Strike(q.Right); struck && okL {
		from, to, _ := k.In(left)
		out.At, out.Strike = from, &k
		out.Curves = &Curves{
			drawn(gain.Curve{Shape: k.Fall.Shape, Warp: k.Fall.Bend, Len: max(k.Fall.Length, 1), Fall: true}),
			drawn(gain.Curve{Shape: k.Rise.Shape, Warp: k.Rise.Bend, Len: max(k.Rise.Length, 1)}),
		}
		var err error
		one := reel.Seam{Kind: reel.StruckSeam, At: from, Track: left.Track, Left: left.ID, Right: k.ID, Gap: to - from}
		if out.Level, err = seam.CourseOf(ctx, r, s.opener(r.Props.SampleRate), one, q.Around); err == nil && to > from {
			var j seam.Judgement
			j, err = s.Measuring.Judged(ctx, id, r, one)
			out.Judged = &j
		}
		return out, err
	}
	_, b := r.BlendAt(left.ID)
	if met := left.End() == right.Start && (left.Track == right.Track || b.Right == right.ID); okL && okR && met {
		room := r.BlendRoom(left, right)
		out.Room = &room
		if b.ID != 0 {
			out.Blend = &b
			outgoing, incoming := b.OutCurve(), b.InCurve()
			if outgoing.Waits() || incoming.Waits() {
				p, err := mix.NewPair(r, s.opener(r.Props.SampleRate), b)
				if err != nil {
					return nil, err
				}
				l, err := p.Likeness()
				if err != nil {
					return nil, err
				}
				outgoing, incoming = outgoing.Knowing(l), incoming.Knowing(l)
			}
			out.Curves = &Curves{drawn(outgoing), drawn(incoming)}
		}
	}
	switch {
	case okL && !okR:
		out.FadeRoom = r.FadeRoom(left, reel.Tail)
	case okR && !okL:
		out.FadeRoom = r.FadeRoom(right, reel.Head)
	}
	switch {
	case okL && !okR && left.FadeOut.Length > 0:
		f := left.FadeOut
		out.Fade, out.Curves = &f, &Curves{Out: drawn(gain.Curve{Shape: f.Shape, Warp: f.Bend, Len: f.Length, Fall: true})}
	case okR && !okL && right.FadeIn.Length > 0:
		f := right.FadeIn
		out.Fade, out.Curves = &f, &Curves{In: drawn(gain.Curve{Shape: f.Shape, Warp: f.Bend, Len: f.Length})}
	}
	var err error
	open := s.opener(r.Props.SampleRate)
	if one, gone := findSeam(r, q.Left, q.Right); gone == nil {
		if out.Level, err = seam.CourseOf(ctx, r, open, one, q.Around); err != nil {
			return nil, err
		}
		j, err := s.Measuring.Judged(ctx, id, r, one)
		out.Judged = &j
		return out, err
	}
	// While one is dragged off the other there is no seam of the two: the level
	// is shown all the same.
	track := right.Track
	if okL {
		track = left.Track
	}
	out.Level, err = seam.CourseOf(ctx, r, open, reel.Seam{At: out.At, Track: track}, q.Around)
	return out, err
}

// drawn are a curve's gains at even steps from its start to its end.
func drawn(c gain.Curve) []float64 {
	c.Len *= CurvePoints // finer than samples, for the shortest of curves
	out := make([]float64, CurvePoints+1)
	for k := range out {
		out[k] = c.At(int64(k) * c.Len / CurvePoints)
	}
	return out
}

// getCurve sends the drawing of a fade's shape, for the timeline.
func (s *API) getCurve(w http.ResponseWriter, r *http.Request) {
	shape := gain.Shape(chi.URLParam(r, "shape"))
	bend, err := strconv.ParseFloat(r.URL.Query().Get("bend"), 64)
	if err != nil {
		bend = gain.Even
	}
	if err := errors.Join(shape.Check(), gain.CheckWarp(bend)); err != nil {
		s.Fail(w, r, answer.Bad(answer.UpperFirst(err.Error())+"."))
		return
	}
	if answer.Immutable(w, r, fmt.Sprintf("%s-%g", shape, bend)) {
		return
	}
	answer.JSON(w, http.StatusOK, drawn(gain.Curve{Shape: shape, Warp: bend, Len: 1}))
}
