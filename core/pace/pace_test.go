package pace

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"blendseam/core/measure"
	"blendseam/outside"
)

const rate = 48000

func of(v []float32) Source {
	return func(left, right []float32, from int64) error {
		for i := range left {
			left[i] = 0
			if p := from + int64(i); p >= 0 && p < int64(len(v)) {
				left[i] = v[p]
			}
			right[i] = -left[i] / 2
		}
		return context.Background().Err()
	}
}

func heard(t *testing.T, v []float32, start int64, speed float64, n int) []float32 {
	t.Helper()
	left, right := make([]float32, n), make([]float32, n)
	if err := New(of(v), rate, start, speed).Read(left, right, 0); err != nil {
		t.Fatal(err)
	}
	for i := range left {
		if math.Abs(float64(right[i]+left[i]/2)) > 1e-6 {
			t.Fatalf("the sides part at %d", i)
		}
	}
	return left
}

// A tone keeps its pitch and its level at any speed.
func TestToneKeepsItsPitch(t *testing.T) {
	v := make([]float32, 10*rate)
	for _, hz := range []float64{90, 220, 1000, 4400} {
		for i := range v {
			v[i] = float32(0.5 * math.Sin(2*math.Pi*hz*float64(i)/rate))
		}
		for _, speed := range []float64{Half, Double, Backwards} {
			start := int64(2 * rate)
			if speed < 0 {
				start = 8 * rate
			}
			got := heard(t, v, start, speed, 2*rate)
			up, power := 0, 0.0
			for i := rate / 2; i < 3*rate/2; i++ {
				if got[i-1] < 0 && got[i] >= 0 {
					up++
				}
				power += float64(got[i]) * float64(got[i]) / rate
			}
			if math.Abs(float64(up)-hz) > 0.01*hz+1 {
				t.Errorf("%g Hz at %g: %d Hz", hz, speed, up)
			}
			if db := 10 * math.Log10(power/0.125); math.Abs(db) > 0.7 {
				t.Errorf("%g Hz at %g: %.2f dB", hz, speed, db)
			}
		}
	}
}

// A recorded voice at half and double speed has the spectrum that ffmpeg's atempo
// gives it, within 2 dB in each third octave, and goes by in the same time.
func TestVoiceAgainstFFmpeg(t *testing.T) {
	var v []float32
	for _, part := range outside.Voices(t) {
		v = append(v, part...)
	}
	for _, speed := range []float64{Half, Double} {
		n := int(float64(len(v)) / speed)
		got := heard(t, v, 0, speed, n)
		want := outside.Floats(outside.Run(t, outside.Bytes(v), "ffmpeg", "-v", "error", "-f", "f32le", "-ar", "48000", "-ac", "1", "-i", "-", "-af", fmt.Sprint("atempo=", speed), "-f", "f32le", "-"))
		if d := math.Abs(float64(len(want) - n)); d > rate/5 {
			t.Fatalf("the reference is %d samples long, not %d", len(want), n)
		}
		s := measure.NewSpectrum(rate)
		spectrum := func(v []float32) measure.Bands {
			var starts []int
			for at := 0; at+s.Segment() <= len(v); at += s.Segment() / 2 {
				starts = append(starts, at)
			}
			return s.Of(v, starts)
		}
		a, b := spectrum(got), spectrum(want)
		for k := range a {
			if math.Abs(a[k]-b[k]) > 2 {
				t.Errorf("at %g, %.0f Hz: %.1f dB, the reference %.1f", speed, measure.BandCentres[k], a[k], b[k])
			}
		}
		// Where it is silent in the original it is silent here, at its time.
		for at := 0.0; at < float64(len(v))-9600; at += 4800 {
			if loud(v[int(at):int(at)+9600]) < 1e-4 && loud(got[int((at+3000)/speed):int((at+6600)/speed)]) > 1e-2 {
				t.Errorf("at %g: sound where there is none, at %.1f s", speed, at/rate)
			}
		}
	}
}

func loud(v []float32) (most float64) {
	for _, x := range v {
		most = max(most, math.Abs(float64(x)))
	}
	return most
}

func TestPartsAreTheWhole(t *testing.T) {
	rng := rand.New(rand.NewPCG(2, 2))
	v := make([]float32, 5*rate)
	for i := range v {
		v[i] = float32(rng.NormFloat64() / 8)
	}
	for _, speed := range []float64{Half, Double, Backwards} {
		want := heard(t, v, 2*rate, speed, 3*rate)
		s := New(of(v), rate, 2*rate, speed)
		for range 30 {
			at, n := rng.IntN(2*rate), 1+rng.IntN(rate)
			left, right := make([]float32, n), make([]float32, n)
			if err := s.Read(left, right, int64(at)); err != nil {
				t.Fatal(err)
			}
			if !slices.Equal(left, want[at:at+n]) {
				t.Fatalf("at %g: %d samples from %d differ", speed, n, at)
			}
		}
	}
	back := heard(t, v, 2*rate, Backwards, rate)
	for i, x := range back {
		if x != v[2*rate-1-i] {
			t.Fatalf("backwards, sample %d is %g", i, x)
		}
	}
	for _, speed := range []float64{0, 3, -2, math.NaN(), math.Inf(1)} {
		if Check(speed) == nil {
			t.Errorf("speed %g was taken", speed)
		}
	}
}
