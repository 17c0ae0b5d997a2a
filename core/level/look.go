package level

import (
	"context"
	"math"

	"blendseam/core/measure"
	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/seam"
)

// Look is what a treatment does, to be drawn.
type Look struct {
	Hz []float64 `json:"hz"` // where the response is told, 20 Hz to 20 kHz
	DB []float64 `json:"db"` // what filters and tone do there
	// Third-octave levels of what sounds around the place, in dBFS, without and with
	// the treatment; none where nothing does, or where they were not asked for.
	Was *measure.Bands `json:"was,omitempty"`
	Is  *measure.Bands `json:"is,omitempty"`
	// Room is the 95th percentile of the pauses' 10 ms levels at the expander's input, and
	// Threshold the proposed threshold, both in dBFS; nil if the room is unknown.
	Room      *float64 `json:"room,omitempty"`
	Threshold *float64 `json:"threshold,omitempty"`
}

// overPauses is how far the proposed threshold lies over the loudest twentieth of the
// pauses, in dB. With the default ratio of 2 the default range of 8 dB is reached
// 8 dB under the threshold; 2 dB are left for the loudest 10 ms.
const overPauses = 10.0

// lookSeconds is how much is listened to around a place.
const lookSeconds = 8

// responsePlaces is how finely a response is told.
const responsePlaces = 120

// Response is what the filters and the tone of a treatment do.
func Response(t reel.Treatment, rate int) Look {
	out := Look{Hz: make([]float64, responsePlaces)}
	for k := range out.Hz {
		out.Hz[k] = math.Round(2000*math.Pow(1000, float64(k)/(responsePlaces-1))) / 100
	}
	out.DB = t.Does.Response(rate, out.Hz)
	for k, db := range out.DB {
		out.DB[k] = math.Round(100*max(db, -144)) / 100
	}
	return out
}

// LookAt tells what a treatment does around a place of the reel, whether or not the
// reel has it yet.
func LookAt(ctx context.Context, r *reel.Reel, open mix.Open, t reel.Treatment, at int64) (Look, error) {
	out := Response(t, r.Props.SampleRate)
	clip, ok := nearest(r, t, at)
	if !ok || mute(r, clip) != "" {
		return out, nil
	}
	at = min(max(at, clip.Start), clip.End())
	on := t
	on.Off = false
	db, known, err := seam.New(with(r, on), open).PauseLevel(clip, t.Clip == 0, clip.Offset+at-clip.Start)
	if err != nil {
		return out, err
	}
	if known {
		over := math.Ceil(db + overPauses)
		db = math.Round(10*db) / 10
		out.Room, out.Threshold = &db, &over
	}
	half := int64(lookSeconds) * int64(r.Props.SampleRate) / 2
	from, to := at-half, at+half
	if t.Clip != 0 {
		from, to = max(from, clip.Start), min(to, clip.End())
	}
	for _, side := range []struct {
		off bool
		to  **measure.Bands
	}{{true, &out.Was}, {false, &out.Is}} {
		own := t
		own.Off = side.off
		if *side.to, err = spectrum(ctx, with(r, own), open, clip.Track, from, to); err != nil {
			return out, err
		}
	}
	return out, nil
}

// nearest is the clip of what is treated that lies nearest to a place.
func nearest(r *reel.Reel, t reel.Treatment, at int64) (reel.Clip, bool) {
	if t.Clip != 0 {
		return r.Clip(t.Clip)
	}
	var out reel.Clip
	best := int64(math.MaxInt64)
	for _, c := range r.OnTrack(t.Track) {
		if d := max(c.Start-at, at-c.End(), 0); d < best && mute(r, c) == "" {
			out, best = c, d
		}
	}
	return out, out.ID != 0
}

// with is a reel with a treatment, in place of the one that was there.
func with(r *reel.Reel, t reel.Treatment) *reel.Reel {
	out := *r
	out.Treatments = nil
	for _, o := range r.Treatments {
		if o.On() != t.On() {
			out.Treatments = append(out.Treatments, o)
		}
	}
	if t.ID == 0 {
		t.ID = r.NextID
	}
	out.Treatments = append(out.Treatments, t)
	return &out
}

// spectrum are the third-octave levels of what a track sounds in a span; nil where it
// is too short or silent.
func spectrum(ctx context.Context, r *reel.Reel, open mix.Open, track reel.ID, from, to int64) (*measure.Bands, error) {
	s := measure.NewSpectrum(r.Props.SampleRate)
	from = max(from, 0)
	if to-from < int64(s.Segment()) {
		return nil, nil
	}
	alone := *r
	alone.Tracks = nil
	for _, t := range r.Tracks {
		if t.Mute, t.Solo = false, false; t.ID == track {
			alone.Tracks = append(alone.Tracks, t)
		}
	}
	m, err := mix.New(&alone, open, mix.Options{})
	if err != nil {
		return nil, err
	}
	left, right := make([]float32, to-from), make([]float32, to-from)
	if err := m.Render(ctx, left, right, from); err != nil {
		return nil, err
	}
	var starts []int
	for at := 0; at+s.Segment() <= len(left); at += s.Segment() {
		starts = append(starts, at)
	}
	a, b := s.Of(left, starts), s.Of(right, starts)
	silent := true
	for k := range a {
		a[k] = math.Round(10*measure.Level((math.Pow(10, a[k]/10)+math.Pow(10, b[k]/10))/2)) / 10
		silent = silent && a[k] <= measure.Silence
	}
	if silent {
		return nil, nil
	}
	return &a, nil
}
