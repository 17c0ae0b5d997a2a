package sound

import (
	"encoding/binary"
	"math"
	"math/rand/v2"
	"testing"
)

func TestOverviewHoldsItsSamples(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 4))
	for _, n := range []int{0, 1, 63, 64, 65, 256, 70000, 200001} {
		v := make([]float32, n)
		for i := range v {
			v[i] = float32(rng.NormFloat64() * 0.4)
		}
		var o Overview
		for at := 0; at < n; {
			k := min(1+rng.IntN(5000), n-at)
			o.Add(v[at : at+k])
			at += k
		}
		o.Finish()
		for level := range Levels {
			got := o.Take(level)
			if int64(len(got)) != Buckets(int64(n), level)*BucketBytes {
				t.Fatalf("%d samples, level %d: %d bytes, want %d buckets", n, level, len(got), Buckets(int64(n), level))
			}
			size := int(BucketSamples(level))
			for b := 0; b*size < n; b++ {
				part := v[b*size : min((b+1)*size, n)]
				low, high, power := float32(2), float32(-2), 0.0
				for _, s := range part {
					low, high = min(low, s), max(high, s)
					power += float64(s) * float64(s)
				}
				at := func(k int) float64 { return float64(int16(binary.LittleEndian.Uint16(got[b*6+2*k:]))) / 32767 }
				clip := func(v float32) float64 { return float64(min(max(v, -1), 1)) }
				if at(0) > clip(low) || at(0) < clip(low)-1e-4 || at(1) < clip(high) || at(1) > clip(high)+1e-4 {
					t.Fatalf("level %d bucket %d: %g…%g, want %g…%g", level, b, at(0), at(1), low, high)
				}
				if rms := math.Sqrt(power / float64(len(part))); math.Abs(at(2)-min(rms, 1)) > 1e-4 {
					t.Fatalf("level %d bucket %d: RMS %g, want %g", level, b, at(2), rms)
				}
			}
		}
	}
}

func TestMemoryBeyondItsEnds(t *testing.T) {
	m := Memory{{1, 2, 3}}
	for from := int64(-6); from < 6; from++ {
		dst := []float32{9, 9, 9, 9}
		if err := m.ReadAt(dst, 0, from); err != nil {
			t.Fatal(err)
		}
		for k, got := range dst {
			want := float32(0)
			if i := from + int64(k); i >= 0 && i < 3 {
				want = float32(i + 1)
			}
			if got != want {
				t.Errorf("sample %d read %g, want %g", from+int64(k), got, want)
			}
		}
	}
}

func TestCleanse(t *testing.T) {
	nan, inf := float32(math.NaN()), float32(math.Inf(1))
	v := []float32{1, nan, inf, -inf, 0.5, 3e38}
	if bad := Cleanse(v); bad != 3 || v[0] != 1 || v[1] != 0 || v[2] != 0 || v[3] != 0 || v[4] != 0.5 || v[5] != 3e38 {
		t.Errorf("cleansed %d: %v", bad, v)
	}
}

func TestQuantise(t *testing.T) {
	for _, bits := range []int{16, 24} {
		top := int32(1) << (bits - 1)
		for _, n := range []int32{-top, -top + 1, -1, 0, 1, 77, top - 1} {
			if got := Quantise(float64(float32(n)/float32(top)), bits); got != n {
				t.Errorf("%d bits: %d came out as %d", bits, n, got)
			}
		}
		if Quantise(2, bits) != top-1 || Quantise(-2, bits) != -top {
			t.Errorf("%d bits: not held at full scale", bits)
		}
	}
}

// Many samples at once are what each is by itself, at full scale and beyond as well.
func TestWholes(t *testing.T) {
	rng := rand.New(rand.NewPCG(24, 1))
	v := []float32{0, 1, -1, 2, -2, 3e38, -3e38, 1e-30, -1e-30, 0.5, 1 - 1.0/(1<<23), 1.0 / (1 << 24), 3.0 / (1 << 24), -1.0 / (1 << 24)}
	for range 20_000 {
		v = append(v, float32((rng.Float64()-0.5)*math.Pow(10, rng.Float64()*-8+0.6)))
	}
	got := make([]int32, len(v))
	for _, bits := range []int{16, 24} {
		for _, dither := range []bool{false, true} {
			for _, place := range []int64{0, -7, 1 << 40} {
				Wholes(got, v, bits, dither, place, 1)
				for i, s := range v {
					if want := Whole(s, bits, dither, place+int64(i), 1); got[i] != want {
						t.Fatalf("%d bits, dither %v: %g is %d, by itself %d", bits, dither, s, got[i], want)
					}
				}
			}
		}
	}
}

// TPDF dither of two steps' width has a variance of 1/6 step² (the variance of
// the sum of two independent uniform variables of width 1 is 2/12).
func TestDitherIsTriangular(t *testing.T) {
	var sum, square, product float64
	const n = 1 << 18
	last := 0.0
	for i := range int64(n) {
		d := Dither(i, 1)
		if d <= -1 || d >= 1 {
			t.Fatalf("dither of %g steps", d)
		}
		sum, square, product = sum+d, square+d*d, product+d*last
		last = d
	}
	if m := sum / n; math.Abs(m) > 0.005 {
		t.Errorf("mean %g", m)
	}
	if v := square / n; math.Abs(v-1.0/6) > 0.002 {
		t.Errorf("variance %g, want 1/6", v)
	}
	if c := product / n; math.Abs(c) > 0.002 {
		t.Errorf("neighbours correlate by %g", c)
	}
}
