package roomtone

import (
	"errors"
	"math"
	"os"
	"strings"
	"testing"

	"gonum.org/v1/gonum/dsp/fourier"

	"blendseam/core/measure"
	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/outside"
)

const rate = 48000

// pink is pink noise as sox makes it, at a level in dBFS.
func pink(t testing.TB, seconds string, channels string) sound.Memory {
	t.Helper()
	raw := outside.Floats(outside.Run(t, nil, "sox", "-R", "-n", "-r", "48000", "-c", channels, "-t", "f32", "-", "synth", seconds, "pinknoise", "gain", "-40"))
	k := int(channels[0] - '0')
	out := make(sound.Memory, k)
	for i, v := range raw {
		out[i%k] = append(out[i%k], v)
	}
	return out
}

// grow grows a bed of a whole recording.
func grow(t testing.TB, m sound.Memory, seed int64) *Bed {
	t.Helper()
	right := -1
	if len(m) > 1 {
		right = 1
	}
	b, err := Grow(reel.Source{Right: right, Length: 24 * 3600 * rate, Bed: reel.Bed{To: m.Len(), Seed: seed}}, rate, m)
	if err != nil {
		t.Fatal(err)
	}
	return b
}

func take(t testing.TB, r sound.Reader, ch int, from, n int64) []float32 {
	t.Helper()
	v := make([]float32, n)
	if err := r.ReadAt(v, ch, from); err != nil {
		t.Fatal(err)
	}
	return v
}

func bandsOf(v []float32, hz int) measure.Bands {
	s := measure.NewSpectrum(hz)
	return s.Of(v, every(len(v), s.Segment()))
}

// strongest is the largest normalised autocorrelation beyond 50 ms, up to 3 s.
func strongest(v []float32) float64 {
	n := 1
	for n < 2*len(v) {
		n *= 2
	}
	fft := fourier.NewFFT(n)
	in := make([]float64, n)
	for i, s := range v {
		in[i] = float64(s)
	}
	spec := fft.Coefficients(nil, in)
	for i, c := range spec {
		spec[i] = complex(real(c)*real(c)+imag(c)*imag(c), 0)
	}
	ac := fft.Sequence(nil, spec)
	most := 0.0
	for lag := rate / 20; lag < 3*rate; lag++ {
		most = max(most, math.Abs(ac[lag])/ac[0]*float64(len(v))/float64(len(v)-lag))
	}
	return most
}

// spread is how far the level over 400 ms goes from that of the whole.
func spread(v []float32) (most float64) {
	whole := measure.RMS(v)
	for at := 0; at+rate*2/5 <= len(v); at += rate / 10 {
		most = max(most, math.Abs(measure.RMS(v[at:at+rate*2/5])-whole))
	}
	return most
}

// swatches are recordings of rooms and noise to grow beds of: pink noise by
// sox, the recorded pink noise of Debian's alsa-utils, and the breath of the
// line between two words of its recorded voices.
func swatches(t testing.TB) map[string]sound.Memory {
	out := map[string]sound.Memory{"pink, 1 s": pink(t, "1", "1"), "pink, 6 s": pink(t, "6", "1")}
	out["brown, 2 s"] = sound.Memory{outside.Floats(outside.Run(t, nil, "sox", "-R", "-n", "-r", "48000", "-c", "1", "-t", "f32", "-", "synth", "2", "brownnoise", "highpass", "60", "gain", "-40"))}
	const noise = "/usr/share/sounds/alsa/Noise.wav"
	if _, err := os.Stat(noise); err != nil {
		t.Fatal("alsa-utils is missing; scripts/setup.sh test installs it")
	}
	v := outside.Floats(outside.FFmpeg(t, "-i", noise, "-ac", "1", "-ar", "48000", "-f", "f32le", "-"))
	out["recorded noise"] = sound.Memory{v[len(v)/10 : len(v)/10+rate*9/10]}
	return out
}

// The limits are those of the job, after common practice: third octaves within
// 1 dB, 400 ms within 1 dB or the swatch's own spread and half a dB, and no
// echo of itself. A plain loop of the same swatch fails the last.
func TestABedIsItsSwatchWithoutALoop(t *testing.T) {
	for name, m := range swatches(t) {
		b := grow(t, m, 1)
		v := take(t, b, 0, 30*rate, 20*rate)
		was, is := bandsOf(m[0], rate), bandsOf(v, rate)
		for k, hz := range measure.BandCentres {
			// A short swatch has few cycles of a low band: its own figure is as
			// unsure as a chi-squared of that many degrees of freedom.
			unsure := 2 * 4.34 / math.Sqrt(0.23*hz*float64(len(m[0]))/rate)
			if d := math.Abs(is[k] - was[k]); d > max(1, unsure) {
				t.Errorf("%s: the band of %.0f Hz is %.2f dB off", name, hz, d)
			}
		}
		if d := math.Abs(measure.RMS(v) - measure.RMS(m[0])); d > 0.5 {
			t.Errorf("%s: the level is %.2f dB off", name, d)
		}
		if got, limit := spread(v), max(1, spread(m[0])+0.5); got > limit {
			t.Errorf("%s: 400 ms go up to %.2f dB from the whole, limit %.2f", name, got, limit)
		}
		loop := make([]float32, len(v))
		for i := range loop {
			loop[i] = m[0][i%len(m[0])]
		}
		if got := strongest(v); got > 0.3 && !strings.HasPrefix(name, "brown") {
			t.Errorf("%s: it is like itself by %.2f", name, got)
		}
		if m.Len() < 3*rate && strongest(loop) < 0.8 {
			t.Errorf("%s: the plain loop is like itself by %.2f only; the test tells nothing", name, strongest(loop))
		}
		t.Logf("%s: likeness to itself %.2f (loop %.2f), 400 ms within %.2f dB", name, strongest(v), strongest(loop), spread(v))
	}
}

