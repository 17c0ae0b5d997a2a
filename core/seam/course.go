package seam

import (
	"context"

	"blendseam/core/measure"
	"blendseam/core/mix"
	"blendseam/core/reel"
)

// Course is the RMS level through a seam, on its own track or tracks, from the
// renderer.
type Course struct {
	From  int64     `json:"from"` // place of the first value
	Hop   int64     `json:"hop"`  // samples from one to the next
	Blend []float64 `json:"blend"`
	Hard  []float64 `json:"hard"` // as a hard cut; where something is struck, as recorded
	// Line is where the level would go if both sides shared it, unrelated, by
	// constant power: Within dB of it the blend neither dips nor swells. Absent
	// where there is no blend.
	Line   []float64 `json:"line,omitempty"`
	Within float64   `json:"within,omitempty"`
}

// CourseOf is the course through a seam at a place, so many samples each side.
func CourseOf(ctx context.Context, r *reel.Reel, open mix.Open, s reel.Seam, around int64) (*Course, error) {
	rate := int64(r.Props.SampleRate)
	around = min(max(around, rate/20), 20*rate)
	out := &Course{From: s.At - around, Hop: max(around/150, 1)}
	var o mix.Options
	for _, t := range r.Sounding().Tracks {
		if t.ID != s.Track && t.ID != s.To {
			o.Without = append(o.Without, t.ID)
		}
	}
	render := func(o mix.Options) ([]float64, error) {
		m, err := mix.New(r, open, o)
		if err != nil {
			return nil, err
		}
		left, right := make([]float32, 2*around), make([]float32, 2*around)
		if err := m.Render(ctx, left, right, out.From); err != nil {
			return nil, err
		}
		return measure.Powers(left, right), nil
	}
	course := func(p []float64) []float64 { return measure.CourseOf(int(rate/33), int(out.Hop), p) }
	powers, err := render(o)
	if err != nil {
		return nil, err
	}
	out.Blend = course(powers)
	out.Hard = out.Blend
	if s.Kind == reel.StruckSeam {
		o.Unstruck = s.Right
		whole, err := render(o)
		if err != nil {
			return nil, err
		}
		out.Hard = course(whole)
		return out, nil
	}
	b, ok := r.Blend(s.Blend)
	if !ok {
		return out, nil
	}
	o.HardCut = b.ID
	hard, err := render(o)
	if err != nil {
		return nil, err
	}
	out.Hard = course(hard)
	pair, err := mix.NewPair(r, open, b)
	if err != nil {
		return nil, err
	}
	shared, err := pair.Shared(b.Lean)
	if err != nil {
		return nil, err
	}
	from, _ := b.Window(s.At)
	for i, p := range shared {
		if at := from + int64(i) - out.From; at >= 0 && at < int64(len(powers)) {
			powers[at] = p / 2 // both channels
		}
	}
	out.Line, out.Within = course(powers), max(r.Props.Limits.Full().Dip.Hear, 0)
	return out, nil
}
