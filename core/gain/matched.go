package gain

import "math"

// MinR bounds the correlation that Matched reckons with. Below it the two
// sides nearly cancel, and keeping the level would ask for gains that grow
// without end; at it they stay under √2.
const MinR = -0.5

// Likeness is what is measured of the two sides of a blend over its window.
type Likeness struct {
	R     float64 `json:"r"`     // correlation coefficient, −1 … 1
	Power float64 `json:"power"` // power of the outgoing side over that of the incoming
}

// Like is the likeness of two sides with the sums of their squares, and of
// their products, over a window. Where a side is silent nothing is alike.
func Like(out, in, product float64) Likeness {
	l := Likeness{Power: 1}
	if !(out > 0) || !(in > 0) {
		return l
	}
	l.R = min(max(product/math.Sqrt(out*in), -1), 1)
	l.Power = out / in
	return l
}

// Bounded reports whether Matched holds r at MinR.
func (l Likeness) Bounded() bool { return l.R < MinR }

// turned is the likeness as seen from the other side.
func (l Likeness) turned() Likeness {
	if l.Power > 0 {
		l.Power = 1 / l.Power
	}
	return l
}

// level is 1/N for the side whose constant-power gain is own while the other
// one's is other:
//
//	N² = (a²P_o + b²P_i + 2·r·a·b·√(P_o·P_i)) / (a²P_o + b²P_i)
//
// so that the power of the sum is that of two unrelated sides whatever their
// correlation. After M. Fink, M. Holters, U. Zölzer, "Signal-matched
// power-complementary cross-fading and dry-wet mixing", DAFx-16 (from memory);
// the closed form follows from the power of a sum.
func (l Likeness) level(own, other float64) float64 {
	q := l.Power
	if l.R == 0 || !(q > 0) || own == 0 || other == 0 {
		return 1
	}
	return 1 / math.Sqrt(1+2*max(l.R, MinR)*own*other*math.Sqrt(q)/(own*own*q+other*other))
}
