// Package roomtone finds the quiet stretches of recordings, grows room tone of
// any length from them, and proposes which tone goes where.
//
// A swatch is a stretch of a recording in which the room alone is heard. A bed
// is tone grown from a swatch: it is a function of the swatch, the seed and the
// place, so that it is rendered like any recording and needs no room on disk.
package roomtone

import (
	"math"

	"blendseam/core/measure"
	"blendseam/core/reel"
)

// tintAt is a tint at a frequency: straight over the octaves between the bands'
// centres, flat beyond them.
func tintAt(t reel.Tint, hz float64) float64 {
	x := 10*math.Log10(max(hz, 1)/1000) + 10
	k := int(math.Floor(x))
	switch {
	case k < 0:
		return t[0]
	case k >= len(t)-1:
		return t[len(t)-1]
	}
	return t[k] + (x-float64(k))*(t[k+1]-t[k])
}

// Tinted is the gentle correction that brings the colour of one room to
// another's: half a correction beyond 6 dB, none beyond reel.MaxTint, and
// smoothed over three bands.
func Tinted(from, to measure.Bands) reel.Tint {
	var d, out reel.Tint
	var mean float64
	for k := range d {
		d[k] = to[k] - from[k]
		mean += d[k] / float64(len(d))
	}
	for k := range d {
		d[k] -= mean
		if a := math.Abs(d[k]); a > 6 {
			d[k] = math.Copysign(min(6+(a-6)/2, reel.MaxTint), d[k])
		}
	}
	for k := range d {
		out[k] = (d[max(k-1, 0)] + 2*d[k] + d[min(k+1, len(d)-1)]) / 4
		out[k] = math.Round(out[k]*10) / 10
	}
	return out
}
