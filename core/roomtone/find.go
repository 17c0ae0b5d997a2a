package roomtone

import (
	"cmp"
	"context"
	"math"
	"slices"

	"blendseam/core/floor"
	"blendseam/core/measure"
	"blendseam/core/sound"
)

// Quiet is a stretch of a recording in which the room alone is heard.
type Quiet struct {
	From  int64         `json:"from"` // samples of the recording
	To    int64         `json:"to"`
	Level float64       `json:"level"` // dBFS
	Even  float64       `json:"even"`  // dB, spread of its level over tenths of a second
	Slope float64       `json:"slope"` // dB an octave: below 0 the room is dark
	Bands measure.Bands `json:"-"`
	Score float64       `json:"score"` // the longest and evenest highest
}

// Found is what a search for quiet stretches gives.
type Found struct {
	Floor    float64 `json:"floor"` // dBFS, of all that was looked through
	Quiet    []Quiet `json:"quiet"` // the best first
	Quietest *Quiet  `json:"quietest,omitempty"`
}

// What counts as quiet. Common practice; calibrated on recorded voices.
const (
	nearFloor = 3.0  // dB over the floor around it, over a tenth of a second
	blip      = 6.5  // dB over the floor, in any single frame
	spike     = 5.6  // times the RMS: more than noise gets to in a stretch
	swell     = 2.0  // dB that 400 ms may differ from the stretch
	leastFind = 0.3  // seconds
	shortFind = 0.2  // where nothing longer is quiet: with its edges a pause of 0.25 s and more
	loudRoom  = -30. // dBFS: what is as loud all the time is no room
	around    = 8    // seconds to either side that the floor is looked for in
	murmur    = 2.0  // dB over the quietest fifth of a second, with all above 150 Hz
	mostFound = 200
	coloured  = 24 // so many of the best have their colour measured
)

// Find looks for the quiet stretches of a part of a recording: near the floor
// and even, without speech, clicks or swells. Direct current is left out of
// all that is measured. Where there is none, Quietest is the quietest half
// second that sounds. Progress goes from 0 to 1.
func Find(ctx context.Context, r sound.Reader, rate int, from, to int64, progress func(float64)) (Found, error) {
	from = max(from, 0)
	to = max(min(to, r.Len()), from)
	frames, err := read(ctx, r, rate, from, to, progress)
	if err != nil {
		return Found{}, err
	}
	size := int64(float64(rate) * measure.FrameSeconds)
	powers, high := alternating(frames)
	out := Found{Floor: measure.Floor(powers), Quiet: []Quiet{}}
	hear := hearing{track: floor.Of(r, rate), rate: rate, length: r.Len(), channels: min(r.Channels(), 2)}
	for _, least := range []float64{leastFind, shortFind} {
		if len(out.Quiet) > 0 {
			break
		}
		floors, deep := localFloors(high), deepest(high, 10, 1.12)
		for k := range floors {
			floors[k] = min(floors[k], deep[k])
		}
		for _, run := range runs(high, floors, least) {
			for _, part := range steady(frames[run[0]:run[1]], high[run[0]:run[1]], least) {
				a, b := run[0]+part[0], run[0]+part[1]
				if second := int(math.Round(1 / measure.FrameSeconds)); average(high[a:b]) > deep[(a+b)/2/second]*math.Pow(10, murmur/10) {
					continue
				}
				q := rated(powers[a:b], high[a:b])
				q.From, q.To = from+int64(a)*size, from+int64(b)*size
				ok, err := hear.alone(&q)
				if err != nil {
					return Found{}, err
				}
				if ok && q.Level <= loudRoom {
					out.Quiet = append(out.Quiet, q)
				}
			}
		}
	}
	slices.SortStableFunc(out.Quiet, func(a, b Quiet) int { return cmp.Compare(b.Score, a.Score) })
	out.Quiet = out.Quiet[:min(len(out.Quiet), mostFound)]
	spec := measure.NewSpectrum(rate)
	for i := range out.Quiet[:min(len(out.Quiet), coloured)] {
		if err := out.Quiet[i].colour(r, spec); err != nil {
			return Found{}, err
		}
	}
	if len(out.Quiet) == 0 {
		if q, ok := quietest(powers, high); ok {
			q.From, q.To = from+q.From*size, from+q.To*size
			if err := q.colour(r, spec); err != nil {
				return Found{}, err
			}
			out.Quietest = &q
		}
	}
	return out, nil
}

