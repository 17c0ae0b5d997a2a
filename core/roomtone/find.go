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

// frame is 20 ms of a recording.
type frame struct {
	mean, power float64 // of all channels; power with the mean still in it
	high        float64 // power above the rumble, by which quiet is told
	peak        float64 // of the same
}

// rumble is the frequency below which a room may heave as it likes, in hertz:
// what lies there is too slow for frames of 20 ms to be even.
const rumble = 150.0

// pass is a first-order high-pass filter.
type pass struct{ x, y float64 }

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

// read sums up the frames of a part of a recording.
func read(ctx context.Context, r sound.Reader, rate int, from, to int64, progress func(float64)) ([]frame, error) {
	size := int64(float64(rate) * measure.FrameSeconds)
	channels := min(r.Channels(), 2)
	out := make([]frame, 0, (to-from)/size)
	buf := make([]float32, size*500) // ten seconds
	part := make([]frame, 500)
	var filters [2]pass
	keep := math.Exp(-2 * math.Pi * rumble / float64(rate))
	for at := from; to-at >= size; at += int64(len(buf)) {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		n := min(int64(len(buf)), (to-at)/size*size)
		k := int(n / size)
		clear(part)
		for ch := range channels {
			v := buf[:n]
			if err := r.ReadAt(v, ch, at); err != nil {
				return nil, err
			}
			for i := range k {
				part[i].add(v[int64(i)*size:int64(i+1)*size], channels, &filters[ch], keep)
			}
		}
		out = append(out, part[:k]...)
		progress(float64(at-from) / float64(max(to-from, 1)))
	}
	return out, nil
}

// add sums up one channel of a frame.
func (f *frame) add(v []float32, channels int, p *pass, keep float64) {
	var sum, power, high, top float64
	x, y := p.x, p.y
	for _, one := range v {
		s := float64(one)
		y = keep * (y + s - x)
		x = s
		sum += s
		power += s * s
		high += y * y
		if y > top {
			top = y
		} else if -y > top {
			top = -y
		}
	}
	if math.Abs(y) < 1e-25 { // numbers that die away for ever are slow
		y = 0
	}
	p.x, p.y = x, y
	n := float64(len(v) * channels)
	f.mean += sum / n
	f.power += power / n
	f.high += high / n
	f.peak = max(f.peak, top)
}

// alternating are the powers of frames without the direct current that all of
// them share, and above the rumble; frames of digital silence stay at nothing.
func alternating(frames []frame) (all, high []float64) {
	var dc float64
	n := 0
	for _, f := range frames {
		if f.power > 0 {
			dc += f.mean
			n++
		}
	}
	dc /= float64(max(n, 1))
	all, high = make([]float64, len(frames)), make([]float64, len(frames))
	for i, f := range frames {
		if f.power > 0 {
			all[i] = max(f.power-2*dc*f.mean+dc*dc, 1e-20)
			high[i] = f.high
		}
	}
	return all, high
}

// localFloors are the floors around each second, as powers.
func localFloors(powers []float64) []float64 {
	second := int(math.Round(1 / measure.FrameSeconds))
	n := (len(powers) + second - 1) / second
	out := make([]float64, n)
	for k := range out {
		a, b := max((k-around)*second, 0), min((k+around+1)*second, len(powers))
		out[k] = math.Pow(10, measure.Floor(powers[a:b])/10)
	}
	return out
}

// deepest are the powers of the quietest runs of so many frames around each second
// that hold no digital silence, times what chance takes off the least of many: a
// voice can murmur below 188 Hz, where rooms are not listened to, and be near
// the floor that speech leaves.
func deepest(high []float64, wide int, chance float64) []float64 {
	second := int(math.Round(1 / measure.FrameSeconds))
	least := make([]float64, (len(high)+second-1)/second) // in each second
	for k := range least {
		least[k] = math.Inf(1)
	}
	sounds := 0
	for i, p := range high {
		if sounds++; p <= silence {
			sounds = 0
		}
		if sounds >= wide { // summed anew, as what is far too loud would stay in a running sum
			least[i/second] = min(least[i/second], average(high[i-wide+1:i+1]))
		}
	}
	out := make([]float64, len(least))
	for k := range out {
		out[k] = slices.Min(least[max(k-around, 0):min(k+around+1, len(least))]) * chance
	}
	return out
}

// runs are the stretches of frames near the floor, as first and last.
func runs(powers, floors []float64, shortest float64) [][2]int {
	second := int(math.Round(1 / measure.FrameSeconds))
	least := int(math.Round(shortest / measure.FrameSeconds))
	near, high := math.Pow(10, nearFloor/10), math.Pow(10, blip/10)
	var out [][2]int
	begin := -1
	for i := 0; i <= len(powers); i++ {
		ok := false
		if i < len(powers) && powers[i] > silence {
			floor := max(floors[i/second], silence)
			a, b := max(i-2, 0), min(i+3, len(powers))
			var sum float64
			for _, p := range powers[a:b] {
				sum += p
			}
			ok = powers[i] <= floor*high && sum/float64(b-a) <= floor*near
		}
		if ok && begin < 0 {
			begin = i
		}
		if !ok && begin >= 0 {
			// The frames at both ends may hold the edge of a sound.
			if i-begin-4 >= least {
				out = append(out, [2]int{begin + 2, i - 2})
			}
			begin = -1
		}
	}
	return out
}

// silence is the power below which a frame holds no room.
const silence = 1e-15

// steady parts a run where something swells or clicks.
func steady(frames []frame, powers []float64, shortest float64) [][2]int {
	least := int(math.Round(shortest / measure.FrameSeconds))
	mean := average(powers)
	var out [][2]int
	begin := 0
	cut := func(at, next int) {
		if at-begin >= least {
			out = append(out, [2]int{begin, at})
		}
		begin = next
	}
	wide := int(0.4 / measure.FrameSeconds)
	for i := range frames {
		if frames[i].peak > spike*math.Sqrt(mean) {
			cut(i-1, i+2)
			continue
		}
		a, b := max(i-wide/2, 0), min(i+wide/2, len(powers))
		if d := 10 * math.Log10(average(powers[a:b])/mean); d > swell || d < -swell {
			cut(i, i+1)
		}
	}
	cut(len(frames), len(frames))
	return out
}

func average(p []float64) float64 {
	var sum float64
	for _, v := range p {
		sum += v
	}
	return sum / float64(max(len(p), 1))
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
