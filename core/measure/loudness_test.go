package measure

import (
	"math"
	"math/rand/v2"
	"testing"
)

// part is a stretch of a sine: so many seconds at a level in dBFS of its peak.
type part struct{ seconds, db float64 }

// sines are stretches of a sine, one after the other, its phase going on.
func sines(rate int, hz float64, parts ...part) []float32 {
	var out []float32
	n := 0
	for _, p := range parts {
		a := math.Pow(10, p.db/20)
		for range int(p.seconds * float64(rate)) {
			out = append(out, float32(a*math.Sin(2*math.Pi*hz*float64(n)/float64(rate))))
			n++
		}
	}
	return out
}

func integrated(rate int, channels ...[]float32) *Loudness {
	l := NewLoudness(rate, len(channels))
	// In pieces of changing length, as a renderer gives them.
	for at, n := 0, 1; at < len(channels[0]); at, n = at+n, n%7000+611 {
		end := min(at+n, len(channels[0]))
		var piece [][]float32
		for _, c := range channels {
			piece = append(piece, c[at:end])
		}
		l.Add(piece)
	}
	return l
}

// The coefficients at 48 kHz: ITU-R BS.1770-5 annex 1, tables 1 and 2 (from
// memory; ffmpeg's meter holds them too, in the outside test).
func TestKWeightingAt48kHz(t *testing.T) {
	k := newKWeighting(48000)
	for _, c := range []struct {
		what      string
		got, want float64
	}{
		{"shelf b0", k.shelf.b0, 1.53512485958697}, {"shelf b1", k.shelf.b1, -2.69169618940638}, {"shelf b2", k.shelf.b2, 1.19839281085285},
		{"shelf a1", k.shelf.a1, -1.69065929318241}, {"shelf a2", k.shelf.a2, 0.73248077421585},
		{"high a1", k.high.a1, -1.99004745483398}, {"high a2", k.high.a2, 0.99007225036621},
	} {
		if math.Abs(c.got-c.want) > 1e-6 {
			t.Errorf("%s is %.14f, not %.14f", c.what, c.got, c.want)
		}
	}
}

// ITU-R BS.1770: a 997 Hz sine at full scale in one channel reads −3.01. EBU
// Tech 3341 cases 1 to 5: stereo sines of 1 kHz, within 0.1 LU (both from
// memory). At every rate the filters are derived anew.
func TestPublishedLoudness(t *testing.T) {
	for _, rate := range []int{44100, 48000, 96000} {
		one := sines(rate, 997, part{5, 0})
		if got := integrated(rate, one).Integrated(); math.Abs(got+3.01) > 0.02 {
			t.Errorf("%d Hz: a full-scale sine in one channel reads %.3f LUFS", rate, got)
		}
		for name, c := range map[string]struct {
			want  float64
			parts []part
		}{
			"case 1": {-23, []part{{20, -23}}},
			"case 2": {-33, []part{{20, -33}}},
			"case 3": {-23, []part{{10, -36}, {60, -23}, {10, -36}}},
			"case 4": {-23, []part{{10, -72}, {10, -36}, {60, -23}, {10, -36}, {10, -72}}},
			"case 5": {-23, []part{{20, -26}, {20.1, -20}, {20, -26}}},
		} {
			if rate != 48000 && name != "case 4" {
				continue
			}
			v := sines(rate, 1000, c.parts...)
			if got := integrated(rate, v, v).Integrated(); math.Abs(got-c.want) > 0.1 {
				t.Errorf("%d Hz, %s reads %.3f LUFS, not %g", rate, name, got, c.want)
			}
		}
	}
	v := sines(48000, 1000, part{10, -40}, part{4, -20}, part{10, -40})
	l := integrated(48000, v, v)
	if m, s := l.Momentary(), l.ShortTerm(); math.Abs(m+20) > 0.1 || math.Abs(s+20) > 0.1 {
		t.Errorf("the loudest 400 ms read %.2f and the loudest 3 s %.2f LUFS", m, s)
	}
}

