package floor

import (
	"math"
	"math/rand/v2"
	"testing"

	"blendseam/core/sound"
)

// tone is a sine at a level in dBFS RMS.
func tone(rate int, hz, db float64, n int) []float32 {
	v := make([]float32, n)
	for i := range v {
		v[i] = float32(math.Sqrt2 * math.Pow(10, db/20) * math.Sin(2*math.Pi*hz*float64(i)/float64(rate)))
	}
	return v
}

func frames(rate int, v []float32) []Frame {
	a := NewAnalyser(rate)
	a.Add(v)
	return a.Take()
}

// TestBandsOfSines holds the bands against where a sine lies and how loud it
// is: by definition.
func TestBandsOfSines(t *testing.T) {
	for _, rate := range sound.Rates {
		top := float64(rate) / 2
		if rate > 50000 {
			top /= 2
		}
		for b := range Bands {
			// The middle of the band, and well below its lower neighbour's edge.
			hz := top / math.Pow(2, float64(Bands-1-b)) * 0.72
			f := frames(rate, tone(rate, hz, -30, rate))
			for k, v := range f[len(f)/2] {
				db := (float64(v) - 255) / 2
				if k == b && math.Abs(db+30) > 0.6 || k != b && db > -68 {
					t.Errorf("%d Hz: a sine of %.0f Hz at −30 dBFS has %.1f dBFS in band %d", rate, hz, db, k)
				}
			}
		}
	}
}

// TestWhatIsBelowStaysOut: direct current and rumble are in no band.
func TestWhatIsBelowStaysOut(t *testing.T) {
	dc := make([]float32, 48000)
	for i := range dc {
		dc[i] = 0.5
	}
	for what, v := range map[string][]float32{"direct current": dc, "rumble of 30 Hz": tone(48000, 30, -20, 48000)} {
		for _, f := range frames(48000, v)[20:] {
			for b, x := range f {
				if db := (float64(x) - 255) / 2; db > -68 {
					t.Fatalf("%s: %.1f dBFS in band %d", what, db, b)
				}
			}
		}
	}
}

// TestNumbersWithoutEnd: what is not a number, or far too large, ends nothing
// and leaves the numbers after it sound.
func TestNumbersWithoutEnd(t *testing.T) {
	v := tone(48000, 1000, -30, 48000)
	v[100], v[200] = 1e20, math.MaxFloat32
	f := frames(48000, v)
	if last := f[len(f)-1]; math.Abs((float64(last[2])-255)/2+30) > 0.6 {
		t.Errorf("after them: %v", last)
	}
	if n := Count(48000, int64(len(v))); int64(len(f)) != n {
		t.Errorf("%d frames, and %d are told", len(f), n)
	}
}

// TestSilenceIsNotSlow: what dies away in the filters in digital silence ends at
// nothing, and goes through no number so small that processors are slow with it.
func TestSilenceIsNotSlow(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	a := NewAnalyser(48000)
	loud := make([]float32, 4800)
	for i := range loud {
		loud[i] = float32(0.1 * rng.NormFloat64())
	}
	a.Add(loud)
	silent := make([]float32, 480)
	for range 20 * 100 {
		a.Add(silent)
		for _, h := range a.splits {
			for c := range h.x {
				for s := range h.x[c] {
					for _, v := range []float64{h.x[c][s], h.y[c][s]} {
						if v != 0 && math.Abs(v) < 1e-300 {
							t.Fatalf("a filter holds %g", v)
						}
					}
				}
			}
		}
	}
	f := a.Take()
	if last := f[len(f)-1]; !last.Silent() || a.splits[Bands-1].y[0][0] != 0 {
		t.Errorf("at the end %v, and a filter holds %g", last, a.splits[Bands-1].y[0][0])
	}
}

