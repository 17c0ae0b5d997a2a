package gain

import (
	"math"
	"testing"
)

// The identities of the matched law, from the power of a sum: unrelated sides
// get constant power exactly; like sides get gains that add up to 1; and
// whatever the correlation and the powers, the power of the sum is that of
// unrelated sides.
func TestMatchedIdentities(t *testing.T) {
	const n = 1000
	for _, lean := range []float64{0.2, Even, 0.8} {
		for _, r := range []float64{-0.5, -0.2, 0, 0.3, 0.9, 1} {
			for _, power := range []float64{0.1, 1, 7} {
				l := Likeness{R: r, Power: power}
				out, in := Matched.Out(n, lean).Knowing(l), Matched.In(n, lean).Knowing(l)
				for i := int64(0); i <= n; i++ {
					a, b := ConstantPower.Out(n, lean).At(i), ConstantPower.In(n, lean).At(i)
					x, y := out.At(i), in.At(i)
					want := a*a*power + b*b
					if got := x*x*power + y*y + 2*r*x*y*math.Sqrt(power); math.Abs(got-want) > 1e-9*want {
						t.Fatalf("r %g, power %g, lean %g: the sum has power %g at %d, not %g", r, power, lean, got, i, want)
					}
					if r == 0 && (math.Abs(x-a) > 1e-15 || math.Abs(y-b) > 1e-15) {
						t.Fatalf("unrelated sides: %g %g, constant power %g %g", x, y, a, b)
					}
					if r == 1 && power == 1 && math.Abs(x+y-1) > 1e-12 {
						t.Fatalf("like sides: the gains add up to %g", x+y)
					}
				}
				got, want := make([]float32, n), make([]float32, n)
				out.Fill(got, 0)
				ConstantPower.Out(n, lean).Fill(want, 0)
				for i := range got {
					if r == 0 && got[i] != want[i] {
						t.Fatalf("unrelated sides, sample %d: %g, constant power %g", i, got[i], want[i])
					}
					if math.Abs(float64(got[i])-out.At(int64(i))) > 1e-7 {
						t.Fatalf("sample %d is %g, the curve %g", i, got[i], out.At(int64(i)))
					}
				}
			}
		}
	}
}

func TestLikenessAtItsEdges(t *testing.T) {
	for _, c := range []struct {
		out, in, product float64
		want             Likeness
		bounded          bool
	}{
		{0, 1, 0, Likeness{0, 1}, false},
		{1, 0, 0, Likeness{0, 1}, false},
		{math.NaN(), 1, 1, Likeness{0, 1}, false},
		{4, 1, 2, Likeness{1, 4}, false},
		{1, 1, -0.9, Likeness{-0.9, 1}, true},
		{1, 1, 1.0000001, Likeness{1, 1}, false},
	} {
		got := Like(c.out, c.in, c.product)
		if math.Abs(got.R-c.want.R) > 1e-6 || got.Power != c.want.Power || got.Bounded() != c.bounded {
			t.Errorf("Like(%g, %g, %g) = %+v", c.out, c.in, c.product, got)
		}
		// Opposed sides are held at MinR: gains stay under √2.
		for i := int64(0); i <= 100; i++ {
			if g := Matched.In(100, Even).Knowing(got).At(i); !(g >= 0 && g < math.Sqrt2+1e-9) {
				t.Fatalf("%+v: gain %g", got, g)
			}
		}
	}
}