func TestLoudnessOfNothing(t *testing.T) {
	for _, n := range []int{0, 100, 19199, 48000} {
		if l := integrated(48000, append(make([]float32, n), 0)); l.Integrated() != NoLoudness || l.Momentary() != NoLoudness {
			t.Errorf("%d samples of silence read %g", n, l.Integrated())
		}
	}
	if p := NewTruePeak(2); p.DB() != Silence {
		t.Error("a peak of nothing")
	}
}

// EBU Tech 3341 true peak cases: sines whose samples miss their peaks read
// −6.0 dBTP, +0.2/−0.4 (from memory): a quarter of the rate at 45°, a sixth at
// 60°, an eighth at 67.5°.
func TestTruePeakBetweenSamples(t *testing.T) {
	for _, c := range []struct{ part, degrees float64 }{{4, 0}, {4, 45}, {6, 60}, {8, 67.5}} {
		v := make([]float32, 9600)
		for i := range v {
			// Eased in and out, so that its ends are no peaks of their own.
			ease := min(float64(i), float64(len(v)-i), 2000) / 2000
			v[i] = float32(0.5 * ease * math.Sin(2*math.Pi*float64(i)/c.part+c.degrees*math.Pi/180))
		}
		p := NewTruePeak(1)
		p.Add([][]float32{v[:17]})
		p.Add([][]float32{v[17:]})
		if got := p.DB(); got > -6.02+0.2 || got < -6.02-0.4 {
			t.Errorf("rate/%g at %g°: %.3f dBTP (its samples reach %.2f)", c.part, c.degrees, got, Peak(v))
		}
	}
}

// Leaving out what cannot be a new peak changes nothing.
func TestTruePeakLeavesNothingOut(t *testing.T) {
	rng := rand.New(rand.NewPCG(4, 4))
	for run := range 200 {
		v := make([]float32, 400)
		for i := range v {
			v[i] = float32(rng.NormFloat64() * math.Pow(10, rng.Float64()*2-2))
			if run%3 == 1 { // and tones, whose peaks are wide
				v[i] = float32(math.Sin(float64(i) * (0.02 + float64(run)/100)))
			}
		}
		p := NewTruePeak(1)
		cut := rng.IntN(len(v))
		p.Add([][]float32{v[:cut]})
		p.Add([][]float32{v[cut:]})
		want := 0.0
		for i := range v {
			want = max(want, math.Abs(float64(v[i])))
			for _, phase := range bank {
				y := 0.0
				for k, h := range phase.taps {
					if at := i - length + 1 + k; at >= 0 {
						y += h * float64(v[at])
					}
				}
				want = max(want, math.Abs(y))
			}
		}
		if math.Abs(p.top-want) > 1e-12 {
			t.Fatalf("peak %g, not %g", p.top, want)
		}
	}
}

// Tenths that are skipped count as silence: the gate leaves them out as it
// would what was there.
func TestSkippedTenths(t *testing.T) {
	v := make([]float32, 10*48000)
	for i := range v {
		if s := i / 48000; s%3 != 2 {
			v[i] = float32(0.1 * math.Sin(float64(i)*0.1))
		}
	}
	whole, parts := NewLoudness(48000, 1), NewLoudness(48000, 1)
	whole.Add([][]float32{v})
	for s := range 10 {
		if s%3 == 2 {
			parts.Skip(10)
		} else {
			parts.Add([][]float32{v[s*48000 : (s+1)*48000]})
		}
	}
	if a, b := whole.Integrated(), parts.Integrated(); math.Abs(a-b) > 0.01 {
		t.Errorf("%.3f LUFS whole, %.3f with the silence skipped", a, b)
	}
	none := NewLoudness(48000, 2)
	none.Skip(50)
	if l := none.Integrated(); l != NoLoudness {
		t.Errorf("skipped alone it reads %g", l)
	}
}

