package treat

import (
	"math"
	"math/cmplx"
)

// Biquad is a filter of second order: b0 + b1·z⁻¹ + b2·z⁻² over
// 1 + a1·z⁻¹ + a2·z⁻². The constructors are those of R. Bristow-Johnson, "Cookbook
// formulae for audio equalizer biquad filter coefficients" (Audio EQ Cookbook).
type Biquad struct{ b0, b1, b2, a1, a2 float64 }

// butterworth4 are the Q of the two sections of a Butterworth filter of fourth
// order: 1/(2·cos(π/8)) and 1/(2·cos(3π/8)).
var butterworth4 = [2]float64{1 / (2 * math.Cos(math.Pi/8)), 1 / (2 * math.Cos(3*math.Pi/8))}

// nearNyquist is how near to half of the rate a filter can lie, as a share of it.
const nearNyquist = 0.98

// angle gives the cosine of a frequency and the cookbook's alpha for a Q.
func angle(rate, hz, q float64) (cos, alpha float64) {
	w := 2 * math.Pi * min(hz/rate, 0.5*nearNyquist)
	return math.Cos(w), math.Sin(w) / (2 * q)
}

func over(b0, b1, b2, a0, a1, a2 float64) Biquad {
	return Biquad{b0 / a0, b1 / a0, b2 / a0, a1 / a0, a2 / a0}
}

// LowPass lets pass what is below hz.
func LowPass(rate, hz, q float64) Biquad {
	c, a := angle(rate, hz, q)
	return over((1-c)/2, 1-c, (1-c)/2, 1+a, -2*c, 1-a)
}

// HighPass lets pass what is above hz.
func HighPass(rate, hz, q float64) Biquad {
	c, a := angle(rate, hz, q)
	return over((1+c)/2, -(1 + c), (1+c)/2, 1+a, -2*c, 1-a)
}

// Peaking raises or lowers what is around hz by db.
func Peaking(rate, hz, db, q float64) Biquad {
	c, a := angle(rate, hz, q)
	A := math.Pow(10, db/40)
	return over(1+a*A, -2*c, 1-a*A, 1+a/A, -2*c, 1-a/A)
}

// shelfQ makes the shelves as steep as they can be without a bump: slope S = 1.
const shelfQ = math.Sqrt2 / 2

// LowShelf raises or lowers what is below hz by db.
func LowShelf(rate, hz, db float64) Biquad {
	c, alpha := angle(rate, hz, shelfQ)
	A := math.Pow(10, db/40)
	k := 2 * math.Sqrt(A) * alpha
	return over(A*((A+1)-(A-1)*c+k), 2*A*((A-1)-(A+1)*c), A*((A+1)-(A-1)*c-k),
		(A+1)+(A-1)*c+k, -2*((A-1)+(A+1)*c), (A+1)+(A-1)*c-k)
}

// HighShelf raises or lowers what is above hz by db.
func HighShelf(rate, hz, db float64) Biquad {
	c, alpha := angle(rate, hz, shelfQ)
	A := math.Pow(10, db/40)
	k := 2 * math.Sqrt(A) * alpha
	return over(A*((A+1)+(A-1)*c+k), -2*A*((A-1)+(A+1)*c), A*((A+1)+(A-1)*c-k),
		(A+1)-(A-1)*c+k, 2*((A-1)-(A+1)*c), (A+1)-(A-1)*c-k)
}

// Gain is what the filter does to a steady tone, as a factor.
func (b Biquad) Gain(rate, hz float64) float64 {
	z := cmplx.Exp(complex(0, -2*math.Pi*min(hz/rate, 0.5)))
	return cmplx.Abs((complex(b.b0, 0) + complex(b.b1, 0)*z + complex(b.b2, 0)*z*z) /
		(1 + complex(b.a1, 0)*z + complex(b.a2, 0)*z*z))
}

// radius is the larger of its poles' distances from 0: what is left of the past
// shrinks by it with each sample.
func (b Biquad) radius() float64 {
	d := complex(b.a1*b.a1-4*b.a2, 0)
	r := cmplx.Sqrt(d)
	return max(cmplx.Abs((complex(-b.a1, 0)+r)/2), cmplx.Abs((complex(-b.a1, 0)-r)/2))
}

// state is the past of a section: transposed direct form II.
type state struct{ s1, s2 float64 }

// run filters v in place, two sections at a time where there are two: their
// recurrences do not wait for each other.
func run(sections []Biquad, past []state, v []float64) {
	for len(sections) >= 2 {
		a, b, p, q := sections[0], sections[1], past[0], past[1]
		for i, x := range v {
			y := a.b0*x + p.s1
			p.s1 = (a.b1*x + p.s2) - a.a1*y // what waits for y is done last
			p.s2 = a.b2*x - a.a2*y
			z := b.b0*y + q.s1
			q.s1 = (b.b1*y + q.s2) - b.a1*z
			q.s2 = b.b2*y - b.a2*z
			v[i] = z
		}
		past[0], past[1] = p, q
		sections, past = sections[2:], past[2:]
	}
	if len(sections) == 0 {
		return
	}
	a, p := sections[0], past[0]
	for i, x := range v {
		y := a.b0*x + p.s1
		p.s1 = (a.b1*x + p.s2) - a.a1*y
		p.s2 = a.b2*x - a.a2*y
		v[i] = y
	}
	past[0] = p
}
