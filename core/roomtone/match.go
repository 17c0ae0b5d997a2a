package roomtone

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"

	"blendseam/core/measure"
	"blendseam/core/mix"
	"blendseam/core/reel"
)

// Sample is a swatch with what is known of its sound.
type Sample struct {
	Source  reel.ID // 0 for a made-up room
	From    int64
	To      int64
	Name    string
	Kept    bool   // the user kept it as a swatch
	Room    string // of a made-up room
	Level   float64
	Even    float64
	Slope   float64
	Bands   measure.Bands
	Seconds float64
	Away    float64 // seconds from the place, in the same recording; −1 elsewhere
}

// Candidate is tone that could go to a place.
type Candidate struct {
	Tone   reel.Tone `json:"tone"`
	GainDB float64   `json:"gainDB"`
	Name   string    `json:"name"`
	Says   string    `json:"says"`   // where it comes from and how it compares
	Step   float64   `json:"step"`   // dB, its level against the place's before the gain
	Colour float64   `json:"colour"` // dB, distance of its spectrum from the place's
	Even   float64   `json:"even"`
	Length float64   `json:"seconds"` // of the swatch
	Synth  bool      `json:"synthesised"`
	Cost   float64   `json:"cost"` // orders candidates, the likest lowest
}

// What counts for likeness, in dB of distance between the spectra: common
// practice has the same recording before any other, and near before far.
const (
	elsewhere = 1.5
	invented  = 9.0
	perLevel  = 0.15
	perFar    = 0.02
	shortCost = 1.5
)

// Rank orders samples by their likeness to a room. With tint the colour is
// corrected, gently.
func Rank(samples []Sample, room Room, seed int64, channels int, tint bool) []Candidate {
	var out []Candidate
	for _, s := range samples {
		c := Candidate{
			Tone: reel.Tone{Source: s.Source, Seed: seed, Channels: channels}, Name: s.Name, Even: s.Even, Length: s.Seconds, Synth: s.Room != "" || s.Seconds < grainy,
		}
		if s.Room != "" {
			c.Tone.Room = s.Room
		} else {
			c.Tone.From, c.Tone.To = s.From, s.To
		}
		if room.Known {
			c.Colour = s.Bands.Distance(room.Bands)
			if tint {
				c.Tone.Tint = Tinted(s.Bands, room.Bands)
			}
		}
		if room.Level > measure.Silence {
			c.Step = s.Level - room.Level
			c.GainDB = clampGain(room.Level - s.Level)
		}
		c.Cost = c.Colour + perLevel*math.Abs(c.Step) + c.Even
		switch {
		case s.Room != "":
			c.Cost += invented
		case s.Away < 0:
			c.Cost += elsewhere
		default:
			c.Cost += min(perFar*s.Away, 1)
		}
		if s.Kept {
			c.Cost -= 0.5
		}
		if s.Room == "" {
			c.Cost += shortCost * math.Max(0, math.Log2(1.5/max(s.Seconds, 0.01)))
		}
		c.Says = c.words(s)
		out = append(out, c)
	}
	slices.SortStableFunc(out, func(a, b Candidate) int { return cmp.Compare(a.Cost, b.Cost) })
	return out
}

// words say where tone comes from and how it compares.
func (c Candidate) words(s Sample) string {
	out := fmt.Sprintf("%.1f s of %s", s.Seconds, s.Name)
	switch {
	case s.Room != "":
		out = "made up, not recorded"
	case s.Away >= 0:
		where := fmt.Sprintf("%.0f s away", s.Away)
		if s.Away < 1 {
			where = "right beside it"
		}
		out = fmt.Sprintf("%.1f s of the same recording, %s", s.Seconds, where)
	}
	if c.Synth && s.Room == "" {
		out += ", synthesised to its spectrum as it is so short"
	}
	return out
}

// near is how far around a place its own recording is searched, in seconds.
const near = 30

// Finder finds the quiet stretches of a part of a source; what it was asked
// before it may remember.
type Finder func(ctx context.Context, src reel.Source, from, to int64) (Found, error)

