package treat

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"
)

// some are settings that do much, and slow ones.
func some() []Settings {
	tone := Voicing{Amount: 0.8}
	for k := range tone.Bands {
		tone.Bands[k] = 9 * math.Sin(float64(k))
	}
	return []Settings{
		{HighPass: Cut{80, 12}},
		{HighPass: Cut{20, 24}, Bells: [4]Bell{{20, 24, 8}, {21, -24, 8}, {20, 12, 8}, {25, 24, 8}}},
		{HighPass: Cut{300, 24}, LowPass: Cut{3400, 24}, LowShelf: Shelf{200, 6}, HighShelf: Shelf{6000, -9}, Expander: UsualExpander},
		{Tone: tone},
		{Tone: tone, LowPass: Cut{20000, 12}, Expander: Expander{ThresholdDB: -9, RangeDB: 60, Ratio: 10, Attack: 200, Hold: 333, Release: 777, Ahead: 0}},
		{Expander: Expander{ThresholdDB: -9, RangeDB: 20, Ratio: 4, Attack: 1, Release: 10, Ahead: 200}},
	}
}

// speechlike is noise that comes and goes.
func speechlike(n int, seed uint64) []float32 {
	v := noise(n, seed)
	rng := rand.New(rand.NewPCG(seed, 9))
	for at := 0; at < n; {
		end := min(at+2000+rng.IntN(30000), n)
		g := float32(math.Pow(10, -3*rng.Float64()))
		for ; at < end; at++ {
			v[at] *= g
		}
	}
	return v
}

// However a span is read, in whichever order, it is the same to the bit.
func TestPartsAreTheWhole(t *testing.T) {
	rng := rand.New(rand.NewPCG(4, 4))
	for i, s := range some() {
		n, rate := 400_000, []int{48000, 44100, 96000}[i%3]
		v := [][]float32{speechlike(n, 1), speechlike(n, 2)}
		want := whole(t, s, rate, v...)
		stream := NewStream(s, rate, 2, from(v))
		for k := range 48 {
			at, long := rng.IntN(n), 1+rng.IntN(60_000)
			if k%4 > 0 {
				long = 1 + rng.IntN(100)
			}
			if k%16 == 15 {
				stream.Rest()
			}
			long = min(long, n-at)
			got := [][]float32{make([]float32, long), make([]float32, long)}
			read(t, stream, got, int64(at))
			for ch := range got {
				if !slices.Equal(got[ch], want[ch][at:at+long]) {
					t.Fatalf("settings %d: channel %d from %d, %d samples, differs", i, ch, at, long)
				}
			}
		}
	}
}

// What pieces are run up from is as good as all that was before: −150 dB of full scale
// for a full-scale past, against filters that run from the beginning.
func TestRunUpIsLongEnough(t *testing.T) {
	for i, s := range some() {
		s.Tone, s.Expander = Voicing{}, Expander{}
		stream := NewStream(s, 48000, 1, nil)
		n := int(3 * stream.grid)
		v := make([]float64, n)
		for k := range v {
			v[k] = math.Sin(2 * math.Pi * 20.5 * float64(k) / 48000)
		}
		short := slices.Clone(v)
		run(stream.sections, make([]state, len(stream.sections)), v)
		at := int(stream.grid)
		part := short[at-int(stream.runUp):]
		run(stream.sections, make([]state, len(stream.sections)), part)
		worst, top := 0.0, 0.0
		for k := at; k < n; k++ {
			worst, top = max(worst, math.Abs(v[k]-part[k-at+int(stream.runUp)])), max(top, math.Abs(v[k]))
		}
		if limit := math.Pow(10, -150.0/20); worst > limit*max(top, 1) {
			t.Errorf("settings %d: off by %.2g, %.0f dB, of %.2g", i, worst, 20*math.Log10(worst), top)
		}
	}
}

func TestFiltersAreStable(t *testing.T) {
	for _, rate := range []int{44100, 48000, 88200, 96000, 192000} {
		for _, hz := range []float64{LeastHz, 100, 1000, 15000, MostHz} {
			for _, db := range []float64{-MostDB, MostDB} {
				for _, q := range []float64{LeastQ, MostQ} {
					s := Settings{HighPass: Cut{hz, 24}, LowPass: Cut{hz, 24}, LowShelf: Shelf{hz, db}, HighShelf: Shelf{hz, db}, Bells: [4]Bell{{hz, db, q}}}
					for _, b := range s.sections(rate) {
						if r := b.radius(); !(r < 1) {
							t.Errorf("%g Hz, %g dB, Q %g at %d: a pole at %.6f", hz, db, q, rate, r)
						}
					}
				}
			}
		}
	}
}

// Published properties of the filters: −3 dB at the corner and so many dB an octave
// beyond; half of a shelf at its frequency; all of a bell at its centre.
func TestResponse(t *testing.T) {
	const rate = 48000
	for _, c := range []struct {
		name string
		s    Settings
		hz   float64
		want float64
	}{
		{"corner 12", Settings{HighPass: Cut{100, 12}}, 100, -3.01}, {"corner 24", Settings{LowPass: Cut{4000, 24}}, 4000, -3.01},
		{"octaves 12", Settings{HighPass: Cut{400, 12}}, 50, -36.1}, {"octaves 24", Settings{HighPass: Cut{400, 24}}, 50, -72.2},
		{"half a shelf", Settings{LowShelf: Shelf{200, -8}}, 200, -4}, {"a whole one", Settings{LowShelf: Shelf{2000, -8}}, 20, -8},
		{"bell", Settings{Bells: [4]Bell{{}, {900, 7, 3}}}, 900, 7}, {"nothing", Settings{}, 900, 0},
	} {
		if got := c.s.Response(rate, []float64{c.hz})[0]; math.Abs(got-c.want) > 0.1 {
			t.Errorf("%s: %.2f dB, not %.2f", c.name, got, c.want)
		}
	}
}

