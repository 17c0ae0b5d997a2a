package roomtone

import (
	"context"
	"math"
	"slices"

	"blendseam/core/gain"
	"blendseam/core/measure"
	"blendseam/core/mix"
	"blendseam/core/reel"
)

// Pause is a stretch of a clip in which nobody speaks.
type Pause struct {
	Clip  reel.ID `json:"clip"`
	Track reel.ID `json:"track"`
	From  int64   `json:"from"` // in the reel
	To    int64   `json:"to"`
	Level float64 `json:"level"` // dBFS, the loudest tenth of a second in it
}

// pauseFade is the fade at both ends of a pause that is struck, in seconds.
const pauseFade = 0.08

// Strike is the edit that strikes the pause: its fades end where it does.
func (p Pause) Strike(rate int) *reel.StrikeSpan {
	fade := min(int64(pauseFade*float64(rate)), (p.To-p.From-1)/2)
	return &reel.StrikeSpan{From: p.From + fade, To: p.To - fade, Tracks: []reel.ID{p.Track}, Clips: []reel.ID{p.Clip}, Fade: fade, Shape: gain.QuarterSine}
}

// How speech is told from pauses by level. Common practice.
const (
	speechOver = 10.0 // dB over the room
	breathOver = 4.0  // where breaths are to be kept
	lead       = 0.12 // seconds kept before speech
	tail       = 0.25 // and after it
	leastPause = 0.4
)

// Pauses are the stretches of a track's clips in a span where nobody speaks. A
// breath is louder than the room and less loud than speech: it is kept where
// that is wanted. Parts that are struck already are left out.
func Pauses(ctx context.Context, r *reel.Reel, open mix.Open, track reel.ID, from, to int64, breaths bool) ([]Pause, error) {
	rate := r.Props.SampleRate
	size := int64(float64(rate) * measure.FrameSeconds)
	over := speechOver
	if breaths {
		over = breathOver
	}
	out := []Pause{}
	for _, c := range r.OnTrack(track) {
		a, b := max(c.Start, from), min(c.End(), to)
		if b-a < int64(leastPause*float64(rate)) {
			continue
		}
		own, err := mix.Material(r, c, open)
		if err != nil {
			return nil, err
		}
		frames, err := read(ctx, own, rate, a-c.Start+c.Offset, b-c.Start+c.Offset, func(float64) {})
		if err != nil {
			return nil, err
		}
		_, high := alternating(frames)
		limit := math.Pow(10, (measure.Floor(high)+over)/10)
		busy := make([]bool, len(high))
		frame := float64(measure.FrameSeconds)
		ahead, behind := int(lead/frame), int(tail/frame)
		for i := range high {
			// Two frames, so that a single tick does not count as speech.
			if high[i] > limit && (i == 0 || high[i-1] > limit/2 || i+1 < len(high) && high[i+1] > limit/2) {
				for k := max(i-ahead, 0); k <= min(i+behind, len(high)-1); k++ {
					busy[k] = true
				}
			}
		}
		for _, s := range r.StrikesOf(c.ID) {
			lo, hi := s.Reach()
			for k := range busy {
				if at := a - c.Start + c.Offset + int64(k)*size; at < hi && at+size > lo {
					busy[k] = true
				}
			}
		}
		begin := -1
		for i := 0; i <= len(busy); i++ {
			if i < len(busy) && !busy[i] {
				if begin < 0 {
					begin = i
				}
				continue
			}
			if begin >= 0 && float64(i-begin)*measure.FrameSeconds >= leastPause {
				p := Pause{Clip: c.ID, Track: track, From: a + int64(begin)*size, To: a + int64(i)*size, Level: measure.Silence}
				if i == len(busy) {
					p.To = b
				}
				for k := begin; k+5 <= i; k++ {
					p.Level = max(p.Level, measure.Level(average(high[k:k+5])))
				}
				out = append(out, p)
			}
			begin = -1
		}
	}
	return out, nil
}

// Tighter is a struck span snapped to where the sound that it holds rises from
// the room and sinks to it again: edges in the time of the source, up to half a
// second beyond those that it has. Not ok when nothing in it stands out.
func Tighter(r *reel.Reel, open mix.Open, s reel.Strike) (from, to int64, ok bool, err error) {
	c, _ := r.Clip(s.Clip)
	src, _ := r.Source(c.Source)
	reader, err := open(src)
	if err != nil {
		return 0, 0, false, err
	}
	rate := r.Props.SampleRate
	room, err := BesideStrike(r, open, s)
	if err != nil || room.Level <= measure.Silence {
		return 0, 0, false, err
	}
	step := int64(rate / 400) // 2.5 ms
	beyond := int64(rate / 2)
	a, b := max(s.From-beyond, 0), min(s.To+beyond, src.Length)
	v := make([]float32, b-a)
	if err := reader.ReadAt(v, 0, a); err != nil {
		return 0, 0, false, err
	}
	// Above the rumble: below it so short a stretch is at no level of its own.
	var p pass
	keep := float32(math.Exp(-2 * math.Pi * rumble / float64(rate)))
	for i, x := range v {
		p.y = keep * (p.y + x - p.x)
		p.x, v[i] = x, p.y
	}
	n := int(int64(len(v)) / step)
	levels := make([]float64, n)
	for i := range levels {
		lo, hi := max(int64(i-1)*step, 0), min(int64(i+2)*step, int64(len(v)))
		levels[i] = measure.RMS(v[lo:hi])
	}
	// From the loudest place in the marked span outwards to the room.
	top, at := measure.Silence, -1
	for i := range levels {
		if place := a + int64(i)*step; place >= s.From && place < s.To && levels[i] > top {
			top, at = levels[i], i
		}
	}
	// The room is what three quarters of what lies outside do not exceed.
	var beside []float64
	for i := range levels {
		if place := a + int64(i)*step; place < s.From || place >= s.To {
			beside = append(beside, levels[i])
		}
	}
	if len(beside) == 0 || at < 0 {
		return 0, 0, false, nil
	}
	slices.Sort(beside)
	limit := beside[len(beside)*3/4] + 3
	if top < limit+3 {
		return 0, 0, false, nil
	}
	first, last := at, at
	// A dip of up to 60 ms belongs to it.
	dip := int(0.06 * float64(rate) / float64(step))
	for i, quiet := at, 0; i >= 0 && quiet <= dip; i-- {
		if quiet++; levels[i] > limit {
			first, quiet = i, 0
		}
	}
	for i, quiet := at, 0; i < n && quiet <= dip; i++ {
		if quiet++; levels[i] > limit {
			last, quiet = i, 0
		}
	}
	return a + int64(first)*step, min(a+int64(last+1)*step, src.Length), true, nil
}
