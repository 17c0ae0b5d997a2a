package api

import (
	"context"

	"blendseam/core/level"
	"blendseam/core/reel"
	"blendseam/server/answer"
)

// Loudness is how loud a span of a reel is, held against the reel's target.
type Loudness struct {
	Revision int64       `json:"revision"`
	From     int64       `json:"from"`
	To       int64       `json:"to"`
	Target   reel.Target `json:"target" doc:"what it is held against"`
	level.Loud
}

// mostMeasured bounds the span that is measured at a time, in seconds.
const mostMeasured = 6 * 3600

// getLoudness listens to a span of a reel, or to all of it.
func (s *API) getLoudness(ctx context.Context, in *struct {
	OfReel
	From int64  `query:"from" doc:"first sample"`
	To   int64  `query:"to" doc:"sample after the last; 0 for the end of the reel"`
	Name string `query:"name" doc:"under which progress is told as the event “loud”"`
}) (Loudness, error) {
	out := Loudness{Loud: level.Loud{Course: []float64{}, Places: []level.Outside{}}}
	v, err := s.Store.Load(ctx, in.Reel)
	if err != nil {
		return out, err
	}
	p := v.Reel.Props
	end := int64(0)
	for _, c := range v.Reel.Clips {
		end = max(end, c.End())
	}
	if end == 0 {
		return out, answer.Bad("This reel has no clips to measure.")
	}
	from, to := in.From, in.To
	if to == 0 {
		to = end
	}
	if from < 0 || to <= from || to-from > mostMeasured*int64(p.SampleRate) || len(in.Name) > maxSearchName {
		return out, answer.Bad("Measure a span of at most six hours.")
	}
	loud, err := level.Measure(ctx, v.Reel, s.opener(p.SampleRate), reel.Stretch{From: from, To: to}, s.Heard, s.progress(v.ID, "loud", in.Name))
	if err != nil {
		return out, err
	}
	out.Revision, out.From, out.To, out.Target, out.Loud = v.Revision, from, to, p.Target.Full(), loud
	if out.Course == nil {
		out.Course = []float64{}
	}
	return out, nil
}
