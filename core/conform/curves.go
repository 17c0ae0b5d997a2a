package conform

import (
	"blendseam/core/gain"
	"blendseam/core/reel"
)

// even reports whether a curve passes its middle in the middle.
func even(bend float64) bool { return bend == 0 || bend == gain.Even }

// Straight reports whether a fade is a straight line in amplitude, which every list can
// say.
func Straight(f reel.Fade) bool { return f.Shape == gain.Linear && even(f.Bend) }

// Leans reports whether a fade passes its middle early or late, which lists have no word
// for.
func Leans(f reel.Fade) bool { return f.Length > 0 && !even(f.Bend) }

// sides are the shapes of both sides of a blend, as the law or each side has it.
func (b Blend) sides() [2]reel.Side {
	out := [2]reel.Side{b.Out, b.In}
	for i := range out {
		if out[i] == (reel.Side{}) {
			out[i] = reel.Side{Shape: b.Law.Shape(), Bend: b.Lean}
		}
	}
	return out
}

// Straight reports whether both sides of a blend are straight lines in amplitude.
func (b Blend) Straight() bool {
	for _, s := range b.sides() {
		if s.Shape != gain.Linear || !even(s.Bend) {
			return false
		}
	}
	return true
}

// Leans reports whether a side of a blend passes its middle early or late.
func (b Blend) Leans() bool {
	s := b.sides()
	return !even(s[0].Bend) || !even(s[1].Bend)
}

// Matched reports whether the gains of a blend come from the likeness of its sides.
func (b Blend) Matched() bool {
	return b.Law == gain.Matched && b.Out == (reel.Side{}) && b.In == (reel.Side{})
}
