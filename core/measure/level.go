// Package measure puts numbers on sound.
package measure

import "math"

// Silence is the level given for digital silence, in dBFS, so that a level is
// always a finite number.
const Silence = -144.0

// RMS is the level of a stretch of one or more channels, taken together, in
// dBFS re 1.0: a full-scale sine reads −3.01.
func RMS(channels ...[]float32) float64 {
	var power float64
	n := 0
	for _, v := range channels {
		for _, s := range v {
			power += float64(s) * float64(s)
		}
		n += len(v)
	}
	if n == 0 || power == 0 {
		return Silence
	}
	return max(10*math.Log10(power/float64(n)), Silence)
}

// Peak is the largest sample of a stretch in dBFS.
func Peak(channels ...[]float32) float64 {
	var low, high float32
	for _, v := range channels {
		for _, s := range v {
			if s > high {
				high = s
			} else if s < low {
				low = s
			}
		}
	}
	top := max(high, -low)
	if top == 0 {
		return Silence
	}
	return max(20*math.Log10(float64(top)), Silence)
}

// Course is the RMS level along a stretch: one value each hop samples, over a
// window centred there.
func Course(window, hop int, channels ...[]float32) []float64 {
	return CourseOf(window, hop, Powers(channels...))
}

// Powers are the powers of each sample of a stretch, the mean of its channels.
func Powers(channels ...[]float32) []float64 {
	if len(channels) == 0 {
		return nil
	}
	out := make([]float64, len(channels[0]))
	for _, v := range channels {
		for i, s := range v {
			out[i] += float64(s) * float64(s) / float64(len(channels))
		}
	}
	return out
}

// CourseOf is the level along powers: one value each hop samples, over a
// window centred there.
func CourseOf(window, hop int, powers []float64) []float64 {
	n := len(powers)
	// Running sums of power make the cost independent of the window.
	sum := make([]float64, n+1)
	for i, p := range powers {
		sum[i+1] = sum[i] + p
	}
	var out []float64
	for at := 0; at < n; at += hop {
		a, b := max(at-window/2, 0), min(at+window/2, n)
		if b <= a {
			out = append(out, Silence)
			continue
		}
		out = append(out, Level((sum[b]-sum[a])/float64(b-a)))
	}
	return out
}
