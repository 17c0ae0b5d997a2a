package roomtone

import (
	"context"
	"math"

	"blendseam/core/floor"
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
	lead       = 0.12 // seconds kept before speech
	tail       = 0.25 // and after it
	leastPause = 0.4
)

// Pauses are the stretches of a track's clips in a span where nobody speaks. A
// breath is louder than the room and less loud than speech: it is kept where
// that is wanted. Parts that are struck already are left out.
func Pauses(ctx context.Context, r *reel.Reel, open mix.Open, track reel.ID, from, to int64, breaths bool) ([]Pause, error) {
	rate := r.Props.SampleRate
	size := int64(floor.Hop(rate))
	const frame = 0.01 // seconds
	least := floor.SpeechOver
	if breaths {
		least = floor.BreathOver
	}
	out := []Pause{}
	ear := NewEar(rate, open)
	for _, c := range r.OnTrack(track) {
		a, b := max(c.Start, from), min(c.End(), to)
		if b-a < int64(leastPause*float64(rate)) {
			continue
		}
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		src, _ := r.Source(c.Source)
		if src.Bed.Grown() {
			continue
		}
		over, powers, first, err := ear.over(src, a-c.Start+c.Offset, b-c.Start+c.Offset)
		if err != nil {
			return nil, err
		}
		a = first*size - c.Offset + c.Start
		busy := make([]bool, len(over))
		ahead, behind := int(lead/frame), int(tail/frame)
		for i := range over {
			// Three frames, so that a single tick does not count as speech.
			if over[i] > least && i > 0 && i+1 < len(over) && over[i-1] > least-3 && over[i+1] > least-3 {
				for k := max(i-ahead, 0); k <= min(i+behind, len(over)-1); k++ {
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
			if begin >= 0 && float64(i-begin)*frame >= leastPause {
				p := Pause{Clip: c.ID, Track: track, From: a + int64(begin)*size, To: a + int64(i)*size, Level: measure.Silence}
				if i == len(busy) {
					p.To = b
				}
				for k := begin; k+10 <= i; k++ {
					p.Level = max(p.Level, measure.Level(average(powers[k:k+10])))
				}
				p.From = max(p.From, c.Start)
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
	keep := math.Exp(-2 * math.Pi * rumble / float64(rate))
	for i, x := range v {
		p.y = keep * (p.y + float64(x) - p.x)
		p.x, v[i] = float64(x), float32(p.y)
	}
	n := int(int64(len(v)) / step)
	levels := make([]float64, n)
	for i := range levels {
		lo, hi := max(int64(i-1)*step, 0), min(int64(i+2)*step, int64(len(v)))
		levels[i] = measure.RMS(v[lo:hi])
	}
	// What overlaps the marked span belongs to it, unless it goes on far beyond.
	ear := NewEar(rate, open)
	over, _, at, err := ear.over(src, a, b)
	if err != nil {
		return 0, 0, false, err
	}
	lo, hi := int64(math.MaxInt64), int64(-1)
	for _, run := range floor.Runs(over, at) {
		x, y := run.From*int64(floor.Hop(rate)), (run.To+1)*int64(floor.Hop(rate))
		if y <= s.From || x >= s.To {
			continue
		}
		if x <= a && a > 0 {
			x = s.From
		}
		if y >= b && b < src.Length {
			y = s.To
		}
		lo, hi = min(lo, x), max(hi, y)
	}
	if hi < 0 {
		return 0, 0, false, nil
	}
	// To where it rises from the room and sinks to it again.
	limit := room.Level + tightOver
	first, last := -1, -1
	for i := range levels {
		if place := a + int64(i)*step; place >= lo && place < hi && levels[i] > limit {
			if first < 0 {
				first = i
			}
			last = i
		}
	}
	if first < 0 {
		return 0, 0, false, nil
	}
	return a + int64(first)*step, min(a+int64(last+1)*step, src.Length), true, nil
}

// tightOver is how far over its room sound is at the edges that a struck span
// snaps to, in dB.
const tightOver = 5.0

// over is how far each frame of a stretch of a source lies over its room, in dB,
// with the powers of the frames and the number of the first.
func (e *Ear) over(src reel.Source, from, to int64) (over, powers []float64, first int64, err error) {
	p, first, err := e.Powers(src, from, to)
	if err != nil {
		return nil, nil, 0, err
	}
	hop, half := int64(floor.Hop(e.rate)), int64(e.rate/2)
	// The room is asked for anew each half second.
	for t := 0; t < len(p); {
		at := (first + int64(t)) * hop
		end := min(int(((at/half+1)*half-first*hop+hop-1)/hop), len(p))
		if end <= t {
			end = t + 1
		}
		room, err := e.Room(src, at)
		if err != nil {
			return nil, nil, 0, err
		}
		if room.State != floor.Heard { // what is loud around it tells what can be no room
			a, b := max(t-500, 0), min(end+500, len(p))
			over = append(over, room.Over(p[a:b])[t-a:end-a]...)
		} else {
			over = append(over, room.Over(p[t:end])...)
		}
		t = end
	}
	return over, p.Total(), first, nil
}
