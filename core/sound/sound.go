// Package sound holds PCM: how it is read, summed up for drawing, and given
// back as whole numbers.
//
// Samples are float32 with full scale at ±1. Channels are kept apart, one
// slice or file each.
package sound

import "math"

// The sample rates a reel can have, in hertz.
var Rates = []int{44100, 48000, 88200, 96000}

// DefaultRate is the rate of a reel unless another is chosen.
const DefaultRate = 48000

// MaxChannels is the largest number of channels a recording can have.
const MaxChannels = 32

// Reader gives any stretch of a recording's channels in O(1). It is safe for
// use by several goroutines.
type Reader interface {
	// Channels is the number of channels, at least 1.
	Channels() int
	// Len is the length in samples.
	Len() int64
	// ReadAt fills dst with the samples of channel ch from sample from on.
	// What lies before the first sample or beyond the last is silence.
	ReadAt(dst []float32, ch int, from int64) error
}

// Silence is the sound of a recording that is not there: so many samples of nothing.
type Silence struct {
	Sides int   // channels
	N     int64 // samples
}

// Channels implements Reader.
func (s Silence) Channels() int { return s.Sides }

// Len implements Reader.
func (s Silence) Len() int64 { return s.N }

// ReadAt implements Reader.
func (s Silence) ReadAt(dst []float32, _ int, _ int64) error {
	clear(dst)
	return nil
}

// Memory is a recording held in memory, a slice for each channel, all of the
// same length.
type Memory [][]float32

// Channels implements Reader.
func (m Memory) Channels() int { return len(m) }

// Len implements Reader.
func (m Memory) Len() int64 {
	if len(m) == 0 {
		return 0
	}
	return int64(len(m[0]))
}

// ReadAt implements Reader.
func (m Memory) ReadAt(dst []float32, ch int, from int64) error {
	clear(dst)
	to := min(from+int64(len(dst)), m.Len())
	if at := max(from, 0); at < to {
		copy(dst[at-from:], m[ch][at:to])
	}
	return nil
}

// Cleanse turns every sample that is not a finite number into silence and
// returns how many there were.
func Cleanse(v []float32) (bad int) {
	for i, s := range v {
		if s-s != 0 {
			v[i] = 0
			bad++
		}
	}
	return bad
}

// Quantise is v as a signed integer of so many bits (16, 24 or 32), rounded to
// the nearest step and held at full scale. Full scale is ±2^(bits−1), so that
// integers that were read in come out as they were.
func Quantise(v float64, bits int) int32 {
	top := float64(int64(1) << (bits - 1))
	return int32(min(max(math.RoundToEven(v*top), -top), top-1))
}

// Whole is the sample at a place as a whole number, with triangular dither or
// without.
func Whole(v float32, bits int, dither bool, place int64, channel int) int32 {
	x := float64(v)
	if dither {
		x += Dither(place, channel) / float64(int64(1)<<(bits-1))
	}
	return Quantise(x, bits)
}

// Wholes is Whole of the samples from a place on, into as many numbers.
func Wholes(dst []int32, v []float32, bits int, dither bool, place int64, channel int) {
	top := float64(int64(1) << (bits - 1))
	dst = dst[:len(v)]
	if !dither {
		for i, s := range v {
			dst[i] = held(float64(s)*top, top)
		}
		return
	}
	key := ditherKey(place, channel)
	for i, s := range v {
		h := mix64(key)
		key += 2
		// Both halves are whole numbers of 32 bits, so nothing of this is rounded.
		dst[i] = held(float64(s)*top+float64(int64(h>>32)-int64(h&0xffffffff))*(1.0/(1<<32)), top)
	}
}

// held is a number of steps, rounded and held at full scale. Adding 3·2⁵¹ leaves no room
// for anything behind the point.
func held(x, top float64) int32 {
	const whole = 3 << 51
	switch {
	case x >= top-1:
		return int32(top - 1)
	case x <= -top:
		return int32(-top)
	}
	return int32(math.Float64bits(x + whole))
}

// Dither is the triangular (TPDF) dither of ±1 step for the sample at an
// absolute place, in units of the last bit. It is a function of the place and
// the channel alone, so that a span exported in two parts is the span exported
// whole.
func Dither(place int64, channel int) float64 {
	h := mix64(ditherKey(place, channel))
	const unit = 1.0 / (1 << 32)
	return float64(h>>32)*unit - float64(h&0xffffffff)*unit
}

// ditherKey is what the dither of a place is drawn from; that of the next is 2 more.
func ditherKey(place int64, channel int) uint64 {
	return uint64(place)*2 + uint64(channel)<<56 + 0x9e3779b97f4a7c15
}

// mix64 is the finaliser of SplitMix64 (Steele, Lea and Flood, "Fast
// splittable pseudorandom number generators", OOPSLA 2014).
func mix64(z uint64) uint64 {
	z = (z ^ z>>30) * 0xbf58476d1ce4e5b9
	z = (z ^ z>>27) * 0x94d049bb133111eb
	return z ^ z>>31
}
