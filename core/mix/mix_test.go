package mix

import (
	"context"
	"errors"
	"math"
	"math/rand/v2"
	"testing"

	"blendseam/core/gain"
	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/core/timecode"
)

// bench is a reel to build up by edits, with its sound in memory.
type bench struct {
	t     testing.TB
	r     *reel.Reel
	sound map[string]sound.Memory
}

func newBench(t testing.TB, rate int) *bench {
	return &bench{t, &reel.Reel{NextID: 1, Props: reel.Props{Name: "t", SampleRate: rate, FrameRate: timecode.Rate25}}, map[string]sound.Memory{}}
}

func (b *bench) do(e reel.Edit) reel.ID {
	b.t.Helper()
	done, err := e.Apply(b.r)
	if err != nil {
		b.t.Fatalf("%T: %v", e, err)
	}
	b.r = done.Reel
	if len(done.Made) > 0 {
		return done.Made[0]
	}
	return 0
}

func (b *bench) track() reel.ID { return b.do(&reel.AddTrack{Name: "t", Role: reel.Dialogue}) }

func (b *bench) source(v ...[]float32) reel.ID {
	hash := string(rune('a' + len(b.sound)))
	b.sound[hash] = v
	right := -1
	if len(v) > 1 {
		right = 1
	}
	return b.do(&reel.AddSource{Source: reel.Source{Recording: hash, Name: hash, Right: right, Length: int64(len(v[0])), StartTC: -1}})
}

func (b *bench) place(source, track reel.ID, start, offset, length int64) reel.ID {
	return b.do(&reel.Place{Source: source, Track: track, Start: start, Offset: offset, Length: length})
}

func (b *bench) open(s reel.Source) (sound.Reader, error) { return b.sound[s.Recording], nil }

func (b *bench) render(o Options, from, to int64, pieces ...int64) (left, right []float32) {
	b.t.Helper()
	m, err := New(b.r, b.open, o)
	if err != nil {
		b.t.Fatal(err)
	}
	left, right = make([]float32, to-from), make([]float32, to-from)
	at := from
	for _, end := range append(pieces, to) {
		if err := m.Render(context.Background(), left[at-from:end-from], right[at-from:end-from], at); err != nil {
			b.t.Fatal(err)
		}
		at = end
	}
	return left, right
}

func noise(seed uint64, n int) []float32 {
	rng := rand.New(rand.NewPCG(seed, 1))
	v := make([]float32, n)
	for i := range v {
		v[i] = float32(rng.Float64()*1.8 - 0.9)
	}
	return v
}

// scene is a random reel of several tracks with blends, fades, gains and pans.
func scene(t testing.TB, seed uint64) *bench {
	rng := rand.New(rand.NewPCG(seed, 9))
	b := newBench(t, 48000)
	mono, stereo := b.source(noise(seed, 40000)), b.source(noise(seed+1, 40000), noise(seed+2, 40000))
	for range 3 {
		tr := b.track()
		g, p := rng.Float64()*6-6, rng.Float64()*2-1
		b.do(&reel.SetTrack{Track: tr, GainDB: &g, Pan: &p})
		at, last := rng.Int64N(3000), reel.ID(0)
		for range 6 {
			n := 1 + rng.Int64N(9000)
			src := mono
			if rng.IntN(2) == 0 {
				src = stereo
			}
			c := b.place(src, tr, at, 2000+rng.Int64N(20000), n)
			if last != 0 && rng.IntN(3) > 0 {
				e := &reel.SetBlend{Left: last, Right: c, Before: rng.Int64N(3000), After: 1 + rng.Int64N(3000), Law: gain.Laws[rng.IntN(2)], Lean: 0.2 + 0.6*rng.Float64()}
				_, err := e.Apply(b.r)
				var no *reel.Refusal
				if errors.As(err, &no) && no.Offer != nil {
					b.do(no.Offer)
				} else if err == nil {
					b.do(e)
				}
			} else if n > 100 {
				b.do(&reel.SetFade{Clip: c, End: reel.Head, Fade: reel.Fade{Length: n / 3, Shape: gain.Smooth, Bend: 0.4}})
			}
			at, last = at+n, c
			if rng.IntN(4) == 0 {
				at, last = at+rng.Int64N(2000)+1, 0
			}
		}
	}
	if err := b.r.Check(); err != nil {
		t.Fatal(err)
	}
	return b
}

func sameBits(t *testing.T, what string, a, b []float32) {
	t.Helper()
	for i := range a {
		if math.Float32bits(a[i]) != math.Float32bits(b[i]) {
			t.Fatalf("%s: sample %d is %g and %g", what, i, a[i], b[i])
		}
	}
}

