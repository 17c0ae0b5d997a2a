package roomtone

import (
	"context"
	"math"

	"blendseam/core/measure"
	"blendseam/core/sound"
)

// Activity tells where in a stretch of a recording something is going on over
// its room, in frames of measure.FrameSeconds.
type Activity struct {
	From  int64   // sample at which the first frame begins
	Size  int64   // samples a frame
	Level []int   // 0 the room alone, 1 as loud as a breath, 2 as loud as speech
	Floor float64 // dBFS, the room
}

// ActivityOf listens to a stretch of a recording. The room is taken from the
// quietest tenth of it, so a stretch of some seconds tells more than a short one.
func ActivityOf(ctx context.Context, own sound.Reader, rate int, from, to int64) (Activity, error) {
	a := Activity{From: max(from, 0), Size: int64(float64(rate) * measure.FrameSeconds)}
	frames, err := read(ctx, own, rate, a.From, min(to, own.Len()), func(float64) {})
	if err != nil {
		return a, err
	}
	_, high := alternating(frames)
	a.Level, a.Floor = make([]int, len(high)), measure.Floor(high)
	speech, breath := math.Pow(10, (a.Floor+speechOver)/10), math.Pow(10, (a.Floor+breathOver)/10)
	for i, p := range high {
		switch {
		case p > speech:
			a.Level[i] = 2
		case p > breath:
			a.Level[i] = 1
		}
	}
	return a, nil
}

// Run is a stretch in which something is going on, with what belongs to it: a
// breath before the words, their dying away.
type Run struct {
	From, To int64 // samples of the recording
	Spoken   bool  // it holds more than a breath or a tick
}

// pauseWithin is the longest quiet that belongs to one run, in seconds: shorter
// than the pause between two phrases, longer than the closure of a stop.
const pauseWithin = 0.16

// spokenFor is how long speech lasts at least, in seconds; a shorter burst is a
// tick or a knock.
const spokenFor = 0.08

// Runs are the stretches in which something is going on, by time.
func (a Activity) Runs() []Run {
	gap := int(math.Round(pauseWithin / measure.FrameSeconds))
	var out []Run
	begin, last, loud := -1, -1, 0
	end := func() {
		if begin >= 0 {
			out = append(out, Run{a.From + int64(begin)*a.Size, a.From + int64(last+1)*a.Size, float64(loud)*measure.FrameSeconds >= spokenFor})
		}
		begin, loud = -1, 0
	}
	for i, l := range a.Level {
		if l == 0 {
			if begin >= 0 && i-last > gap {
				end()
			}
			continue
		}
		if begin < 0 {
			begin = i
		}
		if last = i; l == 2 {
			loud++
		}
	}
	end()
	return out
}
