package master

import (
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"blendseam/outside"
)

// limited is a sound through a limiter, taken in pieces.
func limited(v [][]float32, ceiling float64, piece int) ([][]float32, float64) {
	l := NewLimiter(48000, len(v), ceiling)
	out := make([][]float32, len(v))
	take := func(part [][]float32) {
		for ch := range part {
			out[ch] = append(out[ch], part[ch]...)
		}
	}
	for at := 0; at < len(v[0]); at += piece {
		part := make([][]float32, len(v))
		for ch := range v {
			part[ch] = v[ch][at:min(at+piece, len(v[ch]))]
		}
		take(l.Add(part))
	}
	take(l.End())
	return out, l.Deepest()
}

// truePeak is what ffmpeg's meter (BS.1770, four times oversampled) tells of a sound.
func truePeak(t *testing.T, v [][]float32) float64 {
	t.Helper()
	path := filepath.Join(t.TempDir(), "x.f32")
	inter := make([]float32, 0, len(v)*len(v[0]))
	for i := range v[0] {
		for ch := range v {
			inter = append(inter, v[ch][i])
		}
	}
	if err := os.WriteFile(path, outside.Bytes(inter), 0o600); err != nil {
		t.Fatal(err)
	}
	said := string(outside.Run(t, nil, "sh", "-c", fmt.Sprintf("ffmpeg -nostdin -hide_banner -f f32le -ar 48000 -ac %d -i '%s' -af ebur128=peak=true -f null - 2>&1", len(v), path)))
	at := strings.LastIndex(said, "Peak:")
	f := strings.Fields(said[at:])
	db, err := strconv.ParseFloat(f[1], 64)
	if err != nil {
		t.Fatal(said[at:])
	}
	return db
}

// Voices and instruments driven far over full scale stay under the ceiling by ffmpeg's
// meter, and hardly below it; what is under it already is not touched, to the sample; and
// however the sound comes in pieces, it is the same.
func TestLimiter(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 5))
	for i, own := range append(outside.Voices(t)[:2], outside.Instruments(t, "drum_snare", "loop_amen")[:2]...) {
		for _, db := range []float64{6, 14} {
			for _, ceiling := range []float64{-1, -3} {
				top := 0.0
				for _, x := range own {
					top = max(top, math.Abs(float64(x)))
				}
				v := [][]float32{make([]float32, len(own)), make([]float32, len(own))}
				for k, x := range own {
					y := float32(float64(x) / top * math.Pow(10, db/20))
					v[0][k], v[1][k] = y, y*0.7
				}
				got, down := limited(v, ceiling, 8192)
				if len(got[0]) != len(own) {
					t.Fatalf("%d samples of %d", len(got[0]), len(own))
				}
				if peak := truePeak(t, got); peak > ceiling || peak < ceiling-0.6 {
					t.Errorf("sound %d, %g dB over: peak %.2f dBTP for a ceiling of %g", i, db, peak, ceiling)
				}
				if down < db+(-ceiling)-1.5 || down > db-ceiling+2.5 {
					t.Errorf("sound %d, %g dB over %g: it went down by %.1f dB", i, db, ceiling, down)
				}
				for k := range got[0] { // the sides keep their relation
					if math.Abs(float64(got[1][k]-got[0][k]*0.7)) > 1e-6 {
						t.Fatalf("sample %d: %g and %g", k, got[0][k], got[1][k])
					}
				}
				again, _ := limited(v, ceiling, 1+rng.IntN(3000))
				for k := range got[0] {
					if got[0][k] != again[0][k] {
						t.Fatalf("in other pieces sample %d is %g, not %g", k, again[0][k], got[0][k])
					}
				}
			}
		}
		quiet := make([]float32, len(own))
		for k, x := range own {
			quiet[k] = x * 0.25
		}
		got, down := limited([][]float32{quiet}, -1, 500)
		for k := range quiet {
			if got[0][k] != quiet[k] {
				t.Fatalf("what is under the ceiling was touched at %d", k)
			}
		}
		if down != 0 {
			t.Errorf("it went down by %g dB", down)
		}
	}
}

// The gain moves slowly: a sine that is lowered by 6 dB for a burst over it has no step.
func TestLimiterMovesSlowly(t *testing.T) {
	const n = 48000
	v := make([]float32, n)
	for i := range v {
		v[i] = 0.3
		if i >= 20000 && i < 20010 {
			v[i] = 2
		}
	}
	got, _ := limited([][]float32{v}, 0, 777)
	for i := 1; i < n; i++ {
		if i >= 19990 && i < 20020 {
			continue
		}
		if d := math.Abs(float64(got[0][i] - got[0][i-1])); d > 0.003 {
			t.Fatalf("a step of %g at %d", d, i)
		}
	}
	for _, at := range []int{100, n - 1} {
		if math.Abs(float64(got[0][at])-0.3) > 0.006 {
			t.Errorf("far from the burst it is %g at %d", got[0][at], at)
		}
	}
	for _, n := range []int{0, 1, 5} { // shorter than it looks ahead
		got, _ := limited([][]float32{make([]float32, n)}, -1, 10)
		if len(got[0]) != n {
			t.Errorf("%d samples of %d", len(got[0]), n)
		}
	}
}
