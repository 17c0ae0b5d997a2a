package gain

import "math"

// Curve is one side of a blend or a fade laid over a window of samples.
type Curve struct {
	Shape Shape
	Warp  float64 // see Warp; 0 counts as Even
	Len   int64   // samples in the window, at least 1
	Fall  bool    // walked backwards: a fade out

	like Likeness // of this side to the other, for Matched
}

// In is the rising side of a blend of n samples with lean m.
func (l Law) In(n int64, m float64) Curve { return Curve{Shape: l.Shape(), Warp: m, Len: n} }

// Out is the falling side. Its lean is mirrored, as it is walked backwards, so
// that both sides cross at the same place.
func (l Law) Out(n int64, m float64) Curve {
	if m == 0 {
		m = Even
	}
	return Curve{Shape: l.Shape(), Warp: 1 - m, Len: n, Fall: true}
}

// Knowing is the curve of a blend whose sides are so alike. It alters the
// curves of Matched alone.
func (c Curve) Knowing(l Likeness) Curve {
	if c.Shape != matchedSine {
		return c
	}
	if c.like = l.turned(); c.Fall {
		c.like = l
	}
	return c
}

// Waits reports whether the curve is known only with the likeness of its sides.
func (c Curve) Waits() bool { return c.Shape == matchedSine }

// At is the gain at sample i of the window; before and after it the curve
// stays at its ends.
func (c Curve) At(i int64) float64 {
	m := c.Warp
	if m == 0 {
		m = Even
	}
	if c.Fall {
		i = c.Len - i
	}
	x := float64(i) / float64(c.Len)
	if c.Shape == matchedSine {
		own, other := QuarterSine.At(x, m), QuarterSine.At(1-x, 1-m)
		return own * c.like.level(own, other)
	}
	return c.Shape.At(x, m)
}

// stride is how far the rotation in Fill goes before it is set right again.
const stride = 32

// Fill writes the gains of samples from, from+1 … into dst. Each value depends
// on its place in the window alone, so that a window filled in pieces is bit
// for bit the window filled at once.
func (c Curve) Fill(dst []float32, from int64) {
	if c.Shape == matchedSine && c.like.R == 0 {
		c.Shape = QuarterSine // exactly
	}
	if c.Shape == Linear || c.Shape == EasedSine || c.Shape == matchedSine || c.Warp != 0 && c.Warp != Even {
		for k := range dst {
			dst[k] = float32(c.At(from + int64(k)))
		}
		return
	}
	// A sine is walked by turning a pointer, anew from each multiple of stride.
	step := math.Pi / 2 / float64(c.Len)
	if c.Fall {
		step = -step
	}
	ds, dc := math.Sincos(step)
	for k := 0; k < len(dst); {
		i := from + int64(k)
		if i < 0 || i >= c.Len {
			dst[k] = float32(c.At(i))
			k++
			continue
		}
		anchor := i - i%stride
		n := anchor
		if c.Fall {
			n = c.Len - anchor
		}
		s, co := math.Sincos(math.Pi / 2 * (float64(n) / float64(c.Len)))
		for j := anchor; j < anchor+stride && j < c.Len && k < len(dst); j++ {
			if j >= i {
				if c.Shape == Smooth {
					dst[k] = float32(s * s)
				} else {
					dst[k] = float32(s)
				}
				k++
			}
			s, co = s*dc+co*ds, co*dc-s*ds
		}
	}
}
