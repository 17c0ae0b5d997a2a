package roomtone

import (
	"math"

	"blendseam/core/measure"
)

// room is a made-up room: the levels of its third-octave bands at a few
// frequencies, between which it goes straight over the octaves, in dB; and how
// loud all of it is.
type room struct {
	level float64 // dBFS
	at    []point
}

type point struct{ hz, db float64 }

// The made-up rooms are invented: their spectra are the kind that such places
// have by common practice, not measurements of any.
var rooms = map[string]room{
	"small dry room":   {-62, []point{{40, -4}, {125, 0}, {500, -8}, {2000, -16}, {8000, -24}, {16000, -34}}},
	"living room":      {-58, []point{{40, 2}, {100, 3}, {200, 0}, {1000, -10}, {4000, -20}, {16000, -36}}},
	"large hall":       {-55, []point{{30, 6}, {80, 4}, {250, -1}, {1000, -9}, {4000, -22}, {12000, -40}}},
	"office with fans": {-50, []point{{40, -4}, {120, 4}, {250, 2}, {600, 0}, {1500, -5}, {5000, -14}, {16000, -30}}},
	"night outdoors":   {-60, []point{{40, 0}, {150, -4}, {1000, -10}, {3000, -10}, {4500, -4}, {6000, -9}, {16000, -22}}},
	"vehicle at rest":  {-52, []point{{30, 10}, {60, 8}, {125, 3}, {400, -7}, {2000, -19}, {8000, -32}}},
}

// band is the level of the third octave around a frequency, in dB.
func (r room) band(hz float64) float64 {
	p := r.at
	if hz <= p[0].hz {
		return p[0].db
	}
	for i := 1; i < len(p); i++ {
		if hz <= p[i].hz {
			x := math.Log2(hz/p[i-1].hz) / math.Log2(p[i].hz/p[i-1].hz)
			return p[i-1].db + x*(p[i].db-p[i-1].db)
		}
	}
	return p[len(p)-1].db - 12*math.Log2(hz/p[len(p)-1].hz)
}

// madeUp is the texture of a made-up room.
func madeUp(name string, rate int) []float32 {
	r, n := rooms[name], noiseSize(rate)*2
	salt := uint64(1)
	for _, c := range name {
		salt = salt*31 + uint64(c)
	}
	return shaped(n, salt, math.Pow(10, r.level/20), func(bin int) float64 {
		hz := float64(bin) * float64(rate) / float64(n)
		if hz < 20 {
			return 0
		}
		// A third octave is as wide as its frequency is high: its power is spread
		// over so many bins.
		return math.Pow(10, r.band(hz)/10) / hz
	})
}

// roomBands are a made-up room's levels as a measurement of it reads.
func roomBands(name string, rate int) measure.Bands {
	v := madeUp(name, rate)
	s := measure.NewSpectrum(rate)
	var starts []int
	for at := 0; at+s.Segment() <= len(v); at += s.Segment() {
		starts = append(starts, at)
	}
	return s.Of(v, starts)
}

// roomLevel is a made-up room's level above the rumble, as rooms are measured.
func roomLevel(name string, rate int) float64 {
	v := madeUp(name, rate)
	return measure.Level(average(levelFrames(rate, [][]float32{v[:min(len(v), 2*rate)]})))
}