// Any part of a bed is the part of the whole, bit for bit; the same seed gives
// the same, another another.
func TestABedIsAFunctionOfItsPlace(t *testing.T) {
	m := pink(t, "1", "2")
	for _, stereo := range []bool{false, true} {
		own := m
		if !stereo {
			own = m[:1]
		}
		a, b, c := grow(t, own, 7), grow(t, own, 7), grow(t, own, 8)
		from := int64(11 * rate)
		whole := take(t, a, len(own)-1, from, 30*rate)
		for at := int64(29 * rate); at >= 0; at -= 7777 { // backwards, and over the pages' ends
			part := take(t, b, len(own)-1, from+at, min(1000, 30*rate-at))
			for i, s := range part {
				if s != whole[at+int64(i)] {
					t.Fatalf("sample %d differs when it is rendered by itself", at+int64(i))
				}
			}
		}
		other, same := take(t, c, len(own)-1, from, 30*rate), 0
		for i := range other {
			if other[i] == whole[i] {
				same++
			}
		}
		if same > len(other)/100 {
			t.Errorf("another seed gives %d of the same samples", same)
		}
		if far := take(t, a, 0, 23*3600*rate, rate); measure.RMS(far) < -60 {
			t.Error("nothing is heard after 23 hours")
		}
		if v := take(t, a, 0, -10, 20); v[0] != 0 {
			t.Error("something is heard before the bed begins")
		}
	}
}

// A hum is blended in step: it neither dips nor swells where grains meet.
func TestAHumGoesOn(t *testing.T) {
	v := make([]float32, 2*rate)
	noise := pink(t, "2", "1")[0]
	for i := range v {
		v[i] = float32(0.01*math.Sin(2*math.Pi*100*float64(i)/rate)) + noise[i]*0.2
	}
	b := grow(t, sound.Memory{v}, 1)
	got := take(t, b, 0, 40*rate, 30*rate)
	course := measure.Course(rate/25, rate/100, got)
	mean := measure.RMS(got)
	for i, l := range course[4 : len(course)-4] {
		if math.Abs(l-mean) > 2.5 {
			t.Fatalf("at %.2f s the hum is %.1f dB off", float64(i+4)/100, l-mean)
		}
	}
}

func TestShortSilentAndUnevenSwatches(t *testing.T) {
	m := pink(t, "1", "1")
	for _, ms := range []int{1, 5, 20, 120, 480} {
		short := sound.Memory{m[0][:ms*rate/1000]}
		b := grow(t, short, 1)
		if !b.Synthesised {
			t.Errorf("%d ms: nobody says that it was synthesised", ms)
		}
		v := take(t, b, 0, 30*rate, 10*rate)
		own := append([]float32(nil), short[0]...)
		centre(own)
		if d := math.Abs(measure.RMS(v) - measure.RMS(own)); d > 1 {
			t.Errorf("%d ms: the level is %.2f dB off", ms, d)
		}
		if got := strongest(v); got > 0.3 {
			t.Errorf("%d ms: it is like itself by %.2f", ms, got)
		}
		if ms >= 120 { // bands that it has a few cycles of
			was, is := bandsOf(append(own, make([]float32, rate/5)...), rate), bandsOf(v, rate)
			step := measure.RMS(v) - measure.RMS(append(own, make([]float32, rate/5)...))
			for k := 8; k < len(was); k++ {
				if d := math.Abs(is[k] - was[k] - step); d > 3.5 {
					t.Errorf("%d ms: the band of %.0f Hz is %.1f dB off", ms, measure.BandCentres[k], d)
				}
			}
		}
	}
	// Pink noise has no slope from band to band: −3 dB an octave in density.
	b := grow(t, sound.Memory{pink(t, "1", "1")[0][:rate/4]}, 1)
	if s := slope(bandsOf(take(t, b, 0, 0, 20*rate), rate)); math.Abs(s) > 0.5 {
		t.Errorf("pink noise, shaped from 250 ms, slopes by %.2f dB an octave", s)
	}
	_, err := Grow(reel.Source{Right: -1, Length: rate, Bed: reel.Bed{To: rate, Seed: 1}}, rate, sound.Memory{make([]float32, rate)})
	if !errors.Is(err, ErrSilent) {
		t.Errorf("digital silence as a swatch: %v", err)
	}
	// What is digital silence in part is grown of the rest; direct current and
	// a slow drift are left out.
	v := append(make([]float32, rate/2), pink(t, "2", "1")[0]...)
	for i := range v[rate/2:] {
		v[rate/2+i] = v[rate/2+i]*float32(math.Pow(10, -2*float64(i)/float64(4*rate)/20)) + 0.2
	}
	got := take(t, grow(t, sound.Memory{v}, 1), 0, 30*rate, 10*rate)
	var sum float64
	for _, s := range got {
		sum += float64(s)
	}
	if dc := sum / float64(len(got)); math.Abs(dc) > 0.001 {
		t.Errorf("direct current of %.4f is left", dc)
	}
	if s := spread(got); s > 1 {
		t.Errorf("400 ms go up to %.2f dB from the whole", s)
	}
}

