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

// Peak is the largest sample of a stretch of a sound, over all its channels, as
// a factor of full scale. What lies outside of the sound is silence. A sample
// that is no number makes the peak none.
func Peak(ctx context.Context, of sound.Reader, from, n int64) (float64, error) {
	buf := make([]float32, min(block, max(n, 0)))
	peak := 0.0
	for ch := range of.Channels() {
		for at := from; at < from+n; at += block {
			if err := ctx.Err(); err != nil {
				return 0, err
			}
			part := buf[:min(block, from+n-at)]
			if err := of.ReadAt(part, ch, at); err != nil {
				return 0, err
			}
			for _, v := range part {
				if a := math.Abs(float64(v)); a > peak || a != a {
					peak = a
				}
			}
		}
	}
	return peak, nil
}

// ClipPeak is the peak of a clip with its gain, in dBFS, when that of what it
// plays is known; −Inf for silence. Fades and blends only lower it.
func ClipPeak(c reel.Clip, peak float64) float64 { return gain.ToDB(peak * gain.FromDB(c.GainDB)) }

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
