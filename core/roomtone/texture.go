package roomtone

import (
	"errors"
	"math"
	"math/rand/v2"

	"gonum.org/v1/gonum/dsp/fourier"

	"blendseam/core/measure"
	"blendseam/core/reel"
	"blendseam/core/sound"
)

// ErrSilent is returned for a swatch that holds no sound.
var ErrSilent = errors.New("the swatch is digital silence; a room is never that quiet")

// grainy is the shortest swatch, in seconds, that grains are taken from; and
// the most of one that is used.
const (
	grainy   = 0.5
	mostUsed = 12.0
)

// Grow makes the bed that a source of a reel stands for. Recording is the
// sound that its swatch lies in, all channels; nil for a made-up room.
func Grow(src reel.Source, rate int, recording sound.Reader) (*Bed, error) {
	spec := src.Bed
	twin := src.Right >= 0 && (src.Right == src.Left || spec.Room != "")
	var tex [][]float32
	synth := false
	switch {
	case spec.Room != "":
		tex, synth = [][]float32{madeUp(spec.Room, rate)}, true
	default:
		channels := []int{src.Left}
		if src.Right >= 0 && !twin {
			channels = append(channels, src.Right)
		}
		n := min(spec.To-spec.From, int64(mostUsed*float64(rate)))
		for _, ch := range channels {
			v := make([]float32, n)
			if err := recording.ReadAt(v, ch, spec.From); err != nil {
				return nil, err
			}
			tex = append(tex, v)
		}
		if tex = sounding(tex, rate); tex == nil {
			return nil, ErrSilent
		}
		for i := range tex {
			centre(tex[i])
		}
		if len(tex[0]) < int(grainy*float64(rate)) {
			synth = true
			for i := range tex {
				tex[i] = noiseLike(tex[i], rate, uint64(i))
			}
		} else {
			for i := range tex {
				even(tex[i], rate)
			}
		}
	}
	if spec.Tint != (reel.Tint{}) {
		for i := range tex {
			tex[i] = tinted(tex[i], rate, spec.Tint)
		}
	}
	b := newBed(tex, twin, rate, spec.Seed, src.Length)
	b.Synthesised = synth
	return b, nil
}

// sounding is the longest part of a swatch without digital silence, nil when
// there is none.
func sounding(tex [][]float32, rate int) [][]float32 {
	gap := rate / 200
	var from, to, begin, zeros int
	n := len(tex[0])
	for i := 0; i <= n; i++ {
		quiet := i == n
		if !quiet {
			quiet = true
			for _, v := range tex {
				quiet = quiet && v[i] == 0
			}
		}
		if quiet {
			zeros++
		}
		if quiet && (zeros >= gap || i == n) {
			if end := i + 1 - zeros; end-begin > to-from {
				from, to = begin, end
			}
			begin = i + 1
		}
		if !quiet {
			if zeros >= gap {
				begin = i
			}
			zeros = 0
		}
	}
	if to-from < 16 {
		return nil
	}
	out := make([][]float32, len(tex))
	for i, v := range tex {
		out[i] = v[from:to:to]
	}
	return out
}

// centre takes the direct current out.
func centre(v []float32) {
	var sum float64
	for _, s := range v {
		sum += float64(s)
	}
	dc := float32(sum / float64(len(v)))
	for i := range v {
		v[i] -= dc
	}
}

// even flattens the slow course of a swatch's level, by up to 3 dB, so that
// grains of its parts are of one level.
func even(v []float32, rate int) {
	hop := rate / 50
	course := measure.Course(rate*2/5, hop, v)
	mean := measure.RMS(v)
	gain := make([]float64, len(course))
	for i, l := range course {
		gain[i] = math.Pow(10, min(max(mean-l, -3), 3)/20)
	}
	for i := range v {
		k := i / hop
		x := float64(i%hop) / float64(hop)
		g := gain[min(k, len(gain)-1)]*(1-x) + gain[min(k+1, len(gain)-1)]*x
		v[i] *= float32(g)
	}
}

// noiseSize is the length of computed textures: a second and more at every
// rate.
func noiseSize(rate int) int {
	if rate > 50000 {
		return 1 << 18
	}
	return 1 << 17
}

