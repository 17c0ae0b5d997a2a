package mix

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"runtime"
	"testing"

	"blendseam/core/gain"
	"blendseam/core/reel"
	"blendseam/core/treat"
	"blendseam/outside"
)

var telephone = treat.Settings{HighPass: treat.Cut{Hz: 300, Slope: 24}, LowPass: treat.Cut{Hz: 3400, Slope: 24}, Bells: [4]treat.Bell{{Hz: 1200, DB: 5, Q: 1}}}

// throughFFmpeg is a sound put through the telephone by ffmpeg.
func throughFFmpeg(t *testing.T, v []float32, rate int) []float32 {
	return outside.Floats(outside.Run(t, outside.Bytes(v), "ffmpeg", "-v", "error", "-f", "f32le", "-ar", fmt.Sprint(rate), "-ac", "1", "-i", "-", "-af",
		"aformat=dbl,highpass=f=300:t=q:w=0.5411961,highpass=f=300:t=q:w=1.3065630,lowpass=f=3400:t=q:w=0.5411961,lowpass=f=3400:t=q:w=1.3065630,equalizer=f=1200:t=q:w=1:g=5",
		"-f", "f32le", "-"))
}

func closeTo(t *testing.T, what string, got, want []float32, limit float64) {
	t.Helper()
	for i := range want {
		if d := math.Abs(float64(got[i] - want[i])); d > limit {
			t.Fatalf("%s: sample %d is %g, not %g", what, i, got[i], want[i])
		}
	}
}

// A treated track is its clips with their fades and blends, through the filters, with
// its own gain and ride after them; another track is not touched. Reference: ffmpeg.
func TestTreatedTrackAgainstFFmpeg(t *testing.T) {
	for _, rate := range []int{44100, 48000, 96000} {
		b := newBench(t, rate)
		tr, other := b.track(), b.track()
		x := b.place(b.source(speech(t, "warden take 3", rate)), tr, 10000, 5000, 80000)
		y := b.place(b.source(speech(t, "grower take 2", rate)), tr, 90000, 20000, 60000)
		b.place(b.source(noise(3, 30000)), other, 100000, 0, 30000)
		b.do(&reel.SetBlend{Left: x, Right: y, Before: 3000, After: 3000, Law: gain.ConstantPower, Lean: gain.Even})
		dry, _ := b.render(Options{Without: []reel.ID{other}}, 0, 160000)
		rest, _ := b.render(Options{Without: []reel.ID{tr}}, 0, 160000)
		down := -7.5
		b.do(&reel.SetTrack{Track: tr, GainDB: &down})
		b.point(0, tr, 20000, 0, false)
		b.point(0, tr, 60000, -6, false)
		b.do(&reel.Treat{Track: tr, Does: &telephone})
		got, right := b.render(Options{}, 0, 160000)
		want := throughFFmpeg(t, dry, rate)
		for i := range want {
			g := math.Pow(10, (down-6*min(max(float64(i-20000)/40000, 0), 1))/20)
			want[i] = float32(float64(want[i])*g) + rest[i]
		}
		closeTo(t, fmt.Sprint("at ", rate), got, want, 3e-6)
		sameSound(t, "right", right, got)
		off := true
		b.do(&reel.Treat{Track: tr, Off: &off})
		b.do(&reel.RemovePoints{Points: []reel.ID{b.r.Line(tr)[0].ID, b.r.Line(tr)[1].ID}})
		level := 0.0
		b.do(&reel.SetTrack{Track: tr, GainDB: &level})
		bare, _ := b.render(Options{Without: []reel.ID{other}}, 0, 160000)
		sameSound(t, "bypassed", bare, dry)
	}
}

// The treatment of a clip lies on its sound, under its ride: it goes with a move, and
// is besides that of the track, or instead of it.
func TestTreatedClip(t *testing.T) {
	const rate = 48000
	b := newBench(t, rate)
	tr := b.track()
	v := speech(t, "warden take 3", rate)
	c := b.place(b.source(v), tr, 0, 30000, 100000)
	b.point(c, 0, 40000, -3, false)
	b.do(&reel.Treat{Clips: []reel.ID{c}, Does: &telephone})
	want := throughFFmpeg(t, v, rate)[30000:130000]
	for i := range want {
		want[i] *= float32(math.Pow(10, -3.0/20))
	}
	got, _ := b.render(Options{}, 0, 100000)
	closeTo(t, "clip", got, want, 2e-6)
	low := treat.Settings{LowPass: treat.Cut{Hz: 200, Slope: 24}}
	b.do(&reel.Treat{Track: tr, Does: &low})
	both, _ := b.render(Options{}, 0, 100000)
	if power(both) > 0.25*power(got) {
		t.Errorf("the treatment of the track does not count besides that of the clip")
	}
	alone := true
	b.do(&reel.Treat{Clips: []reel.ID{c}, Alone: &alone})
	alike, _ := b.render(Options{}, 0, 100000)
	sameSound(t, "alone", alike, got)
	b.do(&reel.Move{Clips: []reel.ID{c}, By: 12345})
	moved, _ := b.render(Options{}, 12345, 112345)
	sameSound(t, "moved", moved, got)
	right := b.do(&reel.Split{Clips: []reel.ID{c}, At: 60000})
	parted, _ := b.render(Options{}, 12345, 112345)
	sameSound(t, "split", parted, got)
	b.do(&reel.Join{Left: c, Right: right})
	if n := len(b.r.Treatments); n != 2 {
		t.Errorf("%d treatments after a split and a join", n)
	}
}