// Finding is the finder that looks anew each time.
func Finding(r *reel.Reel, open mix.Open) Finder {
	return func(ctx context.Context, src reel.Source, from, to int64) (Found, error) {
		reader, err := open(src)
		if err != nil {
			return Found{}, err
		}
		return Find(ctx, reader, r.Props.SampleRate, from, to, func(float64) {})
	}
}

// samplesNear are the quiet stretches around a part of a source, without what
// lies in the part itself.
func samplesNear(ctx context.Context, r *reel.Reel, find Finder, src reel.Source, from, to int64, all bool) ([]Sample, error) {
	if src.Bed.Grown() {
		return nil, nil
	}
	rate := r.Props.SampleRate
	a, b := int64(0), src.Length
	if !all {
		a, b = max(from-near*int64(rate), 0), min(to+near*int64(rate), src.Length)
	}
	var out []Sample
	found, err := find(ctx, src, a, b)
	if err != nil {
		return nil, err
	}
	quiet := found.Quiet
	if len(quiet) == 0 && found.Quietest != nil && found.Quietest.Level < loudRoom {
		quiet = []Quiet{*found.Quietest}
	}
	var clear []Quiet
	for _, q := range quiet[:min(len(quiet), coloured)] {
		if from == to || q.To <= from || q.From >= to {
			clear = append(clear, q)
			continue
		}
		// What is struck is no room, though it were quiet: the rest of it serves.
		for _, part := range [][2]int64{{q.From, from}, {to, q.To}} {
			if part[1]-part[0] >= int64(grainy*float64(rate)) {
				q.From, q.To = part[0], part[1]
				clear = append(clear, q)
			}
		}
	}
	for _, q := range clear {
		away := max(from-q.To, q.From-to, 0)
		out = append(out, Sample{
			Source: src.ID, From: q.From, To: q.To, Name: src.Name, Level: q.Level, Even: q.Even, Slope: q.Slope, Bands: q.Bands,
			Seconds: float64(q.To-q.From) / float64(rate), Away: float64(away) / float64(rate),
		})
	}
	return out, nil
}

// Kept are the swatches of a reel, but for those whose recording is missing or
// silent.
func Kept(r *reel.Reel, open mix.Open) []Sample {
	var out []Sample
	for _, s := range r.Swatches {
		src, _ := r.Source(s.Source)
		if q, err := Measure(r, open, src, s.From, s.To); err == nil {
			q.Name, q.Kept = s.Name, true
			out = append(out, q)
		}
	}
	return out
}

// Measure tells what a stretch of a source sounds like. Digital silence is
// ErrSilent.
func Measure(r *reel.Reel, open mix.Open, src reel.Source, from, to int64) (Sample, error) {
	rate := r.Props.SampleRate
	reader, err := open(src)
	if err != nil {
		return Sample{}, err
	}
	to = min(to, from+int64(mostUsed*float64(rate)))
	v := make([]float32, max(to-from, 0))
	if err := reader.ReadAt(v, 0, from); err != nil {
		return Sample{}, err
	}
	tex := sounding([][]float32{v}, rate)
	if tex == nil {
		return Sample{}, ErrSilent
	}
	v = tex[0]
	centre(v)
	s := Sample{Source: src.ID, From: from, To: to, Name: src.Name, Level: measure.RMS(v), Seconds: float64(len(v)) / float64(rate), Away: -1}
	frames := measure.Frames(rate, v)
	if len(frames) > 0 {
		s.Even = rated(frames, frames).Even
	}
	spec := measure.NewSpectrum(rate)
	long := v
	for len(long) < spec.Segment() {
		long = append(long, v...)
	}
	s.Bands = spec.Of(long, every(len(long), spec.Segment()))
	s.Slope = slope(s.Bands)
	return s, nil
}

// Library are the made-up rooms.
func Library(rate int) []Sample {
	var out []Sample
	for _, name := range reel.Rooms {
		s := Sample{Room: name, Name: name, Level: rooms[name].level, Bands: roomBands(name, rate), Seconds: mostUsed, Away: -1}
		s.Slope = slope(s.Bands)
		out = append(out, s)
	}
	return out
}
