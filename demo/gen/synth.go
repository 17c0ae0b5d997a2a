package main

import (
	"math"
	"math/rand/v2"
)

// onePole is a first-order low-pass filter.
type onePole struct{ a, y float64 }

func lowPass(hz float64) *onePole { return &onePole{a: 1 - math.Exp(-2*math.Pi*hz/rate)} }

func (f *onePole) next(x float64) float64 {
	f.y += f.a * (x - f.y)
	return f.y
}

// room is air and a fan: noise that falls towards the treble, and hum at the
// blades' rate that wavers a little. The floor is its RMS level in dBFS.
func room(rng *rand.Rand, n int, floor, fan float64) []float32 {
	air, rumble, waver := lowPass(900), lowPass(110), lowPass(0.8)
	out := make([]float64, n)
	var phase, power float64
	for i := range out {
		w := rng.NormFloat64()
		hz := 98 * (1 + 0.4*waver.next(rng.NormFloat64()))
		phase += 2 * math.Pi * hz / rate
		hum := math.Sin(phase) + 0.6*math.Sin(2*phase) + 0.25*math.Sin(3*phase+1) + 0.12*math.Sin(7*phase)
		out[i] = air.next(w) + 0.03*w + 1.5*rumble.next(rng.NormFloat64()) + 0.12*fan*hum
		power += out[i] * out[i]
	}
	scale(out, math.Pow(10, floor/20)/math.Sqrt(power/float64(n)))
	return toFloat32(out)
}

// inRoom adds early reflections and a tail that dies away: four combs and two
// all-passes, after M. R. Schroeder, "Natural sounding artificial
// reverberation" (1962); delays from memory.
func inRoom(dry []float64, seconds, wet float64) []float64 {
	out := make([]float64, len(dry))
	for _, d := range []int{1426, 1781, 1973, 2098} {
		g := math.Pow(10, -3*float64(d)/rate/seconds)
		buf := make([]float64, d)
		damp := lowPass(3500)
		for i, s := range dry {
			y := buf[i%d]
			buf[i%d] = s + g*damp.next(y)
			out[i] += y / 4
		}
	}
	for _, d := range []int{240, 82} {
		buf := make([]float64, d)
		for i, s := range out {
			y := buf[i%d]
			buf[i%d] = s + 0.7*y
			out[i] = y - 0.7*buf[i%d]
		}
	}
	for i, s := range dry {
		out[i] = s*(1-wet/3) + out[i]*wet
		for _, r := range [][2]int{{331, 3}, {907, 4}, {1511, 6}} {
			if i >= r[0] {
				out[i] += dry[i-r[0]] * wet / float64(r[1])
			}
		}
	}
	return out
}

// creak is a wooden chair that takes weight: a train of small knocks that ring.
func creak(rng *rand.Rand) []float64 {
	out := make([]float64, rate*6/10)
	at := 0.0
	for k := 0; at < 0.55; k++ {
		hz := 620 + 260*at + 40*rng.Float64()
		for i := range rate / 20 {
			if j := int(at*rate) + i; j < len(out) {
				t := float64(i) / rate
				out[j] += 0.035 * math.Exp(-t*160) * (math.Sin(2*math.Pi*hz*t) + 0.5*math.Sin(2*math.Pi*hz*2.7*t))
			}
		}
		at += 0.012 + 0.01*math.Sin(float64(k)) + 0.006*rng.Float64()
	}
	return out
}

// thump is a hand on the cable.
func thump(rng *rand.Rand) []float64 {
	out := make([]float64, rate/3)
	low := lowPass(140)
	for i := range out {
		t := float64(i) / rate
		out[i] = 0.5 * math.Exp(-t*14) * (low.next(rng.NormFloat64()) + 0.06*math.Sin(2*math.Pi*47*t))
	}
	return out
}

// music is a slow bed of four chords in stereo.
func music(n int) [][]float32 {
	chords := [][]float64{{110, 164.81, 220, 261.63}, {87.31, 130.81, 220, 261.63}, {130.81, 196, 246.94, 329.63}, {98, 146.83, 246.94, 293.66}}
	out := make([][]float32, 2)
	for side := range out {
		v := make([]float64, n)
		length := n / len(chords)
		for c, chord := range chords {
			for k, hz := range chord {
				for i := range length + rate {
					j := c*length + i
					if j >= n {
						break
					}
					t := float64(i) / rate
					env := min(t/1.2, 1) * min(max(float64(length+rate-i)/rate, 0), 1)
					wob := 1 + 0.002*math.Sin(2*math.Pi*(0.13+0.05*float64(k))*t+float64(side))
					x := 2 * math.Pi * hz * t * wob
					pan := 0.5 + 0.35*math.Sin(float64(k)*1.7+float64(side)*math.Pi)
					v[j] += 0.06 * env * pan * (math.Sin(x) + 0.3*math.Sin(2*x+0.4) + 0.12*math.Sin(3*x) + 0.05*math.Sin(4.01*x))
				}
			}
		}
		out[side] = toFloat32(v)
	}
	return out
}

// spots are single sounds a second or two apart: a can set down, a door, two
// matches and a heater that catches, drips.
func spots() []float32 {
	rng := rand.New(rand.NewPCG(8, 8))
	out := make([]float64, 14*rate)
	ring := func(at, seconds, level float64, partials ...float64) {
		v := make([]float64, int(seconds*rate))
		for k, hz := range partials {
			for i := range v {
				t := float64(i) / rate
				v[i] += level * math.Exp(-t*(7+4*float64(k))) * math.Sin(2*math.Pi*hz*t) / float64(k+1)
			}
		}
		add(out, int(at*rate), v)
	}
	burst := func(at, rise, fall, level, hz float64) {
		low := lowPass(hz)
		v := make([]float64, int((rise+fall*5)*rate))
		for i := range v {
			t := float64(i) / rate
			env := math.Exp(-max(t-rise, 0) / fall)
			if t < rise {
				env = t / rise
			}
			v[i] = level * env * low.next(rng.NormFloat64())
		}
		add(out, int(at*rate), v)
	}
	ring(0.3, 0.9, 0.2, 410, 983, 1710, 2890) // can
	burst(0.3, 0.001, 0.02, 0.5, 1800)
	ring(2.5, 0.7, 0.25, 71, 143, 208) // door
	burst(2.5, 0.002, 0.06, 0.9, 500)
	burst(2.75, 0.001, 0.015, 0.4, 3000)
	burst(5.0, 0.02, 0.09, 0.35, 7000) // match, twice
	burst(5.9, 0.02, 0.12, 0.4, 7000)
	burst(7.2, 0.12, 0.5, 0.5, 260) // heater
	burst(7.25, 0.3, 0.6, 0.08, 2500)
	for k := range 4 { // drips
		ring(11+0.6*float64(k)+0.1*rng.Float64(), 0.12, 0.12, 1250+120*rng.Float64(), 2620)
	}
	for i, s := range room(rng, len(out), -62, 0.3) {
		out[i] += float64(s)
	}
	return toFloat32(out)
}