// noiseLike is noise with the spectrum and the level of a stretch that is too
// short for grains: its Welch spectrum, given to sines of random phase.
func noiseLike(v []float32, rate int, salt uint64) []float32 {
	size := 64
	for size*2 <= len(v) && size < 4096 {
		size *= 2
	}
	if size > len(v) {
		size = len(v) &^ 1
	}
	fft := fourier.NewFFT(size)
	power := make([]float64, size/2+1)
	in := make([]float64, size)
	for at := 0; at+size <= len(v); at += max(size/2, 1) {
		for i := range in {
			w := 0.5 - 0.5*math.Cos(2*math.Pi*(float64(i)+0.5)/float64(size))
			in[i] = float64(v[at+i]) * w
		}
		for k, c := range fft.Coefficients(nil, in) {
			power[k] += real(c)*real(c) + imag(c)*imag(c)
		}
	}
	n := noiseSize(rate)
	out := shaped(n, salt, math.Pow(10, measure.RMS(v)/20), func(bin int) float64 {
		x := float64(bin) * float64(size) / float64(n)
		k := min(int(x), len(power)-1)
		l := min(k+1, len(power)-1)
		part := x - float64(int(x))
		return power[k]*(1-part) + power[l]*part
	})
	// So short a stretch tells little of what is slow in it: its level above the
	// rumble is kept.
	if have, want := highPower(out, rate), highPower(v, rate); have > 0 && want > 0 {
		g := float32(math.Sqrt(want / have))
		for i := range out {
			out[i] *= g
		}
	}
	return out
}

// highPower is the power of a stretch above the rumble. What is before it is its
// mirror, so that the filters have settled.
func highPower(v []float32, rate int) (sum float64) {
	keep := math.Exp(-2 * math.Pi * rumble / float64(rate))
	var p [2]pass
	next := func(s float64) float64 {
		for i := range p {
			p[i].y = keep * (p[i].y + s - p[i].x)
			p[i].x, s = s, p[i].y
		}
		return s
	}
	for i := len(v) - 1; i >= 0; i-- {
		next(float64(v[i]))
	}
	for _, s := range v {
		y := next(float64(s))
		sum += y * y / float64(len(v))
	}
	return sum
}

// shaped is noise of n samples with an RMS, whose power at a bin of its
// spectrum is as given.
func shaped(n int, salt uint64, rms float64, power func(bin int) float64) []float32 {
	rng := rand.New(rand.NewPCG(0x726f6f6d, salt))
	spec := make([]complex128, n/2+1)
	for k := 1; k < n/2; k++ {
		s, c := math.Sincos(2 * math.Pi * rng.Float64())
		a := math.Sqrt(max(power(k), 0))
		spec[k] = complex(a*c, a*s)
	}
	wave := fourier.NewFFT(n).Sequence(nil, spec)
	var sum float64
	for _, x := range wave {
		sum += x * x
	}
	scale := 0.0
	if sum > 0 {
		scale = rms / math.Sqrt(sum/float64(n))
	}
	out := make([]float32, n)
	for i, x := range wave {
		out[i] = float32(x * scale)
	}
	return out
}

// tinted is a texture with its colour corrected, by a filter without phase.
func tinted(v []float32, rate int, t reel.Tint) []float32 {
	n := 1
	for n < len(v) {
		n *= 2
	}
	fft := fourier.NewFFT(n)
	in := make([]float64, n)
	for i := range in { // mirrored beyond its end, so that nothing jumps there
		k := i
		if k >= len(v) {
			k = max(2*len(v)-1-k, 0)
		}
		in[i] = float64(v[k])
	}
	spec := fft.Coefficients(nil, in)
	for k := range spec {
		hz := float64(k) * float64(rate) / float64(n)
		spec[k] *= complex(math.Pow(10, tintAt(t, hz)/20), 0)
	}
	wave := fft.Sequence(nil, spec)
	out := make([]float32, len(v))
	for i := range out {
		out[i] = float32(wave[i] / float64(n))
	}
	return out
}
