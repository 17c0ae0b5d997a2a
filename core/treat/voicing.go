package treat

import (
	"fmt"
	"math"

	"gonum.org/v1/gonum/dsp/fourier"
	"gonum.org/v1/gonum/dsp/window"
)

// ToneBands is the number of third-octave bands of a tone: from 100 Hz to 10 kHz,
// the bands of measure.BandCentres.
const ToneBands = 21

// MostTone is the most that a tone is altered by in a band, in dB.
const MostTone = 9.0

// Voicing alters the colour of a sound without shifting its phases: gains of third-octave
// bands, between which the curve goes straight over the logarithm of frequency; an
// octave beyond the outermost it is back at 0 dB.
type Voicing struct {
	Bands  [ToneBands]float64 `json:"bands,omitzero"`  // dB, −9 to 9
	Amount float64            `json:"amount,omitzero"` // of it that is used, 0 to 1
}

func (t Voicing) none() bool { return t.Amount == 0 || t.Bands == [ToneBands]float64{} }

func (t Voicing) check() error {
	if !(t.Amount >= 0 && t.Amount <= 1) {
		return fmt.Errorf("the amount of a matched tone goes from 0 to 100 %%; %g is outside", 100*t.Amount)
	}
	for _, db := range t.Bands {
		if !(math.Abs(db) <= MostTone) {
			return fmt.Errorf("a tone is altered by −%g to +%g dB in a band; %g is outside", MostTone, MostTone, db)
		}
	}
	return nil
}

// DB is the curve at a frequency, in dB.
func (t Voicing) DB(hz float64) float64 {
	if t.none() || !(hz > 0) {
		return 0
	}
	// In thirds of an octave from the lowest band on.
	p := 10 * math.Log10(hz/100)
	const last, octave = ToneBands - 1, 3
	var db float64
	switch {
	case p < 0:
		db = t.Bands[0] * max(1+p/octave, 0)
	case p >= last:
		db = t.Bands[last] * max(1-(p-last)/octave, 0)
	default:
		k := int(p)
		db = t.Bands[k] + (t.Bands[k+1]-t.Bands[k])*(p-float64(k))
	}
	return db * t.Amount
}

// toneSeconds is how long the filter of a tone is: it tells bands 20 Hz apart.
const toneSeconds = 0.1

// fir is a filter of linear phase whose delay is taken out.
type fir struct {
	half int          // samples that it reaches either way
	size int          // of its transforms
	h    []complex128 // its spectrum
	fft  *fourier.FFT
}

// reach is how many samples to both sides the filter of a tone hears.
func reach(rate int) int { return int(toneSeconds * float64(rate) / 2) }

// newFIR makes the filter by sampling its response finely and windowing what comes
// out (A. V. Oppenheim and R. W. Schafer, Discrete-Time Signal Processing, 7.5).
func newFIR(t Voicing, rate int) *fir {
	f := &fir{half: reach(rate), size: 1}
	for f.size < 8*f.half {
		f.size *= 2
	}
	f.fft = fourier.NewFFT(f.size)
	spec := make([]complex128, f.size/2+1)
	for k := range spec {
		spec[k] = complex(math.Pow(10, t.DB(float64(k)*float64(rate)/float64(f.size))/20), 0)
	}
	around := f.fft.Sequence(nil, spec)
	hann := make([]float64, 2*f.half+1)
	for i := range hann {
		hann[i] = 1
	}
	window.Hann(hann)
	taps := make([]float64, f.size)
	for i := -f.half; i <= f.half; i++ {
		taps[i+f.half] = around[(i+f.size)%f.size] / float64(f.size) * hann[i+f.half]
	}
	f.h = f.fft.Coefficients(nil, taps)
	return f
}

// apply filters v in place, by overlap and save. What is within half of either end is
// left without meaning.
func (f *fir) apply(v []float64) {
	part, spec := make([]float64, f.size), make([]complex128, len(f.h))
	out := make([]float64, f.size)
	fresh := f.size - 2*f.half
	kept := append(make([]float64, 0, 2*f.half), v[:min(2*f.half, len(v))]...)
	for at := 2 * f.half; at < len(v); at += fresh {
		n := min(fresh, len(v)-at)
		copy(part, kept)
		copy(part[2*f.half:], v[at:at+n])
		clear(part[2*f.half+n:])
		copy(kept, part[n:n+2*f.half])
		f.fft.Coefficients(spec, part)
		for k := range spec {
			spec[k] *= f.h[k]
		}
		f.fft.Sequence(out, spec)
		// The delay of the filter is half of its length.
		dst := v[at-f.half : at-f.half+n]
		for i := range dst {
			dst[i] = out[2*f.half+i] / float64(f.size)
		}
	}
}
