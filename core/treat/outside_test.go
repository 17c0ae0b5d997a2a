package treat

import (
	"encoding/binary"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"blendseam/outside"
)

func noise(n int, seed uint64) []float32 {
	rng := rand.New(rand.NewPCG(seed, 5))
	v := make([]float32, n)
	for i := range v {
		v[i] = float32(rng.Float64() - 0.5)
	}
	return v
}

// ffmpeg filters samples as float64.
func ffmpeg(t *testing.T, rate int, v []float32, filter string) []float64 {
	t.Helper()
	out := outside.Run(t, outside.Bytes(v), "ffmpeg", "-v", "error", "-f", "f32le", "-ar", fmt.Sprint(rate), "-ac", "1", "-i", "-",
		"-af", "aformat=dbl,"+filter, "-f", "f64le", "-")
	w := make([]float64, len(out)/8)
	for i := range w {
		w[i] = math.Float64frombits(binary.LittleEndian.Uint64(out[8*i:]))
	}
	return w
}

// whole treats a sound in one go.
func whole(t *testing.T, s Settings, rate int, v ...[]float32) [][]float32 {
	t.Helper()
	out := make([][]float32, len(v))
	for ch := range v {
		out[ch] = make([]float32, len(v[ch]))
	}
	read(t, NewStream(s, rate, len(v), from(v)), out, 0)
	return out
}

// read fills all channels from a place on.
func read(t testing.TB, s *Stream, dst [][]float32, at int64) {
	t.Helper()
	for ch := range dst {
		if err := s.One(dst[ch], ch, at); err != nil {
			t.Fatal(err)
		}
	}
}

// from is a sound with silence around it.
func from(v [][]float32) Source {
	return func(dst [][]float32, at int64) (bool, error) {
		for ch := range dst {
			for i := range dst[ch] {
				dst[ch][i] = 0
				if p := at + int64(i); p >= 0 && p < int64(len(v[ch])) {
					dst[ch][i] = v[ch][p]
				}
			}
		}
		return false, nil
	}
}

// Reference: ffmpeg's highpass, lowpass, bass, treble and equalizer, sample by sample,
// over three pieces of the grid: −120 dB of full scale. Its shelves of Q 0.5 are those of
// the cookbook with a slope of 1: its Q counts √2 times as much there.
func TestFiltersAgainstFFmpeg(t *testing.T) {
	for _, rate := range []int{44100, 48000, 96000} {
		v := noise(3*leastGrid, uint64(rate))
		for filter, s := range map[string]Settings{
			"highpass=f=80:t=q:w=0.70710678":                                {HighPass: Cut{80, 12}},
			"lowpass=f=3400:t=q:w=0.70710678":                               {LowPass: Cut{3400, 12}},
			"highpass=f=300:t=q:w=0.5411961,highpass=f=300:t=q:w=1.3065630": {HighPass: Cut{300, 24}},
			"lowpass=f=3400:t=q:w=0.5411961,lowpass=f=3400:t=q:w=1.3065630": {LowPass: Cut{3400, 24}},
			"bass=f=200:t=q:w=0.5:g=-6":                                     {LowShelf: Shelf{200, -6}},
			"treble=f=5000:t=q:w=0.5:g=4.5":                                 {HighShelf: Shelf{5000, 4.5}},
			"equalizer=f=1000:t=q:w=1.4:g=5":                                {Bells: [4]Bell{{1000, 5, 1.4}}},
			"equalizer=f=50:t=q:w=8:g=-24,equalizer=f=8000:t=q:w=0.3:g=9":   {Bells: [4]Bell{{50, -24, 8}, {}, {8000, 9, 0.3}}},
		} {
			got, want := whole(t, s, rate, v)[0], ffmpeg(t, rate, v, filter)
			worst := 0.0
			for i := range got {
				worst = max(worst, math.Abs(float64(got[i])-want[i]))
			}
			if worst > 1e-6 {
				t.Errorf("%s at %d: off by %.2g", filter, rate, worst)
			}
		}
	}
}

// Reference: ffmpeg's agate on sounds of one level, whose peak is their RMS, once it
// has settled.
func TestExpanderAgainstFFmpeg(t *testing.T) {
	const rate, n = 48000, 96000
	for _, e := range []Expander{
		{ThresholdDB: -40, RangeDB: 10, Ratio: 2, Attack: 10, Hold: 20, Release: 100},
		{ThresholdDB: -30, RangeDB: 24, Ratio: 3, Attack: 5, Hold: 20, Release: 50},
		{ThresholdDB: -50, RangeDB: 6, Ratio: 1.5, Attack: 5, Hold: 20, Release: 50},
	} {
		for level := -66.0; level <= -20; level += 3.3 {
			a := float32(math.Pow(10, level/20))
			v := make([]float32, n)
			for i := range v {
				v[i] = a
				if i/24%2 == 1 {
					v[i] = -a
				}
			}
			filter := fmt.Sprintf("agate=threshold=%.9f:ratio=%g:range=%.9f:knee=1:attack=%g:release=%g:detection=peak",
				math.Pow(10, e.ThresholdDB/20), e.Ratio, math.Pow(10, -e.RangeDB/20), e.Attack, e.Release)
			want := 20 * math.Log10(math.Abs(ffmpeg(t, rate, v, filter)[n/2])/float64(a))
			got := 20 * math.Log10(math.Abs(float64(whole(t, Settings{Expander: e}, rate, v)[0][n/2]))/float64(a))
			if math.Abs(got-want) > 0.05 {
				t.Errorf("threshold %g, ratio %g, range %g, level %.1f: %.2f dB, the reference %.2f", e.ThresholdDB, e.Ratio, e.RangeDB, level, got, want)
			}
			if math.Abs(got-e.SteadyDB(level)) > 0.01 {
				t.Errorf("level %.1f: %.3f dB, by its curve %.3f", level, got, e.SteadyDB(level))
			}
		}
	}
}
