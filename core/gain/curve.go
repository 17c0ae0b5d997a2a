package gain

import "math"

// Curve is one side of a blend or a fade laid over a window of samples.
type Curve struct {
	Shape Shape
	Warp  float64 // see Warp; 0 counts as Even
	Len   int64   // samples in the window, at least 1
	Fall  bool    // walked backwards: a fade out
}

// In is the rising side of a blend of n samples with lean m.
func (l Law) In(n int64, m float64) Curve { return Curve{l.Shape(), m, n, false} }

// Out is the falling side. Its lean is mirrored, as it is walked backwards, so
// that both sides cross at the same place.
func (l Law) Out(n int64, m float64) Curve {
	if m == 0 {
		m = Even
	}
	return Curve{l.Shape(), 1 - m, n, true}
}

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
	return c.Shape.At(float64(i)/float64(c.Len), m)
}

// stride is how far the rotation in Fill goes before it is set right again.
const stride = 32

// Fill writes the gains of samples from, from+1 … into dst. Each value depends
// on its place in the window alone, so that a window filled in pieces is bit
// for bit the window filled at once.
func (c Curve) Fill(dst []float32, from int64) {
	if c.Shape == Linear || c.Shape == EasedSine || c.Warp != 0 && c.Warp != Even {
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
