package gain

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"
)

// Slopes against their closed forms, as ffmpeg's aeval reckons them sample by
// sample: straight in dB, eased, and with −∞ at one end.
func TestRideAgainstFFmpeg(t *testing.T) {
	const n = 9600
	r := NewRide([]Node{{1000, 0, false}, {3000, -12, false}, {4000, -12, true}, {6000, 6, false}, {7000, MinDB, false}, {8000, MinDB, true}, {9000, -3, false}})
	const line = "if(lt(n,1000),0,if(lt(n,3000),-12*(n-1000)/2000,if(lt(n,4000),-12,-12+18*(1-cos(PI*(n-4000)/2000))/2)))"
	const loud = "pow(10,6/20)*(7000-n)/1000"
	const back = "pow(10,-3/20)*(1-cos(PI*(n-8000)/1000))/2"
	expr := fmt.Sprintf("if(lt(n,6000),pow(10,(%s)/20),if(lt(n,7000),%s,if(lt(n,8000),0,if(lt(n,9000),%s,pow(10,-3/20)))))", line, loud, back)
	want := floats(t, ones(n), "ffmpeg", "-v", "error", "-f", "f64le", "-ar", "48000", "-ac", "1", "-i", "-", "-af", "aeval='val(0)*"+expr+"'", "-f", "f64le", "-")
	got := make([]float32, n)
	r.Fill(got, 0)
	compare(t, "a ride", got, want, 3e-7, 1)
	for _, at := range []int64{0, 1000, 2000, 3000, 5000, 6999, 7000, 9599} {
		if db := r.DB(at); math.Abs(FromDB(db)-want[at]) > 1e-6 {
			t.Errorf("at %d the ride is %g dB, not %g", at, db, ToDB(want[at]))
		}
	}
	for at, bends := range map[int64]bool{500: false, 2000: false, 3500: false, 4000: false, 5000: true, 6000: false, 6500: true, 7500: false, 8500: true, 9500: false} {
		if r.Bends(at) != bends {
			t.Errorf("a node at %d bends the line: %v", at, !bends)
		}
	}
}

// Eased slopes of any length are walked within −98 dB of what they are, place by place:
// the steepest of 60 dB too.
func TestEasedSlopesOfAnyLength(t *testing.T) {
	for _, long := range []int64{1, 2, 511, 512, 513, 2047, 2048, 2049, 10000, 300000} {
		for _, db := range []float64{0.5, -6, 60} {
			r := NewRide([]Node{{100, -20, true}, {100 + long, -20 + db, false}})
			got := make([]float32, long+200)
			r.Fill(got, 0)
			for at, g := range got {
				if want := FromDB(r.DB(int64(at))); math.Abs(float64(g)/want-1) > 1.26e-5 {
					t.Fatalf("%g dB in %d samples: at %d %g, not %g", db, long, at, g, want)
				}
			}
		}
	}
}

// However a ride is cut up, it is bit for bit the same; where it is said to be
// flat, it is; and no sample differs from the next by more than the steepest slope.
func TestRideInPieces(t *testing.T) {
	rng := rand.New(rand.NewPCG(4, 2))
	for range 200 {
		var nodes []Node
		at := int64(rng.IntN(300))
		for range rng.IntN(12) {
			nodes = append(nodes, Node{at, []float64{0, -6, 6, MinDB, 60, -20}[rng.IntN(6)], rng.IntN(3) == 0})
			at += 48 + rng.Int64N(900)
		}
		rng.Shuffle(len(nodes), func(i, j int) { nodes[i], nodes[j] = nodes[j], nodes[i] })
		r, n := NewRide(nodes), int(at)+500
		whole, parts := make([]float32, n), make([]float32, n)
		r.Fill(whole, 0)
		applied := make([]float32, n)
		for i := range applied {
			applied[i] = 0.3
		}
		for from := 0; from < n; {
			to := min(from+1+rng.IntN(700), n)
			r.Fill(parts[from:to], int64(from))
			r.Apply(applied[from:to], int64(from))
			if level, flat := r.Flat(int64(from), int64(to)); flat {
				for i := from; i < to; i++ {
					if whole[i] != float32(level) {
						t.Fatalf("flat at %g, but %g at %d of %v", level, whole[i], i, nodes)
					}
				}
			}
			from = to
		}
		for i := range whole {
			if whole[i] != parts[i] || applied[i] != 0.3*whole[i] {
				t.Fatalf("at %d whole %g, in pieces %g, applied %g; %v", i, whole[i], parts[i], applied[i], nodes)
			}
		}
	}
}

func TestThin(t *testing.T) {
	rng := rand.New(rand.NewPCG(9, 1))
	for range 50 {
		var nodes []Node
		level := 0.0
		for at := int64(0); at < 480000; at += 480 {
			level = min(max(level+rng.NormFloat64()*0.4, -30), 6)
			nodes = append(nodes, Node{At: at, DB: level})
		}
		thin := Thin(nodes, 0.3)
		was, is := NewRide(nodes), NewRide(thin)
		if len(thin) >= len(nodes) {
			t.Errorf("%d points of %d are left", len(thin), len(nodes))
		}
		for at := int64(0); at < 480000; at += 480 {
			if d := math.Abs(was.DB(at) - is.DB(at)); d > 0.3+1e-9 {
				t.Fatalf("thinned by %g dB at %d", d, at)
			}
		}
	}
	straight := []Node{{0, 0, false}, {100, -1, false}, {200, -2, false}, {300, -3, false}}
	if got := Thin(straight, 0.3); len(got) != 2 {
		t.Errorf("a straight line keeps %d points", len(got))
	}
}

// A line of ten thousand points costs no more than one of ten, as only those in the
// way are looked at.
func BenchmarkRide(b *testing.B) {
	for _, points := range []int{10, 10_000} {
		var nodes []Node
		for i := range points {
			nodes = append(nodes, Node{At: int64(i) * 4800, DB: float64(i % 12)})
		}
		r, v := NewRide(nodes), make([]float32, 48000)
		b.Run(fmt.Sprint(points), func(b *testing.B) {
			for range b.N {
				r.Apply(v, 0)
			}
		})
	}
}