func power(v []float32) (sum float64) {
	for _, x := range v {
		sum += float64(x) * float64(x)
	}
	return sum
}

// With treatments of everything, mono and stereo, matched blends and blends over two
// tracks, a span in parts is the span whole, bit for bit, in any order.
func TestTreatedInParts(t *testing.T) {
	b := newBench(t, 48000)
	one, two := b.track(), b.track()
	stereo := b.source(noise(2, 200000), noise(3, 200000))
	x := b.place(stereo, one, 1000, 20000, 70000)
	y := b.place(b.source(noise(4, 200000)), one, 71000, 40000, 60000)
	z := b.place(stereo, two, 125000, 30000, 96000)
	b.do(&reel.SetBlend{Left: x, Right: y, Before: 4000, After: 4000, Law: gain.Matched, Lean: 0.5})
	b.do(&reel.BlendOver{Left: y, Right: z, Law: gain.Matched, Lean: 0.5})
	expand := telephone
	expand.Expander = treat.Expander{ThresholdDB: -3, RangeDB: 20, Ratio: 3, Attack: 20, Hold: 50, Release: 200, Ahead: 10}
	tone := treat.Voicing{Amount: 1, Bands: [treat.ToneBands]float64{4, -4, 3, 9, -9, 2}}
	b.do(&reel.Treat{Track: one, Does: &expand})
	b.do(&reel.Treat{Track: two, Does: &telephone})
	b.do(&reel.Treat{Clips: []reel.ID{x, z}, Tone: &tone})
	pan := 0.4
	b.do(&reel.SetTrack{Track: two, Pan: &pan})
	const n = 240000
	left, right := b.render(Options{}, 0, n)
	rng := rand.New(rand.NewPCG(1, 1))
	for range 20 {
		from := rng.Int64N(n - 1)
		to := min(from+1+rng.Int64N(40000), n)
		l, r := b.render(Options{}, from, to)
		sameSound(t, fmt.Sprint("left from ", from), l, left[from:to])
		sameSound(t, fmt.Sprint("right from ", from), r, right[from:to])
	}
	var cuts []int64
	for at := int64(1); at < n; at += 1 + rng.Int64N(20000) {
		cuts = append(cuts, at)
	}
	l, r := b.render(Options{}, 0, n, cuts...)
	sameSound(t, "left in parts", l, left)
	sameSound(t, "right in parts", r, right)
}

// However many clips are treated, only those that sound keep what they were reckoned in;
// and a reel of many is made ready at once.
func TestTreatedClipsDoNotPileUp(t *testing.T) {
	b := newBench(t, 48000)
	src, track := b.source(noise(2, 100000)), b.track()
	tone := treat.Voicing{Amount: 1, Bands: [treat.ToneBands]float64{4, -4, 3, 9, -9, 2}}
	var clips []reel.ID
	const n, long = 100, 12000
	for k := range int64(n) {
		clips = append(clips, b.place(src, track, k*long, k*100, long))
	}
	b.do(&reel.Treat{Clips: clips, Tone: &tone})
	heap := func() int64 {
		runtime.GC()
		var m runtime.MemStats
		runtime.ReadMemStats(&m)
		return int64(m.HeapAlloc)
	}
	before := heap()
	m, err := New(b.r, b.open, Options{})
	if err != nil {
		t.Fatal(err)
	}
	left, right := make([]float32, Block), make([]float32, Block)
	for at := int64(0); at < n*long; at += Block {
		if err := m.Render(context.Background(), left, right, at); err != nil {
			t.Fatal(err)
		}
	}
	if took := heap() - before; took > 10<<20 {
		t.Errorf("%d MB are kept after %d treated clips", took>>20, n)
	}
	runtime.KeepAlive(m)
}