func TestMonoSwatchesMakeWideBedsAndBack(t *testing.T) {
	m := pink(t, "3", "2")
	wide, err := Grow(reel.Source{Right: 0, Length: 60 * rate, Bed: reel.Bed{To: 3 * rate, Seed: 1}}, rate, m)
	if err != nil || wide.Channels() != 2 {
		t.Fatal(err, wide.Channels())
	}
	l, r := take(t, wide, 0, 0, 20*rate), take(t, wide, 1, 0, 20*rate)
	var xy, xx, yy float64
	for i := range l {
		xy, xx, yy = xy+float64(l[i])*float64(r[i]), xx+float64(l[i])*float64(l[i]), yy+float64(r[i])*float64(r[i])
	}
	if c := math.Abs(xy) / math.Sqrt(xx*yy); c > 0.1 {
		t.Errorf("both sides are alike by %.2f", c)
	}
	// A stereo swatch keeps its image: grains are taken at the same places.
	both := sound.Memory{m[0], m[0]}
	b := grow(t, both, 1)
	l, r = take(t, b, 0, 0, 5*rate), take(t, b, 1, 0, 5*rate)
	for i := range l {
		if l[i] != r[i] {
			t.Fatal("the image of a stereo swatch is torn")
		}
	}
	mono, err := Grow(reel.Source{Right: -1, Left: 1, Length: rate, Bed: reel.Bed{To: 3 * rate, Seed: 1}}, rate, m)
	if err != nil || mono.Channels() != 1 {
		t.Error("a stereo swatch in a mono place", err)
	}
}

func TestMadeUpRoomsAndTints(t *testing.T) {
	if len(rooms) != len(reel.Rooms) {
		t.Errorf("%d rooms are made up, %d are known", len(rooms), len(reel.Rooms))
	}
	for _, hz := range []int{44100, 48000, 96000} {
		for _, name := range reel.Rooms {
			b, err := Grow(reel.Source{Right: -1, Length: 100 * int64(hz), Bed: reel.Bed{Room: name, Seed: 1}}, hz, nil)
			if err != nil || !b.Synthesised {
				t.Fatal(name, err)
			}
			v := take(t, b, 0, int64(hz), 10*int64(hz))
			if d := math.Abs(measure.RMS(v) - rooms[name].level); d > 0.5 {
				t.Errorf("%s at %d Hz is %.1f dB off its level", name, hz, d)
			}
			got, own := bandsOf(v, hz), rooms[name]
			step := got[10] - own.band(1000)
			for k, f := range measure.BandCentres {
				if d := math.Abs(got[k] - own.band(f) - step); d > 1.5 {
					t.Errorf("%s at %d Hz: the band of %.0f Hz is %.1f dB off", name, hz, f, d)
				}
			}
		}
	}
	m := pink(t, "4", "1")
	var want reel.Tint
	for k := range want {
		want[k] = 4 * math.Sin(float64(k)/3)
	}
	b, err := Grow(reel.Source{Right: -1, Length: 60 * rate, Bed: reel.Bed{To: 4 * rate, Seed: 1, Tint: want}}, rate, m)
	if err != nil {
		t.Fatal(err)
	}
	was, is := bandsOf(m[0], rate), bandsOf(take(t, b, 0, 0, 30*rate), rate)
	for k := range want {
		if d := math.Abs(is[k] - was[k] - want[k]); d > 1 {
			t.Errorf("the band of %.0f Hz is corrected by %.2f dB, not %.2f", measure.BandCentres[k], is[k]-was[k], want[k])
		}
	}
	// A tint brings one colour near another.
	other := measure.Bands{}
	for k := range other {
		other[k] = was[k] - 10 + 3*math.Cos(float64(k)/4)
	}
	t2 := Tinted(was, other)
	for k := range other {
		was[k] += t2[k]
	}
	if d := was.Distance(other); d > 0.6 {
		t.Errorf("tinted, the colours are %.2f dB apart", d)
	}
}

func BenchmarkMinute(b *testing.B) {
	m := pink(b, "3", "1")
	dst := make([]float32, 60*rate)
	for b.Loop() {
		bed := grow(b, m, 1)
		if err := bed.ReadAt(dst, 0, 30*rate); err != nil {
			b.Fatal(err)
		}
	}
}
