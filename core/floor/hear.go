package floor

import (
	"math"
	"slices"
)

// State tells whether a room is known.
type State byte

const (
	// NotKnown says that nothing in reach is the room alone.
	NotKnown State = iota
	// Heard says that the room was heard in pauses.
	Heard
	// Gated says that there is digital silence between the words.
	Gated
)

// Silence is the level of a room that is not there, in dBFS.
const Silence = -144.0

// Room is what is known of a room around a place.
type Room struct {
	State State
	Bands [Bands]float64 // powers; where it is not known, of the quietest that there is
	Level float64        // dBFS, of all bands together; where it is not known, no less than it; Silence where there is none
	// Uncertain is the standard uncertainty of the level, in dB, calibrated on
	// recorded voices with noise of known level under them.
	Uncertain float64
	Seconds   float64    // of it that were heard
	Places    [][2]int64 // frames in which it is heard alone, the longest first
}

// How a room is told from what is only quiet. Calibrated on recorded voices.
const (
	pause     = 8     // frames of the shortest pause; with what they overlap, 90 ms
	even      = 3.5   // dB by which the frames of one may differ, as the mean over the bands
	empty     = 1e-11 // power, −110 dBFS, below which a band counts as empty
	near      = 1.45  // times the room's power: what is louder is not the room alone
	under     = 0.6   // times the room's power: what is quieter lies under the floor
	underBand = 0.4   // times the room's power in a band
	underFew  = 0.003 // share of the frames that may
	steady    = 0.2   // standard deviation of the power: more is no room, but something that dies away or moves
	steadier  = 0.15  // where there is one short pause alone
)

// Powers are successive frames of some channels taken together.
type Powers [][Bands]float64

// Hear tells the room from frames around a place: the quietest even stretch of
// 90 ms and all that is like it, if nothing lies deeper and it is as steady as
// noise of its bandwidth is. Each band counts in relation to its own level, so
// that rooms of any colour are told alike. Frames count from first.
//
// Digital silence is left out, unless it is most of what is quiet.
func Hear(p Powers, first int64) Room {
	h := hearing{p: p, level: make([]float64, len(p)), ratio: make([]float64, len(p)), in: make([]bool, len(p))}
	out := Room{Level: Silence}
	silent := 0 // in runs, but for what leads in and out
	run, begun := 0, false
	for t := range p {
		if p[t] == ([Bands]float64{}) {
			h.level[t] = math.Inf(1)
			run++
			continue
		}
		if begun && run >= pause {
			silent += run
		}
		run, begun = 0, true
		for _, v := range p[t] {
			h.level[t] += 10 * math.Log10(max(v, empty)) / Bands
		}
	}
	if h.begin() {
		out.Bands = h.room
	}
	if sum := total(out.Bands); sum > 0 {
		out.Level = 10 * math.Log10(sum)
	}
	heard, spread := h.heard()
	if silent > 2*heard && silent >= pause {
		out.State, out.Level, out.Uncertain = Gated, Silence, 0.5
		return out
	}
	runs := h.runs()
	limit := steady
	if len(runs) == 1 && heard < 12 {
		limit = steadier
	}
	if heard < pause || spread > limit || h.deeper() > max(int(underFew*float64(len(p))), 1) {
		return out
	}
	out.State, out.Seconds, out.Uncertain = Heard, float64(heard)/100, uncertain(len(runs), heard)
	slices.SortStableFunc(runs, func(a, b [2]int) int { return (b[1] - b[0]) - (a[1] - a[0]) })
	for _, r := range runs {
		out.Places = append(out.Places, [2]int64{first + int64(r[0]), first + int64(r[1])})
	}
	return out
}

// uncertain is the standard uncertainty in dB of a level that was heard in so
// many pauses of so many frames in all: as it was found with noise of known
// level under an hour of recorded voices.
func uncertain(pauses, frames int) float64 {
	switch {
	case pauses == 1 && frames < 12:
		return 2.5
	case pauses == 1 && frames < 20:
		return 1.3
	case pauses == 1:
		return 0.6
	case frames < 20:
		return 0.9
	case frames < 40:
		return 0.7
	}
	return 0.45
}

// hearing is the work of Hear.
type hearing struct {
	p     Powers
	level []float64 // dB, the mean over the bands; +Inf for digital silence
	ratio []float64 // the power of each frame over the room's, the mean over the bands
	in    []bool    // the room alone
	room  [Bands]float64
}

// begin finds the quietest even stretch and what is like it.
func (h *hearing) begin() bool {
	best, at := math.Inf(1), -1
	for t := 0; t+pause <= len(h.p); t++ {
		low, high, sum := math.Inf(1), math.Inf(-1), 0.0
		for _, l := range h.level[t : t+pause] {
			low, high, sum = min(low, l), max(high, l), sum+l
		}
		if high-low <= even && sum < best {
			best, at = sum, t
		}
	}
	if at < 0 {
		return false
	}
	for t := at; t < at+pause; t++ {
		h.in[t] = true
	}
	h.take()
	for range 3 {
		h.compare()
		clear(h.in)
		for t := 0; t < len(h.p); {
			e := t
			for e < len(h.p) && h.ratio[e] <= near {
				e++
			}
			if e-t >= pause-2 {
				for k := t; k < e; k++ {
					h.in[k] = true
				}
			}
			t = max(e, t+1)
		}
		if !h.take() {
			return true
		}
	}
	h.compare()
	return true
}

