package reel

import "blendseam/core/gain"

// Side shapes one side of a blend by itself. Its zero value leaves the side to
// the blend's law and lean.
type Side struct {
	Shape gain.Shape `json:"shape"`
	Bend  float64    `json:"bend"` // where in the window the side passes its middle, 0.5 is even
}

// sideOf is a side by itself as a law shapes it; of a law that waits for the
// likeness of its sides, as constant power does.
func sideOf(law gain.Law, lean float64) Side {
	shape := law.Shape()
	if shape.Check() != nil {
		shape = gain.QuarterSine
	}
	return Side{Shape: shape, Bend: lean}
}

// check returns an error unless the side is left to the law or has a shape.
func (s Side) check() error {
	if s == (Side{}) {
		return nil
	}
	if err := s.Shape.Check(); err != nil {
		return err
	}
	return gain.CheckWarp(s.Bend)
}

// Length of the blend in samples.
func (b Blend) Length() int64 { return b.Before + b.After }

// Window is where the blend lies when its cut is at a place.
func (b Blend) Window(cut int64) (from, to int64) { return cut - b.Before, cut + b.After }

// OutCurve is the gain of the outgoing side over the blend's window.
func (b Blend) OutCurve() gain.Curve {
	if b.Out != (Side{}) {
		return gain.Curve{Shape: b.Out.Shape, Warp: 1 - b.Out.Bend, Len: b.Length(), Fall: true}
	}
	return b.Law.Out(b.Length(), b.Lean)
}

// InCurve is the gain of the incoming side over the blend's window.
func (b Blend) InCurve() gain.Curve {
	if b.In != (Side{}) {
		return gain.Curve{Shape: b.In.Shape, Warp: b.In.Bend, Len: b.Length()}
	}
	return b.Law.In(b.Length(), b.Lean)
}

// check returns an error unless the blend's curves can be made.
func (b Blend) check() error {
	return firstOf(b.Law.Check(), gain.CheckWarp(b.Lean), b.Out.check(), b.In.check())
}

func firstOf(errs ...error) error {
	for _, err := range errs {
		if err != nil {
			return err
		}
	}
	return nil
}
