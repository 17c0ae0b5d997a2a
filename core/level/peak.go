// Package level tells how loud what a reel plays is, and proposes gains.
package level

import (
	"context"
	"fmt"
	"math"

	"blendseam/core/gain"
	"blendseam/core/reel"
	"blendseam/core/sound"
)

// block is how many samples are looked at between two looks at the context.
const block = 1 << 16

// Peaks are the largest samples of the two sides of a stretch of a sound, as
// factors of full scale; of a mono sound both are the same. What lies outside of
// the sound is silence. A sample that is no number makes a peak none.
func Peaks(ctx context.Context, of sound.Reader, from, n int64) (sides [2]float64, err error) {
	buf := make([]float32, min(block, max(n, 0)))
	for ch := range min(of.Channels(), 2) {
		for at := from; at < from+n; at += block {
			if err := ctx.Err(); err != nil {
				return sides, err
			}
			part := buf[:min(block, from+n-at)]
			if err := of.ReadAt(part, ch, at); err != nil {
				return sides, err
			}
			for _, v := range part {
				if a := math.Abs(float64(v)); a > sides[ch] || a != a {
					sides[ch] = a
				}
			}
		}
	}
	if of.Channels() == 1 {
		sides[1] = sides[0]
	}
	return sides, nil
}

// ClipPeak is the peak of a clip with its gains, in dBFS, when those of what it
// plays are known; −Inf for silence. Fades and blends only lower it.
func ClipPeak(c reel.Clip, sides [2]float64) float64 {
	left, right := c.Gains(reel.Track{})
	return gain.ToDB(max(sides[0]*left, sides[1]*right))
}

// PeakWords tells how high something peaks, in dBFS; of is its name, or nothing
// where that is clear.
func PeakWords(of string, db float64) string {
	if of != "" {
		of = " in “" + of + "”"
	}
	switch {
	case math.IsNaN(db) || math.IsInf(db, -1):
		return "silent"
	case db >= 0.05:
		return fmt.Sprintf("+%.1f dBFS%s: will clip", db, of)
	case db >= 0:
		return "0.0 dBFS" + of + ": full scale"
	case db > -0.05:
		return "0.0 dBFS" + of
	}
	return fmt.Sprintf("−%.1f dBFS%s", -db, of)
}
