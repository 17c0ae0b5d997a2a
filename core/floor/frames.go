// Package floor hears the room under a recording: where nobody speaks, how loud
// it is there in octave bands, and how sure that is.
//
// A recording is summed up once in frames of 10 ms (Analyser), which are kept
// beside it like its overview. From them Hear tells the room around any place.
package floor

import "math"

// Bands is the number of octave bands of a frame. The highest ends at half the
// rate, or at half of that from 88.2 kHz on; the lowest begins at 188 Hz (at 48
// and 96 kHz) or 172 Hz: what lies below is direct current, rumble and handling
// noise, which heave too slowly to be told from a room within a pause.
const Bands = 7

// Frame are the powers of 20 ms in octave bands, the lowest first, each as a
// byte: 0.5 dB a step, 1 for −127 dBFS or less, 255 for 0 dBFS or more. A frame
// of zeros is digital silence, or holds 10 ms of it.
type Frame [Bands]byte

// Silent reports whether the frame is digital silence.
func (f Frame) Silent() bool { return f == Frame{} }

// powers of the bytes.
var powers = func() (out [256]float64) {
	for i := 1; i < len(out); i++ {
		out[i] = math.Pow(10, (float64(i)-255)/20)
	}
	return out
}()

func byteOf(p float64) byte {
	if !(p > powers[1]) { // also what is not a number
		return 1
	}
	return byte(min(255.5+20*math.Log10(p), 255))
}

// Encode writes frames as they are kept: their bytes one after the other.
func Encode(f []Frame) []byte {
	out := make([]byte, 0, len(f)*Bands)
	for i := range f {
		out = append(out, f[i][:]...)
	}
	return out
}

// Decode reads what Encode wrote; what is left of a frame that is cut off is
// left out.
func Decode(b []byte) []Frame {
	out := make([]Frame, len(b)/Bands)
	for i := range out {
		copy(out[i][:], b[i*Bands:])
	}
	return out
}

// Hop is the number of samples from one frame to the next: 10 ms.
func Hop(rate int) int { return rate / 100 }

// Octave are the edges of a band at a rate, in hertz.
func Octave(rate, band int) (low, high float64) {
	top := float64(rate) / 2
	if rate > 50000 {
		top /= 2
	}
	high = top / float64(int(1)<<(Bands-1-band))
	return high / 2, high
}

// sum is what a band holds of a hop.
type sum struct {
	power float64
	n     int
}

// Analyser sums up one channel while its samples go by.
type Analyser struct {
	hop     int
	skip    int // halves that lie above what is heard
	at      int // samples in the hop that is being filled
	zero    bool
	begun   bool
	splits  []halfband
	buf     []float64
	now     [Bands]sum
	last    [Bands]sum
	wasZero bool
	hops    int
	done    []Frame
}

// NewAnalyser is an analyser for a rate in hertz.
func NewAnalyser(rate int) *Analyser {
	a := &Analyser{hop: Hop(rate), zero: true}
	if rate > 50000 {
		a.skip = 1
	}
	a.splits, a.buf = make([]halfband, Bands+a.skip), make([]float64, a.hop)
	return a
}

// Add takes the next samples.
func (a *Analyser) Add(v []float32) {
	if !a.begun && len(v) > 0 { // direct current is there from the first sample on
		a.begun = true
		for i := range a.splits {
			a.splits[i].settle(held(v[0]))
		}
	}
	for len(v) > 0 {
		n := min(a.hop-a.at, len(v))
		w := a.buf[:n]
		for i, x := range v[:n] {
			w[i] = held(x)
			if x != 0 {
				a.zero = false
			}
		}
		for k := range a.splits {
			var power float64
			var m int
			w, power, m = a.splits[k].part(w)
			if b := Bands - 1 - k + a.skip; b < Bands {
				a.now[b].power += power
				a.now[b].n += m
			}
		}
		v = v[n:]
		if a.at += n; a.at == a.hop {
			a.close()
		}
	}
}

// held is a sample within 12 dB over full scale: what is beyond that, or not a
// number, would sound in the filters for seconds.
func held(x float32) float64 {
	switch {
	case x > 4:
		return 4
	case x < -4:
		return -4
	case x != x:
		return 0
	}
	return float64(x)
}

// close ends a hop: with the one before it, it makes a frame.
func (a *Analyser) close() {
	if a.hops > 0 {
		a.done = append(a.done, a.frame())
	}
	a.hops++
	a.last, a.wasZero = a.now, a.zero
	a.now, a.zero, a.at = [Bands]sum{}, true, 0
	for i := range a.splits {
		a.splits[i].calm()
	}
}

// frame is made of the last two hops.
func (a *Analyser) frame() (f Frame) {
	if a.wasZero || a.zero {
		return f
	}
	for b := range f {
		n := a.last[b].n + a.now[b].n
		if n == 0 {
			f[b] = 1
			continue
		}
		f[b] = byteOf((a.last[b].power + a.now[b].power) / float64(n))
	}
	return f
}

// Take returns the finished frames and forgets them.
func (a *Analyser) Take() []Frame {
	out := a.done
	a.done = nil
	return out
}
