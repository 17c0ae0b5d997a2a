package main

import (
	"encoding/json"
	"math"
	"math/rand/v2"
	"os"

	"blendseam/demo"
)

// hiveTake is one recording of Hive Diary.
type hiveTake struct {
	name  string
	voice []string
	floor float64 // of the room, dBFS
	bees  float64 // how much of it is the hive, 0…1
	wet   float64 // how much of the room the microphone hears beside the voice
	tail  float64 // seconds in which the room dies away
	dull  bool    // the voice reaches the microphone round a corner
}

var hiveTakes = []hiveTake{
	{name: "narrator", voice: []string{"-v", "en-gb+f4", "-p", "44"}, floor: -72, wet: 0.06, tail: 0.15},
	{name: "beekeeper near", voice: []string{"-v", "en-gb+m7", "-p", "34"}, floor: -60, bees: 0.8, wet: 0.1, tail: 0.2},
	{name: "beekeeper far", voice: []string{"-v", "en-gb+m7", "-p", "34"}, floor: -57, bees: 0.9, wet: 0.55, tail: 0.3, dull: true},
	{name: "neighbour", voice: []string{"-v", "en-gb+m1", "-p", "58"}, floor: -70, wet: 0.08, tail: 0.18},
}

// hiveDiary computes the recordings of Hive Diary.
func hiveDiary() {
	const folder = "demo/hive/sound"
	lines := demo.HiveScript
	for _, t := range hiveTakes {
		rng := rand.New(rand.NewPCG(uint64(len(t.name)), 17))
		at := int(0.9 * rate)
		var out []float64
		for i := range lines {
			l := &lines[i]
			if l.Take != t.name {
				continue
			}
			v := speak(t.voice, l.Speed, l.Text)
			scale(v, math.Pow(10, demo.HiveLevels[i]/20)/peak(v))
			l.From, l.To = int64(at), int64(at+len(v))
			at += len(v) + int((1.5+0.4*rng.Float64())*rate)
			out = append(out, make([]float64, at-len(out))...)
			add(out, int(l.From), v)
		}
		if t.dull {
			low := lowPass(1600)
			for i, s := range out {
				out[i] = 0.45*s + 0.75*low.next(s)
			}
		}
		out = inRoom(out, t.tail, t.wet)
		for i, s := range hum(rng, len(out), t.floor, t.bees) {
			out[i] += s
		}
		writeTo(folder, t.name, 0, toFloat32(out))
	}
	writeTo(folder, "hive at noon", 0, toFloat32(hum(rand.New(rand.NewPCG(3, 3)), 13*rate, -56, 1)))
	writeTo(folder, "summer tune", 0, tune(26*rate)...)
	text, err := json.MarshalIndent(lines, "", "\t")
	check(err)
	check(os.WriteFile("demo/hive/lines.json", append(text, '\n'), 0o644))
}

// hum is a summer's day at a hive: soft air, and many wings near 230 Hz, each a little
// off and coming and going. The floor is its RMS level in dBFS.
func hum(rng *rand.Rand, n int, floor, bees float64) []float64 {
	air := lowPass(1200)
	out := make([]float64, n)
	type wing struct{ hz, phase, slow, at float64 }
	var wings []wing
	for range 14 {
		wings = append(wings, wing{215 + 40*rng.Float64(), 6 * rng.Float64(), 0.2 + 0.7*rng.Float64(), 6 * rng.Float64()})
	}
	var power float64
	for i := range out {
		t := float64(i) / rate
		x := air.next(rng.NormFloat64()) + 0.02*rng.NormFloat64()
		for k := range wings {
			w := &wings[k]
			w.phase += 2 * math.Pi * w.hz * (1 + 0.004*math.Sin(2*math.Pi*w.slow*t)) / rate
			g := 0.6 + 0.4*math.Sin(2*math.Pi*w.slow*t+w.at)
			x += 0.012 * bees * g * (math.Sin(w.phase) + 0.5*math.Sin(2*w.phase) + 0.2*math.Sin(3*w.phase))
		}
		out[i] = x
		power += x * x
	}
	scale(out, math.Pow(10, floor/20)/math.Sqrt(power/float64(n)))
	return out
}

// tune is plucked strings over a low note, in stereo; nobody plays softer for the voice.
func tune(n int) [][]float32 {
	notes := []float64{293.66, 369.99, 440, 369.99, 329.63, 392, 493.88, 392, 293.66, 349.23, 440, 523.25, 493.88, 440, 392, 329.63}
	out := make([][]float32, 2)
	for side := range out {
		v := make([]float64, n)
		for k := 0; k*rate*3/8 < n; k++ {
			hz := notes[(k*5+k/16)%len(notes)]
			if k%4 == 0 {
				hz /= 2
			}
			at := k * rate * 3 / 8
			pan := 0.5 + 0.3*math.Sin(float64(k)*1.3+float64(side)*math.Pi)
			for i := 0; i < rate*3/2 && at+i < n; i++ {
				t := float64(i) / rate
				env := min(t/0.004, 1) * math.Exp(-t*2.8)
				x := 2 * math.Pi * hz * t
				v[at+i] += 0.2 * env * pan * (math.Sin(x) + 0.4*math.Exp(-t*3)*math.Sin(2*x) + 0.2*math.Exp(-t*6)*math.Sin(3*x))
			}
		}
		for i := range v {
			t := float64(i) / rate
			v[i] += 0.03 * math.Sin(2*math.Pi*73.42*t) * (1 + 0.3*math.Sin(2*math.Pi*0.11*t+float64(side)))
		}
		out[side] = toFloat32(v)
	}
	return out
}
