package roomtone

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"

	"blendseam/core/floor"
	"blendseam/core/measure"
	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/sound"
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
	sameLevel = 1.0 // dB
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
			// What is heard nearby in the same recording is the room itself: a gain
			// would add what is uncertain about both levels.
			if s.Away < 0 || math.Abs(c.Step) > sameLevel {
				c.GainDB = clampGain(room.Level - s.Level)
			}
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
		c.Says = c.words(s, room)
		out = append(out, c)
	}
	slices.SortStableFunc(out, func(a, b Candidate) int { return cmp.Compare(a.Cost, b.Cost) })
	return out
}

// words say where tone comes from and how it compares.
func (c Candidate) words(s Sample, room Room) string {
	out := fmt.Sprintf("%.1f s of %s", s.Seconds, s.Name)
	switch {
	case s.Room != "":
		out = "synthetic"
	case s.Away >= 0:
		where := fmt.Sprintf("%.0f s away", s.Away)
		if s.Away < 1 {
			where = "right beside it"
		}
		out = fmt.Sprintf("%.1f s of the same recording, %s", s.Seconds, where)
	}
	if c.Synth && s.Room == "" {
		out += ", so short that it is noise matched to its spectrum"
	}
	if room.Estimated {
		out += "; level estimated from one short pause or none"
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
func samplesNear(ctx context.Context, r *reel.Reel, open mix.Open, find Finder, src reel.Source, from, to int64, all bool) ([]Sample, error) {
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
	if len(quiet) == 0 {
		if quiet, err = shortRooms(ctx, r, open, src, (from+to)/2); err != nil {
			return nil, err
		}
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

// shortestRoom is the shortest pause that serves as a swatch where there is no longer
// one, in seconds; what is grown of it is noise of its spectrum.
const shortestRoom = 0.06

// shortRooms are the pauses in which the room around a place is heard, where no
// quiet stretch is.
func shortRooms(ctx context.Context, r *reel.Reel, open mix.Open, src reel.Source, at int64) ([]Quiet, error) {
	const most = 4
	rate := r.Props.SampleRate
	ear := NewEar(rate, open)
	room, err := ear.Room(src, at)
	if err != nil || room.State != floor.Heard {
		return nil, err
	}
	hop := int64(floor.Hop(rate))
	var places []Quiet
	for _, p := range room.Places {
		q := Quiet{From: (p[0] + 2) * hop, To: (p[1] - 1) * hop} // the frames at both ends reach beyond it
		if float64(q.To-q.From) < shortestRoom*float64(rate) && len(places) > 0 || q.To-q.From < 4*hop {
			break
		}
		places = append(places, q)
	}
	if places, err = unvoiced(ctx, ear.source(src).reader, rate, at, places); err != nil {
		return nil, err
	}
	var out []Quiet
	for _, q := range places[:min(len(places), most)] {
		one, err := Measure(r, open, src, q.From, q.To)
		if err != nil {
			continue
		}
		q.Level, q.Even, q.Slope, q.Bands = one.Level, one.Even, one.Slope, one.Bands
		out = append(out, q)
	}
	return out, nil
}

// unvoiced are the places of a room in which no voice murmurs below 188 Hz, where
// rooms are not listened to; where all are louder there than the quietest tenth
// of a second around them, it is the one that is so least.
func unvoiced(ctx context.Context, reader sound.Reader, rate int, at int64, places []Quiet) ([]Quiet, error) {
	if len(places) < 1 {
		return nil, nil
	}
	size := int64(float64(rate) * measure.FrameSeconds)
	from := max(at-int64(floor.Reach*float64(rate)), 0) / size * size
	to := min(at+int64(floor.Reach*float64(rate)), reader.Len())
	frames, err := read(ctx, reader, rate, from, to, func(float64) {})
	if err != nil {
		return nil, err
	}
	_, high := alternating(frames)
	deep := deepest(high, 5, 1.25)
	second := int(math.Round(1 / measure.FrameSeconds))
	var out []Quiet
	least, best := math.Inf(1), places[0]
	for _, q := range places {
		a, b := int((q.From-from+size-1)/size), int((q.To-from)/size)
		if b = min(b, len(high)); a < 0 || b <= a {
			continue
		}
		over := 10 * math.Log10(average(high[a:b])/deep[min(a/second, len(deep)-1)])
		if over <= murmur {
			out = append(out, q)
		}
		if over < least {
			least, best = over, q
		}
	}
	if len(out) == 0 {
		out = []Quiet{best}
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
	var all [][]float32
	for ch := range min(reader.Channels(), 2) {
		v := make([]float32, max(to-from, 0))
		if err := reader.ReadAt(v, ch, from); err != nil {
			return Sample{}, err
		}
		all = append(all, v)
	}
	if all = sounding(all, rate); all == nil {
		return Sample{}, ErrSilent
	}
	for _, v := range all {
		centre(v)
	}
	s := Sample{Source: src.ID, From: from, To: to, Name: src.Name, Seconds: float64(len(all[0])) / float64(rate), Away: -1}
	frames := levelFrames(rate, all)
	if s.Level = measure.Level(average(frames)); s.Level <= noRoom {
		return Sample{}, ErrSilent
	}
	s.Even = rated(frames, frames).Even
	s.Bands = spectrumOf(measure.NewSpectrum(rate), all)
	s.Slope = slope(s.Bands)
	return s, nil
}

// noRoom is the level below which nothing is a room, in dBFS: no recording of 24
// bits is so quiet.
const noRoom = -125.0

// levelFrames are the powers of frames of a stretch above the rumble, as rooms
// are measured. A stretch too short for the filters is taken several times over.
func levelFrames(rate int, all [][]float32) []float64 {
	least := rate / 5
	var long [][]float32
	for _, v := range all {
		w := v
		for len(w) < 2*least {
			w = append(w[:len(w):len(w)], v...)
		}
		// What stands before it lets the filters settle.
		n := len(w)
		long = append(long, append(append(make([]float32, 0, n+least), w[n-least:]...), w...))
	}
	p := floor.Sound(rate, long...).Total()
	return p[min(least/floor.Hop(rate), len(p)):]
}

// spectrumOf is the spectrum of a stretch, of all its channels.
func spectrumOf(spec *measure.Spectrum, all [][]float32) (out measure.Bands) {
	var power [len(out)]float64
	for _, v := range all {
		for len(v) < spec.Segment() {
			v = append(v[:len(v):len(v)], v...)
		}
		for k, db := range spec.Of(v, every(len(v), spec.Segment())) {
			power[k] += math.Pow(10, db/10) / float64(len(all))
		}
	}
	for k, p := range power {
		out[k] = measure.Level(p)
	}
	return out
}

// Library are the made-up rooms.
func Library(rate int) []Sample {
	var out []Sample
	for _, name := range reel.Rooms {
		s := Sample{Room: name, Name: name, Level: roomLevel(name, rate), Bands: roomBands(name, rate), Seconds: mostUsed, Away: -1}
		s.Slope = slope(s.Bands)
		out = append(out, s)
	}
	return out
}