// render(a,c) = render(a,b) + render(b,c), bit for bit, wherever b lies.
func TestPiecesAreTheWhole(t *testing.T) {
	for seed := range uint64(40) {
		b := scene(t, seed)
		rng := rand.New(rand.NewPCG(seed, 2))
		end := b.r.Length() + 500
		wl, wr := b.render(Options{}, -300, end)
		for range 5 {
			x := -300 + rng.Int64N(end+300)
			y := x + rng.Int64N(end-x+1)
			pl, pr := b.render(Options{}, -300, end, x, y)
			sameBits(t, "left", wl, pl)
			sameBits(t, "right", wr, pr)
		}
	}
}

// What an edit does not name renders bit for bit the same.
func TestOtherTracksStay(t *testing.T) {
	b := scene(t, 77)
	first := b.r.Order()[0].ID
	others := Options{Without: []reel.ID{first}}
	wl, wr := b.render(others, 0, b.r.Length())
	for _, c := range b.r.OnTrack(first) {
		b.do(&reel.Remove{Clips: []reel.ID{c.ID}})
		l, r := b.render(others, 0, int64(len(wl)))
		sameBits(t, "left", wl, l)
		sameBits(t, "right", wr, r)
	}
}

// A clip at 0 dB and centre is its source, bit for bit; a clip of one sample,
// one at the very start and silence among them.
func TestExactCopy(t *testing.T) {
	b := newBench(t, 48000)
	tr := b.track()
	v := noise(1, 20000)
	src, quiet := b.source(v), b.source(make([]float32, 100))
	b.place(src, tr, 0, 5, 1)
	b.place(src, tr, 1, 100, 15000)
	b.place(quiet, tr, 15001, 0, 100)
	l, r := b.render(Options{}, 0, 15200)
	want := append(append([]float32{v[5]}, v[100:15100]...), make([]float32, 199)...)
	sameBits(t, "left", want, l)
	sameBits(t, "right", want, r)
}

func TestMuteSoloAndPan(t *testing.T) {
	b := newBench(t, 48000)
	one, two := b.track(), b.track()
	b.place(b.source([]float32{0.5}), one, 0, 0, 1)
	b.place(b.source([]float32{0.25}), two, 0, 0, 1)
	yes, hard, half := true, 1.0, -6.020599913279624
	check := func(what string, wl, wr float64) {
		t.Helper()
		l, r := b.render(Options{}, 0, 1)
		if math.Abs(float64(l[0])-wl) > 1e-7 || math.Abs(float64(r[0])-wr) > 1e-7 {
			t.Errorf("%s: %g %g, want %g %g", what, l[0], r[0], wl, wr)
		}
	}
	check("both", 0.75, 0.75)
	b.do(&reel.SetTrack{Track: one, Pan: &hard, GainDB: &half})
	check("panned and lowered", 0.25, 0.5)
	b.do(&reel.SetTrack{Track: two, Solo: &yes})
	check("solo", 0.25, 0.25)
	b.do(&reel.SetTrack{Track: two, Mute: &yes})
	check("a muted solo", 0, 0)
}

func TestHardCutAndOneSide(t *testing.T) {
	b := newBench(t, 48000)
	tr := b.track()
	ones, twos := make([]float32, 3000), make([]float32, 3000)
	for i := range ones {
		ones[i], twos[i] = 0.25, 0.5
	}
	x, y := b.place(b.source(ones), tr, 0, 1000, 1000), b.place(b.source(twos), tr, 1000, 1000, 1000)
	blend := b.do(&reel.SetBlend{Left: x, Right: y, Before: 400, After: 400, Law: gain.ConstantGain, Lean: 0.5})
	hard, _ := b.render(Options{HardCut: blend}, 0, 2000)
	if hard[999] != 0.25 || hard[1000] != 0.5 || hard[700] != 0.25 {
		t.Error("the hard cut is not one")
	}
	soft, _ := b.render(Options{}, 0, 2000)
	if math.Abs(float64(soft[1000])-0.375) > 1e-6 || soft[599] != 0.25 || soft[1400] != 0.5 {
		t.Errorf("the blend is %g in the middle", soft[1000])
	}
	out, _ := b.render(Options{Silent: []reel.ID{y}}, 0, 2000)
	in, _ := b.render(Options{Silent: []reel.ID{x}}, 0, 2000)
	for i := range soft {
		if math.Abs(float64(out[i]+in[i]-soft[i])) > 1e-7 {
			t.Fatalf("the two sides do not add up at %d", i)
		}
	}
}

func TestCancelAndMissingSound(t *testing.T) {
	b := scene(t, 3)
	m, err := New(b.r, b.open, Options{})
	if err != nil {
		t.Fatal(err)
	}
	ctx, stop := context.WithCancel(context.Background())
	stop()
	if err := m.Render(ctx, make([]float32, 10), make([]float32, 10), 0); !errors.Is(err, context.Canceled) {
		t.Error(err)
	}
	if _, err := New(b.r, func(reel.Source) (sound.Reader, error) { return nil, errors.New("gone") }, Options{}); err == nil {
		t.Error("a missing sound was not told")
	}
}