// take makes the room what is heard in its frames.
func (h *hearing) take() bool {
	var sum [Bands]float64
	k := 0
	for t := range h.p {
		if h.in[t] {
			k++
			for b, v := range h.p[t] {
				sum[b] += max(v, empty)
			}
		}
	}
	if k == 0 {
		return false
	}
	for b := range sum {
		h.room[b] = sum[b] / float64(k)
	}
	return true
}

func (h *hearing) compare() {
	for t := range h.p {
		if math.IsInf(h.level[t], 1) {
			h.ratio[t] = math.Inf(1)
			continue
		}
		h.ratio[t] = over(h.p[t], h.room)
	}
}

// over is the power of a frame over a room's, the mean over the bands.
func over(f, room [Bands]float64) float64 {
	var sum float64
	for b, v := range f {
		sum += max(v, empty) / max(room[b], empty)
	}
	return sum / Bands
}

func (h *hearing) heard() (n int, spread float64) {
	var mean float64
	for t, in := range h.in {
		if in {
			n++
			mean += h.ratio[t]
		}
	}
	mean /= float64(max(n, 1))
	for t, in := range h.in {
		if in {
			spread += (h.ratio[t] - mean) * (h.ratio[t] - mean)
		}
	}
	return n, math.Sqrt(spread / float64(max(n, 1)))
}

// deeper is how many frames lie under the floor: as a whole, or in two bands at
// once over 40 ms, as in the stops of a voice whose vowels were taken for it.
func (h *hearing) deeper() (n int) {
	for t, r := range h.ratio {
		if r < under {
			n++
			continue
		}
		if t == 0 || t+1 == len(h.p) || math.IsInf(h.ratio[t-1], 1) || math.IsInf(r, 1) || math.IsInf(h.ratio[t+1], 1) {
			continue
		}
		low := 0
		for b, v := range h.room {
			if h.p[t-1][b]+h.p[t][b]+h.p[t+1][b] < 3*underBand*v && v > 4*empty {
				low++
			}
		}
		if low >= 2 {
			n++
		}
	}
	return n
}

func (h *hearing) runs() (out [][2]int) {
	for t := 0; t < len(h.in); {
		e := t
		for e < len(h.in) && h.in[e] {
			e++
		}
		if e > t {
			out = append(out, [2]int{t, e})
		}
		t = max(e, t+1)
	}
	return out
}

// Whole is the room of a stretch that holds nothing else, as of grown tone.
func Whole(p Powers, first int64) Room {
	out := Room{Level: Silence}
	n := 0
	for t := range p {
		if p[t] != ([Bands]float64{}) {
			n++
			for b, v := range p[t] {
				out.Bands[b] += v
			}
		}
	}
	if n == 0 {
		return out
	}
	for b := range out.Bands {
		out.Bands[b] /= float64(n)
	}
	out.State, out.Level, out.Uncertain = Heard, 10*math.Log10(total(out.Bands)), 0.3
	out.Seconds, out.Places = float64(n)/100, [][2]int64{{first, first + int64(len(p))}}
	return out
}

// Total are the powers of frames, all bands together.
func (p Powers) Total() []float64 {
	out := make([]float64, len(p))
	for t := range p {
		out[t] = total(p[t])
	}
	return out
}

// Sound are the frames of sound that is at hand, as many channels as there are,
// taken together.
func Sound(rate int, channels ...[]float32) Powers {
	var out Powers
	for _, v := range channels {
		a := NewAnalyser(rate)
		a.Add(v)
		f := a.Take()
		if out == nil {
			out = make(Powers, len(f))
		}
		for t := range f {
			for b, x := range f[t] {
				out[t][b] += powers[x] / float64(len(channels))
			}
		}
	}
	return out
}

// BothWays runs the analyser forwards and backwards and returns the lower level of each
// frame and band, averaged over the channels. The filters ring for up to 40 ms after a loud
// sound, so one direction alone overstates a quiet frame. The channels must hold a whole
// number of hops; otherwise the two directions cover different samples.
func BothWays(rate int, channels ...[]float32) Powers {
	out := Sound(rate, channels...)
	back := make([][]float32, len(channels))
	for ch, v := range channels {
		back[ch] = slices.Clone(v)
		slices.Reverse(back[ch])
	}
	for t, f := range Sound(rate, back...) {
		into := &out[len(out)-1-t]
		for b := range f {
			into[b] = min(into[b], f[b])
		}
	}
	return out
}
