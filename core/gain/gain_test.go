package gain

import (
	"math"
	"testing"
)

// The identities of the laws: the gains of one add up to 1, the powers of the
// other do (textbook trigonometry); and the figures in the middle of a blend
// of like and of unrelated signals, 20·log10(√2) = 3.0103 dB.
func TestLawIdentities(t *testing.T) {
	for _, lean := range []float64{0.1, 0.3, 0.5, 0.62, 0.9} {
		for i := int64(0); i <= 1000; i++ {
			for _, l := range []Law{ConstantGain, ConstantGainEased} {
				out, in := l.Out(1000, lean).At(i), l.In(1000, lean).At(i)
				if math.Abs(out+in-1) > 1e-12 {
					t.Fatalf("%s, lean %g: sum %g at %d", l, lean, out+in, i)
				}
			}
			for _, l := range []Law{ConstantPower, ConstantPowerEased} {
				out, in := l.Out(1000, lean).At(i), l.In(1000, lean).At(i)
				if math.Abs(out*out+in*in-1) > 1e-12 {
					t.Fatalf("%s, lean %g: power %g at %d", l, lean, out*out+in*in, i)
				}
			}
		}
	}
	// The eased laws begin and end flat: over the first and last hundredth of the
	// window neither side moves by more than the square of it, (π/2)³·0.01² at
	// most; the others do by about π/200 and 1/100.
	for _, l := range []Law{ConstantGainEased, ConstantPowerEased} {
		for _, c := range []Curve{l.In(1000, Even), l.Out(1000, Even)} {
			if a, b := math.Abs(c.At(10)-c.At(0)), math.Abs(c.At(1000)-c.At(990)); a > 4e-4 || b > 4e-4 {
				t.Errorf("%s moves by %g and %g at its ends", l, a, b)
			}
		}
	}
	if m := ConstantPowerEased.In(2, Even).At(1); math.Abs(m-math.Sqrt2/2) > 1e-12 {
		t.Errorf("constant power eased crosses at %g", m)
	}
	p, g := ConstantPower.In(2, Even).At(1), ConstantGain.In(2, Even).At(1)
	if d := ToDB(2 * p); math.Abs(d-3.0103) > 1e-4 {
		t.Errorf("constant power between like signals: %+.4f dB in the middle", d)
	}
	if d := ToDB(g * math.Sqrt2); math.Abs(d+3.0103) > 1e-4 {
		t.Errorf("constant gain between unrelated signals: %+.4f dB in the middle", d)
	}
}

func TestWarp(t *testing.T) {
	for m := MinWarp; m <= MaxWarp; m += 0.05 {
		if Warp(0, m) != 0 || math.Abs(Warp(1, m)-1) > 1e-15 || math.Abs(Warp(m, m)-0.5) > 1e-12 {
			t.Errorf("warp %g: ends or middle moved", m)
		}
		last := -1.0
		for x := 0.0; x <= 1; x += 0.001 {
			w := Warp(x, m)
			if w <= last {
				t.Fatalf("warp %g falls at %g", m, x)
			}
			if mirror := 1 - Warp(1-x, 1-m); math.Abs(mirror-w) > 1e-12 {
				t.Fatalf("warp %g at %g: %g, its mirror %g", m, x, w, mirror)
			}
			last = w
		}
	}
}

func TestFillInPieces(t *testing.T) {
	for _, shape := range Shapes {
		for _, fall := range []bool{false, true} {
			for _, n := range []int64{1, 2, 31, 32, 33, 1000} {
				for _, warp := range []float64{0, 0.5, 0.3} {
					c := Curve{Shape: shape, Warp: warp, Len: n, Fall: fall}
					whole := make([]float32, n+20)
					c.Fill(whole, -10)
					for k := range whole {
						if want := c.At(int64(k) - 10); math.Abs(float64(whole[k])-want) > 1e-7 {
							t.Fatalf("%v at %d: %g, want %g", c, k-10, whole[k], want)
						}
					}
					for cut := range whole {
						parts := make([]float32, len(whole))
						c.Fill(parts[:cut], -10)
						c.Fill(parts[cut:], int64(cut)-10)
						for k := range whole {
							if parts[k] != whole[k] {
								t.Fatalf("%v cut at %d: sample %d is %g, was %g", c, cut, k, parts[k], whole[k])
							}
						}
						if cut > 70 {
							break
						}
					}
				}
			}
		}
	}
}

func TestRangesAndPan(t *testing.T) {
	for _, bad := range []error{Law("x").Check(), Shape("").Check(), CheckWarp(math.NaN()), CheckWarp(0), CheckDB(math.Inf(1)), CheckDB(math.NaN()), CheckDB(61)} {
		if bad == nil {
			t.Error("a value out of range was let through")
		}
	}
	if FromDB(0) != 1 || math.Abs(FromDB(-6.0206)-0.5) > 1e-6 || !math.IsInf(ToDB(0), -1) {
		t.Error("decibels are wrong")
	}
	for _, c := range []struct{ p, l, r float64 }{{0, 1, 1}, {1, 0, 1}, {-1, 1, 0}, {0.5, math.Sqrt2 / 2, 1}} {
		if l, r := Pan(c.p); math.Abs(l-c.l) > 1e-12 || math.Abs(r-c.r) > 1e-12 {
			t.Errorf("pan %g = %g, %g; want %g, %g", c.p, l, r, c.l, c.r)
		}
	}
}
