package measure

import (
	"math"

	"gonum.org/v1/gonum/dsp/fourier"
	"gonum.org/v1/gonum/dsp/window"
)

// BandCentres are the exact mid-band frequencies of the third-octave bands
// from 100 Hz to 10 kHz, in hertz: 1000·10^(k/10), the base-ten system of
// IEC 61260-1.
var BandCentres = func() (out [21]float64) {
	for k := range out {
		out[k] = 1000 * math.Pow(10, float64(k-10)/10)
	}
	return out
}()

// Bands are the levels of a stretch in those bands, in dBFS: all of them
// together make up its power between 89 Hz and 11.2 kHz.
type Bands [len(BandCentres)]float64

// Spectrum measures third-octave bands after P. D. Welch, "The use of fast
// Fourier transform for the estimation of power spectra" (1967): the mean of
// the spectra of windowed segments. It is not safe for concurrent use.
type Spectrum struct {
	rate   int
	size   int
	fft    *fourier.FFT
	hann   []float64
	weight float64 // power of the window
	in     []float64
	out    []complex128
	lowest [len(BandCentres) + 1]float64 // edges of the bands, in bins
}

// NewSpectrum measures with segments of at least 80 ms.
func NewSpectrum(rate int) *Spectrum {
	s := &Spectrum{rate: rate, size: 1024}
	for float64(s.size) < 0.08*float64(rate) {
		s.size *= 2
	}
	s.fft = fourier.NewFFT(s.size)
	s.hann = make([]float64, s.size)
	for i := range s.hann {
		s.hann[i] = 1
	}
	window.Hann(s.hann)
	for _, w := range s.hann {
		s.weight += w * w
	}
	s.in, s.out = make([]float64, s.size), make([]complex128, s.size/2+1)
	for k := range s.lowest {
		s.lowest[k] = 1000 * math.Pow(10, (float64(k)-10.5)/10) * float64(s.size) / float64(rate)
	}
	return s
}

// Segment is the number of samples that the shortest measurable stretch has.
func (s *Spectrum) Segment() int { return s.size }

// Of measures segments of a stretch that begin at the places given. Segments
// that reach beyond the stretch are left out; with none left, all bands read
// Silence.
func (s *Spectrum) Of(v []float32, starts []int) Bands {
	var power [len(BandCentres)]float64
	n := 0
	for _, at := range starts {
		if at < 0 || at+s.size > len(v) {
			continue
		}
		for i, x := range v[at : at+s.size] {
			s.in[i] = float64(x) * s.hann[i]
		}
		s.fft.Coefficients(s.out, s.in)
		for k := range power {
			power[k] += s.between(s.lowest[k], s.lowest[k+1])
		}
		n++
	}
	var out Bands
	for k, p := range power {
		// Twice, for the mirrored half; over the window's power and the segment's length.
		out[k] = Level(2 * p / (s.weight * float64(s.size) * float64(max(n, 1))))
	}
	return out
}

// between sums the power of the spectrum between two edges in bins; a bin on
// an edge counts as far as it lies inside.
func (s *Spectrum) between(low, high float64) (sum float64) {
	for k := max(int(math.Ceil(low-0.5)), 1); k < len(s.out) && float64(k)-0.5 < high; k++ {
		part := min(float64(k)+0.5, high) - max(float64(k)-0.5, low)
		re, im := real(s.out[k]), imag(s.out[k])
		sum += part * (re*re + im*im)
	}
	return sum
}

// Distance is the RMS of the differences of two spectra in dB once the mean of
// the differences, which is the step in level, is removed: how unlike two
// rooms are in colour.
func (b Bands) Distance(o Bands) float64 {
	var mean, sum float64
	for k := range b {
		mean += (b[k] - o[k]) / float64(len(b))
	}
	for k := range b {
		d := b[k] - o[k] - mean
		sum += d * d / float64(len(b))
	}
	return math.Sqrt(sum)
}

// Apart is the Distance of two spectra without what chance adds to it: the
// power of noise in a narrow band, heard in a few segments, is known to some
// decibels only. It counts as the variance of the level of K independent values,
// 18.9/K dB², from memory of the theory of the periodogram.
func (s *Spectrum) Apart(a, b Bands, segmentsA, segmentsB int) float64 {
	var chance float64
	seconds := float64(s.size) / float64(s.rate)
	for k := range a {
		width := BandCentres[k] * (math.Pow(10, 0.05) - math.Pow(10, -0.05))
		one := max(0.9*width*seconds/1.5, 0.6) // a Hann window is as wide as 1.5 bins
		chance += (18.9/(one*float64(max(segmentsA, 1))) + 18.9/(one*float64(max(segmentsB, 1)))) / float64(len(a))
	}
	d := a.Distance(b)
	return math.Sqrt(max(d*d-chance, 0))
}