// TestTruePeakAgainstAFinerOne: bursts near and far from half the rate are held
// against a sum of sines whose peak is found 64 times as finely: +0.2/−0.3 dB.
func TestTruePeakAgainstAFinerOne(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 9))
	for _, rate := range []float64{44100, 48000, 96000, 192000} {
		for range 40 {
			type sine struct{ hz, phase, level float64 }
			var all []sine
			for range 1 + rng.IntN(4) {
				all = append(all, sine{200 + rng.Float64()*(min(0.453*rate, 20000)-200), rng.Float64() * 2 * math.Pi, rng.Float64()})
			}
			at := func(sample float64) (y float64) { // eased, so that its ends are no peaks of their own
				ease := math.Pow(math.Sin(math.Pi*sample/2000), 2)
				for _, s := range all {
					y += 0.2 * s.level * math.Sin(2*math.Pi*s.hz*sample/rate+s.phase)
				}
				return y * ease
			}
			v, want := make([]float32, 2000), 0.0
			for i := range v {
				v[i] = float32(at(float64(i)))
			}
			for i := range 2000 * 64 {
				want = max(want, math.Abs(at(float64(i)/64)))
			}
			p := NewTruePeak(1)
			p.Add([][]float32{v})
			if d := p.DB() - 20*math.Log10(want); d > 0.2 || d < -0.3 {
				t.Errorf("%.0f Hz: %.2f dB off", rate, d)
			}
		}
	}
}

// TestLoudnessRange: the synthetic cases of EBU Tech 3342, from memory: stereo
// sines of 1 kHz, 20 s at each level, read 10, 5, 20 and 15 LU ±1.
func TestLoudnessRange(t *testing.T) {
	for _, c := range []struct {
		levels []float64
		want   float64
	}{{[]float64{-20, -30}, 10}, {[]float64{-20, -15}, 5}, {[]float64{-40, -20}, 20}, {[]float64{-50, -35, -20, -35, -50}, 15}} {
		l := NewLoudness(48000, 2)
		for _, db := range c.levels {
			v := make([]float32, 20*48000)
			for i := range v {
				v[i] = float32(math.Pow(10, db/20) * math.Sin(2*math.Pi*1000*float64(i)/48000))
			}
			l.Add([][]float32{v, v})
		}
		if got := l.Range(); math.Abs(got-c.want) > 1 {
			t.Errorf("%v: %.1f LU instead of %.0f", c.levels, got, c.want)
		}
	}
}

// TestMomentaryInFineSteps: EBU Tech 3341 case 13, from memory: a tone of 400 ms
// that begins at any hundredth of a second reads −23 LUFS ±0.1.
func TestMomentaryInFineSteps(t *testing.T) {
	for k := range 20 {
		v := make([]float32, 2*48000)
		from := 24000 + k*240
		for i := from; i < from+19200; i++ {
			v[i] = float32(math.Pow(10, -23.0/20) * math.Sin(2*math.Pi*1000*float64(i)/48000))
		}
		l := NewLoudness(48000, 2)
		l.Add([][]float32{v, v})
		if got := l.Momentary(); math.Abs(got+23) > 0.15 {
			t.Errorf("begun %d samples late: %.2f LUFS", k*240, got)
		}
	}
}

// TestGateFarDown: what is quiet all through is gated at −70 LUFS and no lower:
// of −65 LUFS for a minute, then −75 for as long, the second is left out.
func TestGateFarDown(t *testing.T) {
	l := NewLoudness(48000, 2)
	for _, db := range []float64{-65, -75} {
		v := make([]float32, 60*48000)
		for i := range v {
			v[i] = float32(math.Pow(10, db/20) * math.Sin(2*math.Pi*1000*float64(i)/48000))
		}
		l.Add([][]float32{v, v})
	}
	if got := l.Integrated(); math.Abs(got+65) > 0.1 {
		t.Errorf("%.2f LUFS", got)
	}
}

// The laps of a sine whose peak stays at −1.2 dBTP all find that, wherever they begin:
// what sounds before is not forgotten, which would ring.
func TestTruePeakInLaps(t *testing.T) {
	for _, hz := range []float64{20, 997, 9000} {
		v := sines(48000, hz, part{4, -1.2})
		p := NewTruePeak(1)
		p.Add([][]float32{v[:4801]}) // it begins with a step
		p.Lap()
		for at := 4801; at+9001 <= len(v); at += 9001 {
			p.Add([][]float32{v[at : at+9001]})
			db := p.Lap()
			if math.Abs(db+1.2) > 0.06 {
				t.Errorf("%g Hz: a lap from %d peaks at %.2f dBTP", hz, at, db)
			}
		}
	}
}