// TestPartsAreTheWhole: frames made page by page are those of the whole, but
// for a step of half a decibel where the filters had not quite settled.
func TestPartsAreTheWhole(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 4))
	v := make([]float32, 25*48000+77)
	for i := range v {
		v[i] = float32(0.01 * rng.NormFloat64())
	}
	whole := frames(48000, v)
	parts, err := Of(sound.Memory{v}, 48000).Floor(0, -5, 1<<40)
	if err != nil || len(parts) != len(whole) {
		t.Fatalf("%d frames instead of %d: %v", len(parts), len(whole), err)
	}
	for i := range parts {
		for b := range parts[i] {
			if d := int(parts[i][b]) - int(whole[i][b]); d > 1 || d < -1 {
				t.Fatalf("frame %d band %d: %d and %d", i, b, parts[i][b], whole[i][b])
			}
		}
	}
	back := Decode(Encode(whole))
	for i := range back {
		if back[i] != whole[i] {
			t.Fatal("what was kept is not what is read")
		}
	}
}

// TestWhatIsNoRoom: what dies away and silence are no room, and silence between words is told as such.
func TestWhatIsNoRoom(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 6))
	n := 5 * 48000
	make1 := func(f func(i int) float64) sound.Memory {
		v := make([]float32, n)
		for i := range v {
			v[i] = float32(f(i))
		}
		return sound.Memory{v}
	}
	hiss := func(db float64) float64 { return math.Pow(10, db/20) * rng.NormFloat64() }
	for what, want := range map[string]struct {
		m     sound.Memory
		state State
	}{
		"a room":               {make1(func(i int) float64 { return hiss(-60) }), Heard},
		"a sound dying away":   {make1(func(i int) float64 { return hiss(-10 - 60*float64(i%48000)/48000) }), NotKnown},
		"digital silence":      {make1(func(i int) float64 { return 0 }), NotKnown},
		"words gated to zero":  {make1(func(i int) float64 { return hiss(-20) * float64(i/14400%2) * math.Abs(math.Sin(float64(i)/900)) }), Gated},
		"half a second of it":  {sound.Memory{make1(func(i int) float64 { return hiss(-60) })[0][:24000]}, Heard},
		"one sample":           {sound.Memory{{0.5}}, NotKnown},
		"a room after silence": {make1(func(i int) float64 { return hiss(-60) * math.Min(float64(i/96000), 1) }), Heard},
	} {
		r, err := Around(Of(want.m, 48000), []float64{1}, 48000, want.m.Len(), want.m.Len()/2)
		if err != nil || r.State != want.state {
			t.Errorf("%s: state %d instead of %d, %.1f dBFS", what, r.State, want.state, r.Level)
		}
		if r.State == Heard && math.Abs(r.Level+60) > 0.5 {
			t.Errorf("%s: %.1f dBFS", what, r.Level)
		}
	}
}

// TestTheRoomAtThePlace: of a recording with two rooms each place has its own.
func TestTheRoomAtThePlace(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 8))
	v := make([]float32, 30*48000)
	for i := range v {
		g := 0.001
		if i > len(v)/2 {
			g = 0.004
		}
		if i/24000%2 == 0 { // something is said every other half second
			g *= 100 * math.Abs(math.Sin(float64(i)/3000))
		}
		v[i] = float32(g * rng.NormFloat64())
	}
	m := sound.Memory{v}
	for at, want := range map[int64]float64{5 * 48000: -60, 11 * 48000: -60, 19 * 48000: -48, 25 * 48000: -48} {
		r, err := Around(Of(m, 48000), []float64{1}, 48000, m.Len(), at)
		if err != nil || r.State != Heard || math.Abs(r.Level-want) > 1 {
			t.Errorf("at %d s: %.1f dBFS instead of %.0f (%v)", at/48000, r.Level, want, r.State)
		}
	}
}

func FuzzHear(f *testing.F) {
	f.Add([]byte("0123456701234567"), int64(3))
	f.Fuzz(func(t *testing.T, b []byte, first int64) {
		var p Powers
		for _, fr := range Decode(b) {
			var row [Bands]float64
			for i, x := range fr {
				row[i] = powers[x]
			}
			p = append(p, row)
		}
		r := Hear(p, first)
		if math.IsNaN(r.Level) || math.IsInf(r.Level, 0) || r.Uncertain < 0 {
			t.Fatalf("%+v", r)
		}
		Runs(r.Over(p), first)
	})
}
