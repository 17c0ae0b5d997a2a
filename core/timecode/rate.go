// Package timecode turns sample counts into frames and timecode and back,
// after SMPTE ST 12-1.
//
// Time in a reel is a count of samples. Frames and timecode are a view of it,
// and the rounding between the two is done here and nowhere else.
package timecode

import (
	"fmt"
	"math/bits"
)

// Rate is a frame rate as an exact fraction of frames per second.
type Rate struct {
	Num  int64 `json:"num"`  // frames
	Den  int64 `json:"den"`  // in so many seconds
	Drop bool  `json:"drop"` // drop-frame counting, at 30000/1001 and 60000/1001 only
}

// The rates that are supported.
var (
	Rate23976     = Rate{24000, 1001, false}
	Rate24        = Rate{24, 1, false}
	Rate25        = Rate{25, 1, false}
	Rate2997      = Rate{30000, 1001, false}
	Rate2997Drop  = Rate{30000, 1001, true}
	Rate30        = Rate{30, 1, false}
	Rate48        = Rate{48, 1, false}
	Rate50        = Rate{50, 1, false}
	Rate5994      = Rate{60000, 1001, false}
	Rate5994Drop  = Rate{60000, 1001, true}
	Rate60        = Rate{60, 1, false}
	Rates         = []Rate{Rate23976, Rate24, Rate25, Rate2997, Rate2997Drop, Rate30, Rate48, Rate50, Rate5994, Rate5994Drop, Rate60}
	ErrNotARate   = fmt.Errorf("frame rate must be one of 23.976, 24, 25, 29.97 (drop or not), 30, 48, 50, 59.94 (drop or not) and 60")
	ratesByNumber = func() map[Rate]bool {
		m := map[Rate]bool{}
		for _, r := range Rates {
			m[r] = true
		}
		return m
	}()
)

// Check returns ErrNotARate unless r is one of Rates.
func (r Rate) Check() error {
	if !ratesByNumber[r] {
		return ErrNotARate
	}
	return nil
}

// Nominal is the whole number of frames a second of timecode counts: 30 for
// 30000/1001.
func (r Rate) Nominal() int64 { return (r.Num + r.Den - 1) / r.Den }

// String is the rate as the trade writes it, such as "29.97 drop".
func (r Rate) String() string {
	s := ""
	switch {
	case r.Den == 1:
		s = fmt.Sprint(r.Num)
	case r.Num == 24000:
		s = "23.976"
	default:
		s = fmt.Sprintf("%.2f", float64(r.Num)/float64(r.Den))
	}
	if r.Drop {
		s += " drop"
	}
	return s
}

// far is as far as frames and samples are counted, in either direction: some
// years. What lies beyond is taken to lie there, so that no rounding overflows.
const far = 1 << 44

// Sample is the sample on which frame n begins: round(n·rate·den/num), half
// away from zero.
func (r Rate) Sample(n int64, sampleRate int) int64 {
	n = min(max(n, -far), far)
	return mulDivRound(n, int64(sampleRate)*r.Den, r.Num)
}

// Frame is the frame that sounds at a sample: the last one that begins at or
// before it.
func (r Rate) Frame(sample int64, sampleRate int) int64 {
	sample = min(max(sample, -far), far)
	n := mulDivRound(sample, r.Num, int64(sampleRate)*r.Den)
	for r.Sample(n, sampleRate) > sample {
		n--
	}
	for r.Sample(n+1, sampleRate) <= sample {
		n++
	}
	return n
}

// Nearest is the frame that begins nearest to a sample.
func (r Rate) Nearest(sample int64, sampleRate int) int64 {
	n := r.Frame(sample, sampleRate)
	if sample-r.Sample(n, sampleRate) > r.Sample(n+1, sampleRate)-sample {
		return n + 1
	}
	return n
}

// mulDivRound is round(a·b/c) for positive b and c, half away from zero, with
// a 128-bit product.
func mulDivRound(a, b, c int64) int64 {
	neg := a < 0
	if neg {
		a = -a
	}
	hi, lo := bits.Mul64(uint64(a), uint64(b))
	lo, carry := bits.Add64(lo, uint64(c)/2, 0)
	q, _ := bits.Div64((hi+carry)%uint64(c), lo, uint64(c))
	if neg {
		return -int64(q)
	}
	return int64(q)
}
