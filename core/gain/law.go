// Package gain holds the curves by which sound is faded: the laws of a blend,
// the shapes of a fade, and decibels.
//
// A curve runs over a window of n samples; sample i of it stands at x = i/n,
// so that the first sample of a fade in is silent and the sample after the
// window is at full level. A fade out is the same curve walked backwards,
// from x = 1 at its first sample. This is also how ffmpeg's afade counts.
package gain

import (
	"fmt"
	"math"
)

// Law says how the two sides of a blend share the gain.
type Law string

const (
	// ConstantPower keeps the power of unrelated sounds: out cos(πx/2), in
	// sin(πx/2). Like sounds swell by 3.01 dB in the middle.
	ConstantPower Law = "constantPower"
	// ConstantGain keeps the level of like sounds: out 1−x, in x. Unrelated
	// sounds dip by 3.01 dB in the middle.
	ConstantGain Law = "constantGain"
	// ConstantPowerEased is ConstantPower with x eased by sin²(πx/2), so that
	// neither side starts or stops abruptly: out cos((π/2)·sin²(πx/2)), in
	// sin((π/2)·sin²(πx/2)).
	ConstantPowerEased Law = "constantPowerEased"
	// ConstantGainEased is ConstantGain eased: out cos²(πx/2), in sin²(πx/2).
	ConstantGainEased Law = "constantGainEased"
	// Matched is ConstantPower divided by what the likeness of the two sides
	// makes of it, so that the level is kept whatever that is; see Likeness.
	// Unrelated sounds are blended with constant power exactly; the gains of
	// sounds that are the same add up to 1.
	Matched Law = "matched"
)

// Laws are the laws a blend can have, the usual one first.
var Laws = []Law{ConstantPower, ConstantGain, ConstantPowerEased, ConstantGainEased, Matched}

// Check returns an error unless l is one of Laws.
func (l Law) Check() error {
	for _, k := range Laws {
		if k == l {
			return nil
		}
	}
	return fmt.Errorf("a blend's law is one of %q, not %q", Laws, l)
}

// Shape is the shape of a blend's side under the law.
func (l Law) Shape() Shape {
	switch l {
	case ConstantGain:
		return Linear
	case ConstantGainEased:
		return Smooth
	case ConstantPowerEased:
		return EasedSine
	case Matched:
		return matchedSine
	}
	return QuarterSine
}

// Shape is a curve that rises from 0 at x = 0 to 1 at x = 1.
type Shape string

const (
	Linear      Shape = "constantGain"  // x
	QuarterSine Shape = "constantPower" // sin(πx/2)
	Smooth      Shape = "smooth"        // sin²(πx/2): an S, flat at both ends
	EasedSine   Shape = "easedPower"    // sin((π/2)·sin²(πx/2)): a quarter sine, flat at both ends

	// matchedSine is QuarterSine over N; it has a curve only with a likeness.
	matchedSine Shape = "matched"
)

// Shapes are the shapes a fade can have, the usual one first.
var Shapes = []Shape{QuarterSine, Linear, Smooth, EasedSine}

// Check returns an error unless s is one of Shapes.
func (s Shape) Check() error {
	for _, k := range Shapes {
		if k == s {
			return nil
		}
	}
	return fmt.Errorf("a fade's shape is one of %q, not %q", Shapes, s)
}

// Even is the warp that leaves a curve as it is.
const Even = 0.5

// The range of a warp: the place in the window, from 0 to 1, that the middle
// of the curve is moved to.
const (
	MinWarp = 0.1
	MaxWarp = 0.9
)

// CheckWarp returns an error unless m is a warp between MinWarp and MaxWarp.
func CheckWarp(m float64) error {
	if !(m >= MinWarp && m <= MaxWarp) {
		return fmt.Errorf("lean and bend go from %g to %g, and %g is even; %g is outside", MinWarp, MaxWarp, Even, m)
	}
	return nil
}

// Warp moves the middle of a curve to x = m: it is monotone, fixes 0 and 1,
// takes m to one half, and warping by 1−m is its mirror image:
//
//	w(x) = x(1−m) / (x(1−2m) + m)
func Warp(x, m float64) float64 {
	if m == Even {
		return x
	}
	return x * (1 - m) / (x*(1-2*m) + m)
}

// At is the gain of the shape at x, clamped to 0…1, warped by m.
func (s Shape) At(x, m float64) float64 {
	x = Warp(min(max(x, 0), 1), m)
	switch s {
	case Linear:
		return x
	case Smooth:
		v := math.Sin(math.Pi / 2 * x)
		return v * v
	case EasedSine:
		v := math.Sin(math.Pi / 2 * x)
		return math.Sin(math.Pi / 2 * v * v)
	default:
		return math.Sin(math.Pi / 2 * x)
	}
}
