package measure

import (
	"math"
	"slices"
)

// FrameSeconds is the length of the frames by which a room is measured.
const FrameSeconds = 0.02

// Frames are the powers of the frames of a stretch, all channels together; a
// frame of less than half its length at the end is left out.
func Frames(rate int, channels ...[]float32) []float64 {
	if len(channels) == 0 {
		return nil
	}
	n, size := len(channels[0]), max(int(float64(rate)*FrameSeconds), 1)
	out := make([]float64, 0, n/size+1)
	for at := 0; at < n; at += size {
		end := min(at+size, n)
		if end-at < size/2 {
			break
		}
		var sum float64
		for _, v := range channels {
			var s0, s1 float64 // two sums keep the adder busy
			v := v[at:end]
			for i := 0; i+1 < len(v); i += 2 {
				a, b := float64(v[i]), float64(v[i+1])
				s0 += a * a
				s1 += b * b
			}
			if len(v)%2 == 1 {
				a := float64(v[len(v)-1])
				s0 += a * a
			}
			sum += s0 + s1
		}
		out = append(out, sum/float64((end-at)*len(channels)))
	}
	return out
}

// silent is the power under which a frame counts as digital silence: no sample
// of 24 bits reaches it.
const silent = 1e-15

// Floor is the level of the room among frames, in dBFS: the 10th percentile of
// those that are not digital silence. Silence when there are none.
func Floor(frames []float64) float64 {
	sounding := make([]float64, 0, len(frames))
	for _, p := range frames {
		if p > silent {
			sounding = append(sounding, p)
		}
	}
	if len(sounding) == 0 {
		return Silence
	}
	slices.Sort(sounding)
	return Level(sounding[(len(sounding)-1)/10])
}

// Level is a power in dBFS.
func Level(power float64) float64 {
	if power <= silent {
		return Silence
	}
	return max(10*math.Log10(power), Silence)
}
