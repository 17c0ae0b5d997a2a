package measure

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"blendseam/core/floor"
	"blendseam/core/sound"
	"blendseam/outside"
)

// hiss is Gaussian noise of a level in dBFS.
func hiss(seed uint64, n int, db float64) []float32 {
	rng, g := rand.New(rand.NewPCG(seed, 2)), math.Pow(10, db/20)
	v := make([]float32, n)
	for i := range v {
		v[i] = float32(g * rng.NormFloat64())
	}
	return v
}

// all are the starts of segments half over one another.
func all(s *Spectrum, n int) (out []int) {
	for at := 0; at+s.Segment() <= n; at += s.Segment() / 2 {
		out = append(out, at)
	}
	return out
}

// The exact mid-band frequencies of IEC 61260-1, base ten, to the digits that
// the standard's table gives them in (from memory): 100, 125.89, 158.49,
// 199.53, 251.19 … 10 000 Hz.
func TestBandCentres(t *testing.T) {
	want := []float64{100, 125.89, 158.49, 199.53, 251.19, 316.23, 398.11, 501.19, 630.96, 794.33, 1000,
		1258.9, 1584.9, 1995.3, 2511.9, 3162.3, 3981.1, 5011.9, 6309.6, 7943.3, 10000}
	for k, hz := range BandCentres {
		if math.Abs(hz/want[k]-1) > 1e-4 {
			t.Errorf("band %d lies at %g Hz, not %g", k, hz, want[k])
		}
	}
}

// A sine at each mid-band frequency reads its own level in its own band, at
// every rate. A Hann window spreads it a little over its neighbours where
// bands are narrow.
func TestSineInItsBand(t *testing.T) {
	for _, rate := range []int{44100, 48000, 96000} {
		s := NewSpectrum(rate)
		for k, hz := range BandCentres {
			v := make([]float32, 4*s.Segment())
			for i := range v {
				v[i] = float32(0.1 * math.Sin(2*math.Pi*hz*float64(i)/float64(rate)))
			}
			b := s.Of(v, all(s, len(v)))
			top := 0
			for j := range b {
				if b[j] > b[top] {
					top = j
				}
			}
			if top != k || math.Abs(b[k]+23.01) > 1 || hz > 300 && math.Abs(b[k]+23.01) > 0.1 {
				t.Errorf("%d Hz: a sine at %.0f Hz of −23.01 dBFS reads %.2f in band %d", rate, hz, b[k], top)
			}
		}
	}
}

// Against a reference transform: the sum that defines the discrete Fourier
// transform, bin by bin, on one segment.
func TestBandsAgainstTheDefinition(t *testing.T) {
	s := NewSpectrum(48000)
	v := hiss(1, s.Segment(), -30)
	got := s.Of(v, []int{0})
	n := s.Segment()
	var want [len(BandCentres)]float64
	for k := 1; k < n/2; k++ {
		hz := float64(k) * 48000 / float64(n)
		if hz < 80 || hz > 12000 {
			continue
		}
		var re, im, weight float64
		for i, x := range v {
			w := 0.5 - 0.5*math.Cos(2*math.Pi*float64(i)/float64(n-1))
			a := 2 * math.Pi * float64(k*i%n) / float64(n)
			re, im, weight = re+float64(x)*w*math.Cos(a), im-float64(x)*w*math.Sin(a), weight+w*w
		}
		for b, centre := range BandCentres {
			low, high := centre*math.Pow(10, -0.05), centre*math.Pow(10, 0.05)
			half := 24000 / float64(n)
			if part := (min(hz+half, high) - max(hz-half, low)) / (2 * half); part > 0 {
				want[b] += part * 2 * (re*re + im*im) / (weight * float64(n))
			}
		}
	}
	for b := range got {
		if d := got[b] - 10*math.Log10(want[b]); math.Abs(d) > 0.001 {
			t.Errorf("band at %.0f Hz: %.3f dB off the definition", BandCentres[b], d)
		}
	}
}

// Against sox: noise through its band-pass between the edges of a band has the
// band's level.
func TestBandsAgainstSox(t *testing.T) {
	s := NewSpectrum(48000)
	v := hiss(7, 20*48000, -25)
	got := s.Of(v, all(s, len(v)))
	for _, k := range []int{3, 7, 10, 15, 20} {
		low, high := BandCentres[k]*math.Pow(10, -0.05), BandCentres[k]*math.Pow(10, 0.05)
		out := outside.Floats(outside.Run(t, outside.Bytes(v), "sox", "-t", "f32", "-r", "48000", "-c", "1", "-", "-t", "f32", "-",
			"sinc", "-a", "100", "-t", fmt.Sprintf("%.1f", (high-low)/20), fmt.Sprintf("%.3f-%.3f", low, high)))
		if want := RMS(out); math.Abs(got[k]-want) > 0.4 {
			t.Errorf("band at %.0f Hz: %.2f dBFS, sox %.2f", BandCentres[k], got[k], want)
		}
	}
}

func TestFloorAndQuiet(t *testing.T) {
	// A room at −55 dBFS with a word of three seconds in six, and a second of
	// digital silence.
	v := hiss(3, 7*48000, -55)
	for i := 96000; i < 4*48000; i++ {
		v[i] += float32(0.2 * math.Sin(float64(i)/9))
	}
	clear(v[6*48000:])
	if f := Floor(Frames(48000, v)); math.Abs(f+55) > 0.6 {
		t.Errorf("the floor is %.2f dBFS, not −55", f)
	}
	if f := Floor(Frames(48000, make([]float32, 5000))); f != Silence {
		t.Errorf("the floor of digital silence is %g", f)
	}
	s := NewSpectrum(48000)
	room, err := floor.Around(floor.Of(sound.Memory{v}, 48000), []float64{1}, 48000, int64(len(v)), int64(len(v)/2))
	if err != nil || math.Abs(room.Level+55) > 0.3 { // white: 188 Hz and above hold all but 0.03 dB of it
		t.Errorf("the room is at %.2f dBFS, not −55: %v", room.Level, err)
	}
	var quiet []int
	for _, p := range room.Places {
		for at := int(p[0]) * 480; at+s.Segment() <= int(p[1]+1)*480; at += s.Segment() / 2 {
			quiet = append(quiet, at)
		}
	}
	if len(quiet) < 10 {
		t.Errorf("%d quiet places", len(quiet))
	}
	for _, at := range quiet {
		if at+s.Segment() > 96000 && at < 4*48000 || at+s.Segment() > 6*48000 {
			t.Errorf("place %d is called quiet", at)
		}
	}
	if d := s.Of(v, quiet).Distance(s.Of(hiss(9, 96000, -30), all(s, 96000))); d > 1.2 {
		t.Errorf("the room and louder noise of its colour are %.2f dB apart in colour", d)
	}
	if b := s.Of(nil, []int{0}); b[0] != Silence {
		t.Error("nothing has a level")
	}
	for _, n := range []int{0, 1, 959, 961} {
		if f := Frames(48000, make([]float32, n)); len(f) > 1 {
			t.Errorf("%d samples make %d frames", n, len(f))
		}
	}
}
