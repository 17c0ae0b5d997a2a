// Package pace lets sound be heard at another speed.
//
// At half and at double speed the pitch stays: short stretches are laid over one
// another, each where it goes on best from the one before (W. Verhelst and M. Roelands,
// "An overlap-add technique based on waveform similarity (WSOLA) for high quality
// time-scale modification of speech", ICASSP 1993). It is for finding a place and for
// listening closely; nothing is exported so.
package pace

import (
	"fmt"
	"math"
)

// Source gives a sound of two channels from a place on; what lies outside is silence.
type Source func(left, right []float32, from int64) error

// The speeds at which a sound can be heard. Backwards it is as it is, turned round.
const (
	Half      = 0.5
	Double    = 2.0
	Backwards = -1.0
)

// Check returns an error unless the speed is one of those.
func Check(speed float64) error {
	if speed != Half && speed != Double && speed != Backwards && speed != 1 {
		return fmt.Errorf("a reel plays at 0.5, 1 or 2 times its speed, or at −1, backwards; not at %g", speed)
	}
	return nil
}

// Stream is a sound at a speed from a place on. Its samples are counted from there.
// They are reckoned in pieces of a fixed number of grains, so that a stretch in parts is
// the stretch whole. It is not safe for concurrent use.
type Stream struct {
	source      Source
	start       int64
	speed       float64
	hop         int64 // samples from one grain to the next, half of a grain
	reach       int64 // how far a grain looks for its place, either way
	window      []float32
	piece       int64
	have        bool
	left, right []float32
}

const (
	grains    = 32   // in a piece
	grain     = 0.04 // seconds: two periods of the lowest voices
	searching = 0.01 // seconds either way: a period of them
	coarse    = 4    // samples from one that is compared to the next
)

// New is a sound from a place on, at a speed that [Check] knows and a rate in hertz.
func New(source Source, rate int, start int64, speed float64) *Stream {
	s := &Stream{source: source, start: start, speed: speed, hop: int64(grain * float64(rate) / 2), reach: int64(searching * float64(rate))}
	s.window = make([]float32, 2*s.hop)
	for i := range s.window {
		s.window[i] = float32(0.5 - 0.5*math.Cos(2*math.Pi*float64(i)/float64(len(s.window))))
	}
	s.left, s.right = make([]float32, grains*s.hop), make([]float32, grains*s.hop)
	return s
}

// Read fills left and right from a sample of the stream on.
func (s *Stream) Read(left, right []float32, from int64) error {
	if s.speed == Backwards {
		n := int64(len(left))
		if err := s.source(left, right, s.start-from-n); err != nil {
			return err
		}
		for i, k := 0, len(left)-1; i < k; i, k = i+1, k-1 {
			left[i], left[k] = left[k], left[i]
			right[i], right[k] = right[k], right[i]
		}
		return nil
	}
	size := int64(len(s.left))
	for done := int64(0); done < int64(len(left)); {
		at := from + done
		k := at / size
		if at < 0 {
			k = (at - size + 1) / size
		}
		if !s.have || s.piece != k {
			if err := s.reckon(k); err != nil {
				return err
			}
		}
		lo := at - k*size
		n := min(size-lo, int64(len(left))-done)
		copy(left[done:done+n], s.left[lo:])
		copy(right[done:done+n], s.right[lo:])
		done += n
	}
	return nil
}

// reckon makes a piece. Its first grain and that after its last lie where they should
// by the speed alone, so that pieces fit each other.
func (s *Stream) reckon(k int64) error {
	s.have = false
	first := k * grains
	centre := func(g int64) int64 { return s.start + int64(math.Round(float64((first+g)*s.hop)*s.speed)) }
	from := centre(0) - s.hop - s.reach
	n := centre(grains) + 2*s.hop + s.reach - from
	in := [2][]float32{make([]float32, n), make([]float32, n)}
	if err := s.source(in[0], in[1], from); err != nil {
		return err
	}
	mono := make([]float32, n/coarse+1)
	for i := range mono {
		if p := i * coarse; p < len(in[0]) {
			mono[i] = in[0][p] + in[1][p]
		}
	}
	clear(s.left)
	clear(s.right)
	at := centre(0)
	for g := int64(0); g <= grains; g++ {
		if g > 0 {
			if want := centre(g); g == grains {
				at = want
			} else {
				at = s.best(mono, at+s.hop-from, want-from) + from
			}
		}
		s.lay(in, at-from-s.hop, (g-1)*s.hop)
	}
	s.piece, s.have = k, true
	return nil
}

// lay adds a grain that begins at a sample of what was read, where it begins in the
// piece.
func (s *Stream) lay(in [2][]float32, src, dst int64) {
	for i, w := range s.window {
		if p := dst + int64(i); p >= 0 && p < int64(len(s.left)) {
			s.left[p] += w * in[0][src+int64(i)]
			s.right[p] += w * in[1][src+int64(i)]
		}
	}
}

// best is where a grain near its place goes on best as another would: by the normalised
// correlation of both, of every fourth sample.
func (s *Stream) best(mono []float32, as, want int64) int64 {
	a, n := (as-s.hop)/coarse, 2*s.hop/coarse
	like := mono[a : a+n]
	out, most := want, math.Inf(-1)
	for d := -s.reach; d <= s.reach; d += coarse {
		b := (want + d - s.hop) / coarse
		v := mono[b : b+n]
		var xy, yy float32
		for i, x := range like {
			xy += x * v[i]
			yy += v[i] * v[i]
		}
		score := float64(xy) / math.Sqrt(float64(yy)+1e-12)
		// Of those that are as good the nearest is taken.
		if score > most+1e-9 || score > most-1e-9 && abs(d) < abs(out-want) {
			out, most = want+d, max(score, most)
		}
	}
	return out
}

func abs(v int64) int64 { return max(v, -v) }
