package roomtone

import (
	"context"
	"math"
	"slices"

	"blendseam/core/measure"
	"blendseam/core/sound"
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
