package mix

import (
	"math"
	"math/rand/v2"
	"testing"

	"blendseam/core/gain"
	"blendseam/core/reel"
)

// likePair are two stretches of Gaussian noise of equal power with a
// correlation of r: y = r·x + √(1−r²)·n.
func likePair(seed uint64, n int, r float64) (x, y []float32) {
	rng := rand.New(rand.NewPCG(seed, 5))
	x, y = make([]float32, n), make([]float32, n)
	for i := range x {
		a, b := rng.NormFloat64(), rng.NormFloat64()
		x[i], y[i] = float32(0.1*a), float32(0.1*(r*a+math.Sqrt(1-r*r)*b))
	}
	return x, y
}

// The matched law keeps the power flat within 0.3 dB through the blend,
// whatever the correlation of the sides; constant power and constant gain, on
// the same pairs, do so only where they should. The reference is the noise
// itself, of known power and correlation.
func TestMatchedKeepsTheLevel(t *testing.T) {
	const before, n = 48000, 96000
	course := func(law gain.Law, r float64, lean float64) (worst float64) {
		x, y := likePair(uint64(1000*(r+2)), 4*n, r)
		b := newBench(t, 48000)
		tr := b.track()
		left, right := b.place(b.source(x), tr, 0, 0, 2*n), b.place(b.source(y), tr, 2*n, 2*n, 2*n)
		b.do(&reel.SetBlend{Left: left, Right: right, Before: before, After: n - before, Law: law, Lean: lean})
		got, _ := b.render(Options{}, 2*n-before, 2*n-before+n)
		for at := 0; at+n/8 <= n; at += n / 16 {
			var power float64
			for _, s := range got[at : at+n/8] {
				power += float64(s) * float64(s)
			}
			if d := 10 * math.Log10(power/float64(n/8)/0.01); math.Abs(d) > math.Abs(worst) {
				worst = d
			}
		}
		return worst
	}
	for _, r := range []float64{-0.5, -0.25, 0, 0.3, 0.6, 0.9, 1} {
		for _, lean := range []float64{0.3, gain.Even} {
			if d := course(gain.Matched, r, lean); math.Abs(d) > 0.3 {
				t.Errorf("correlation %g, lean %g: off by %.2f dB", r, lean, d)
			}
		}
	}
	if d := course(gain.ConstantPower, 1, gain.Even); math.Abs(d-2.9) > 0.3 {
		t.Errorf("constant power between like sides swells by %.2f dB", d)
	}
	if d := course(gain.ConstantGain, 0, gain.Even); math.Abs(d+2.9) > 0.3 {
		t.Errorf("constant gain between unlike sides dips by %.2f dB", d)
	}
}

// Rendered in pieces, with one side silent, over two tracks and with sides
// shaped by themselves, a blend is still a function of the place alone, and
// its two sides add up to it.
func TestMatchedInPiecesAndOverTwoTracks(t *testing.T) {
	x, y := likePair(3, 60000, 0.7)
	b := newBench(t, 48000)
	one, two := b.track(), b.track()
	half, pan := -6.0, 0.4
	b.do(&reel.SetTrack{Track: two, GainDB: &half, Pan: &pan})
	left, right := b.place(b.source(x), one, 0, 0, 30000), b.place(b.source(y), two, 24000, 24000, 30000)
	b.do(&reel.BlendOver{Left: left, Right: right, Law: gain.Matched, Lean: gain.Even})
	if s := b.r.Seams(); len(s) != 3 || s[1].Kind != reel.CutSeam || s[1].To != two || s[1].At != 27000 {
		t.Fatalf("the seams are %+v", s)
	}
	check := func() {
		t.Helper()
		wl, wr := b.render(Options{}, 0, 54000)
		pl, pr := b.render(Options{}, 0, 54000, 24500, 25000, 28000, 29999)
		sameBits(t, "left", wl, pl)
		sameBits(t, "right", wr, pr)
		ol, _ := b.render(Options{Silent: []reel.ID{right}}, 0, 54000)
		il, _ := b.render(Options{Silent: []reel.ID{left}}, 0, 54000)
		for i := range wl {
			if math.Abs(float64(ol[i]+il[i]-wl[i])) > 1e-7 {
				t.Fatalf("the sides do not add up at %d", i)
			}
		}
	}
	check()
	blend := b.r.Blends[0]
	pair, err := NewPair(b.r, b.open, blend)
	if err != nil {
		t.Fatal(err)
	}
	l, err := pair.Likeness()
	// With the second track 6 dB down and panned, the powers are those of what sounds.
	if err != nil || math.Abs(l.R-0.7) > 0.05 || math.Abs(10*math.Log10(l.Power)-6-10*math.Log10(2/(1+math.Pow(math.Cos(0.4*math.Pi/2), 2)))) > 0.5 {
		t.Errorf("likeness %+v %v", l, err)
	}
	b.do(&reel.SetBlend{Left: left, Right: right, Before: 500, After: 2000, Law: gain.Matched, Lean: 0.4,
		Out: reel.Side{Shape: gain.Linear, Bend: 0.3}, In: reel.Side{Shape: gain.Smooth, Bend: 0.7}})
	check()
	// Outside of the blend each track sounds as it did.
	wl, _ := b.render(Options{}, 0, 54000)
	for i, s := range wl[:26500] {
		if s != x[i] {
			t.Fatalf("sample %d before the blend is %g, was %g", i, s, x[i])
		}
	}
}

// A span in which all is mono and in the middle is rendered once for both
// sides; one that is not, is not, and where the two meet nothing differs.
func TestMonoSpans(t *testing.T) {
	x, y := likePair(5, 20000, 0.1)
	b := newBench(t, 48000)
	one, two := b.track(), b.track()
	b.place(b.source(x), one, 0, 0, 20000)
	b.place(b.source(y, x), two, 9000, 0, 2000)
	m, err := New(b.r, b.open, Options{})
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		from, to int64
		mono     bool
	}{{0, 9000, true}, {0, 9001, false}, {10999, 12000, false}, {11000, 20000, true}, {30000, 30001, true}} {
		if m.Mono(c.from, c.to) != c.mono {
			t.Errorf("%d to %d: mono is %v", c.from, c.to, !c.mono)
		}
	}
	wl, wr := b.render(Options{}, 0, 20000)
	pl, pr := b.render(Options{}, 0, 20000, 8000, 9000, 10000, 11000, 12000)
	sameBits(t, "left", wl, pl)
	sameBits(t, "right", wr, pr)
	pan := 0.3
	b.do(&reel.SetTrack{Track: one, Pan: &pan})
	if m, err = New(b.r, b.open, Options{}); err != nil || m.Mono(0, 9000) {
		t.Error("a panned track is mono")
	}
}