// rated is what the frames of one stretch tell.
func rated(powers, high []float64) Quiet {
	q := Quiet{Level: measure.Level(average(powers))}
	var sum float64
	n := 0
	mean := measure.Level(average(high))
	for at := 0; at+5 <= len(high); at += 5 {
		d := measure.Level(average(high[at:at+5])) - mean
		sum += d * d
		n++
	}
	q.Even = math.Sqrt(sum / float64(max(n, 1)))
	seconds := float64(len(powers)) * measure.FrameSeconds
	q.Score = math.Sqrt(min(seconds, 12)) / (0.5 + q.Even)
	return q
}

// quietest is the quietest half second that sounds, or as much as there is.
func quietest(powers, high []float64) (Quiet, bool) {
	n := min(int(0.5/measure.FrameSeconds), len(powers))
	best, at := math.Inf(1), -1
	for i := 0; n > 0 && i+n <= len(powers); i++ {
		least, sum := math.Inf(1), 0.0
		for _, p := range powers[i : i+n] {
			least = min(least, p)
			sum += p
		}
		if least > silence && sum < best {
			best, at = sum, i
		}
	}
	if at < 0 {
		return Quiet{}, false
	}
	q := rated(powers[at:at+n], high[at:at+n])
	q.From, q.To = int64(at), int64(at+n)
	return q, true
}

// hearing tells whether quiet stretches are the room alone.
type hearing struct {
	track    floor.Track
	rate     int
	length   int64
	channels int
}

// aloneOver is how far over the room, as it is heard around it, a stretch may lie
// on the whole, in dB.
const aloneOver = 2.0

// alone reports whether a stretch is no louder than the room around it, where
// that is known, and sets its level, as rooms are measured.
func (h hearing) alone(q *Quiet) (bool, error) {
	gains := []float64{1, 1}[:h.channels]
	hop := int64(floor.Hop(h.rate))
	p, err := floor.Collect(h.track, gains, q.From/hop, max(q.To/hop-1, q.From/hop+1))
	if err != nil || len(p) == 0 {
		return false, err
	}
	q.Level = measure.Level(average(p.Total()))
	room, err := floor.Around(h.track, gains, h.rate, h.length, (q.From+q.To)/2)
	if err != nil || room.State == floor.NotKnown {
		return false, err
	}
	if room.State == floor.Gated {
		return true, nil
	}
	var sum float64
	for _, db := range room.Over(p) {
		sum += math.Pow(10, db/10) / float64(len(p))
	}
	return 10*math.Log10(sum) <= aloneOver, nil
}

// colour measures the bands of a stretch, of all channels, and how they fall
// over the octaves.
func (q *Quiet) colour(r sound.Reader, spec *measure.Spectrum) error {
	n := min(q.To-q.From, int64(8*spec.Segment()))
	var all [][]float32
	for ch := range min(r.Channels(), 2) {
		v := make([]float32, max(n, int64(spec.Segment())))
		if err := r.ReadAt(v[:n], ch, q.From); err != nil {
			return err
		}
		centre(v[:n])
		all = append(all, v)
	}
	q.Bands = spectrumOf(spec, all)
	q.Slope = slope(q.Bands)
	return nil
}

// every are starts of segments, half over one another.
func every(n, segment int) (out []int) {
	for at := 0; at+segment <= n; at += segment / 2 {
		out = append(out, at)
	}
	return out
}

// slope is the straight line through the bands, in dB an octave: pink noise,
// which has the same power in each, has none, white noise +3.
func slope(b measure.Bands) float64 {
	var mx, my, xy, xx float64
	for k, v := range b {
		mx += float64(k) / float64(len(b))
		my += v / float64(len(b))
	}
	for k, v := range b {
		xy += (float64(k) - mx) * (v - my)
		xx += (float64(k) - mx) * (float64(k) - mx)
	}
	return xy / xx * 10 * math.Log10(2) // so many bands an octave
}
