package floor

import (
	"math"
	"slices"
)

// How far over its room a frame counts as a breath and as speech, in dB.
const (
	BreathOver = 4.0
	SpeechOver = 10.0
)

// Run is a stretch in which something is going on, with what belongs to it: a
// breath before the words, their dying away. From and To are frames.
type Run struct {
	From, To int64
	Spoken   bool // it holds more than a breath, a tick or a knock
}

// together is the longest quiet that belongs to one run, in frames: shorter
// than the pause between two words, longer than the closure of a stop.
const together = 16

// spokenFor is how long speech lasts at least, in frames; a shorter burst is a
// tick or a knock.
const spokenFor = 8

// Over is how far each frame lies over a room, in dB: the mean over the bands of
// its power in relation to the room's. Digital silence is math.Inf(-1).
//
// Where no room is heard the quietest even stretch stands for it, if what
// is as loud as that can be no speech: 20 dB under the loudest tenth.
func (r Room) Over(p Powers) []float64 {
	bands := r.Bands
	if r.State != Heard { // of a gated recording the quietest that sounds is speech
		bands = r.atMost(p)
	}
	out := make([]float64, len(p))
	for t := range p {
		if p[t] == ([Bands]float64{}) {
			out[t] = math.Inf(-1)
			continue
		}
		out[t] = 10 * math.Log10(over(p[t], bands))
	}
	return out
}

// quieter is how far under the loudest tenth of speech a room lies at least,
// in dB.
const quieter = 20.0

func (r Room) atMost(p Powers) [Bands]float64 {
	all := make([]float64, 0, len(p))
	for t := range p {
		all = append(all, total(p[t]))
	}
	if len(all) == 0 {
		return r.Bands
	}
	slices.Sort(all)
	most := all[len(all)*9/10] * math.Pow(10, -quieter/10)
	out, have := r.Bands, total(r.Bands)
	for b := range out {
		switch {
		case have <= 0:
			out[b] = most / Bands
		case have > most:
			out[b] *= most / have
		}
	}
	return out
}

func total(f [Bands]float64) (sum float64) {
	for _, v := range f {
		sum += v
	}
	return sum
}

// Runs are the stretches in which something is going on, by time, from how far
// each frame lies over the room. Frames count from first.
func Runs(over []float64, first int64) []Run {
	var out []Run
	begin, last, loud := -1, -1, 0
	end := func() {
		if begin >= 0 {
			out = append(out, Run{first + int64(begin), first + int64(last) + 1, loud >= spokenFor})
		}
		begin, loud = -1, 0
	}
	for i, db := range over {
		if db < BreathOver {
			if begin >= 0 && i-last > together {
				end()
			}
			continue
		}
		if begin < 0 {
			begin = i
		}
		if last = i; db >= SpeechOver {
			loud++
		}
	}
	end()
	return out
}