// A tone alters sines by its curve, and delays nothing.
func TestTone(t *testing.T) {
	const rate, n = 48000, 3 * leastGrid
	tone := Voicing{Amount: 0.5}
	for k := range tone.Bands {
		tone.Bands[k] = 6 * math.Cos(float64(k)/3)
	}
	v := make([]float32, n)
	v[n/2] = 1
	got := whole(t, Settings{Tone: tone}, rate, v)[0]
	for k := 1; k < rate/25; k++ {
		if a, b := got[n/2-k], got[n/2+k]; math.Abs(float64(a-b)) > 1e-7 {
			t.Fatalf("not symmetric %d samples from the middle: %g and %g", k, a, b)
		}
	}
	for _, hz := range []float64{30, 100, 125.9, 200, 501.2, 1000, 1500, 3981, 8000, 10000, 16000} {
		for i := range v {
			v[i] = float32(0.25 * math.Sin(2*math.Pi*hz*float64(i)/rate))
		}
		got := whole(t, Settings{Tone: tone}, rate, v)[0]
		var in, out float64
		for i := n / 4; i < 3*n/4; i++ {
			in, out = in+float64(v[i])*float64(v[i]), out+float64(got[i])*float64(got[i])
		}
		if db := 10 * math.Log10(out/in); math.Abs(db-tone.DB(hz)) > 0.3 {
			t.Errorf("%g Hz by %.2f dB, not %.2f", hz, db, tone.DB(hz))
		}
	}
}

// The expander is open when a word begins, by so long as it looks ahead; stays open as
// long as it holds; and closes along its release. By its definition, to 6 ms: the
// level is told over 10.
func TestExpanderInTime(t *testing.T) {
	const rate = 48000
	e := Expander{ThresholdDB: -40, RangeDB: 12, Ratio: 10, Attack: 20, Hold: 100, Release: 300, Ahead: 50}
	v := make([]float32, 3*rate)
	for i := range v { // −60 dBFS, and −20 from the first second to the second
		a := 0.001
		if i >= rate && i < 2*rate {
			a = 0.1
		}
		v[i] = float32(a)
		if i/24%2 == 1 {
			v[i] = -v[i]
		}
	}
	got := whole(t, Settings{Expander: e}, rate, v)[0]
	down := func(ms int) float64 {
		i := ms * rate / 1000
		return 20 * math.Log10(float64(got[i]/v[i]))
	}
	for _, c := range []struct {
		ms   int
		want float64
	}{{900, -12}, {1000 - 50 - 8, -12}, {1000 - 50 + 10, -6}, {1000 - 50 + 20, 0}, {1001, 0}, {1500, 0}, {2090, 0}, {2100 + 150, -6}, {2100 + 308, -12}, {2900, -12}} {
		// Slopes go 0.6 dB a millisecond up, 0.04 down.
		if d := math.Abs(down(c.ms) - c.want); d > 6*0.6 {
			t.Errorf("at %d ms %.2f dB, not %.2f", c.ms, down(c.ms), c.want)
		}
	}
	// No step: no more than its attack takes in a sample.
	for i := 1; i < len(got); i++ {
		if a, b := got[i-1]/v[i-1], got[i]/v[i]; math.Abs(float64(a-b)) > 12.0/20/48*0.1152*1.1 {
			t.Fatalf("a step at %d: from %g to %g", i, a, b)
		}
	}
}

func TestSettingsOutOfBounds(t *testing.T) {
	nan := math.NaN()
	for i, s := range []Settings{
		{HighPass: Cut{19, 12}}, {HighPass: Cut{80, 18}}, {LowPass: Cut{nan, 12}}, {LowPass: Cut{math.Inf(1), 24}},
		{LowShelf: Shelf{100, 25}}, {LowShelf: Shelf{100, nan}}, {HighShelf: Shelf{1e9, 3}}, {Bells: [4]Bell{{100, 3, 9}}}, {Bells: [4]Bell{{100, 3, 0}}},
		{Bells: [4]Bell{{}, {}, {}, {nan, 3, 1}}}, {Expander: Expander{RangeDB: 6}}, {Expander: Expander{RangeDB: nan}},
		{Tone: Voicing{Amount: 2}}, {Tone: Voicing{Amount: nan}}, {Tone: Voicing{Bands: [ToneBands]float64{10}, Amount: 1}},
	} {
		if s.Check() == nil {
			t.Errorf("settings %d were taken", i)
		}
	}
	for i, s := range append(some(), Settings{}) {
		if err := s.Check(); err != nil {
			t.Errorf("settings %d: %v", i, err)
		}
	}
}

// Silence stays silence, and costs nothing; full scale and samples that are no numbers
// do not spread beyond their piece.
func TestEdges(t *testing.T) {
	for i, s := range some() {
		out := [][]float32{make([]float32, 1000)}
		quiet := NewStream(s, 48000, 1, func([][]float32, int64) (bool, error) { return true, nil })
		out[0][7] = 3
		if read(t, quiet, out, -500); out[0][7] != 0 {
			t.Errorf("settings %d: silence became %g", i, out[0][7])
		}
		one := whole(t, s, 48000, []float32{1})
		if x := one[0][0]; x != x {
			t.Errorf("settings %d: one sample became no number", i)
		}
	}
}

func TestUsualSettings(t *testing.T) {
	if !Start.None() {
		t.Error("what fields hold at first does something")
	}
	for _, n := range Usual {
		if err := n.Does.Check(); err != nil || n.Does.None() {
			t.Errorf("%s: %v", n.Name, err)
		}
	}
}
