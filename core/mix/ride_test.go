package mix

import (
	"math"
	"testing"

	"blendseam/core/gain"
	"blendseam/core/reel"
)

func (b *bench) point(clip, track reel.ID, at int64, db float64, eased bool) reel.ID {
	return b.do(&reel.AddPoint{Clip: clip, Track: track, At: at, DB: &db, Eased: eased})
}

func sameSound(t *testing.T, what string, got, want []float32) {
	t.Helper()
	for i := range want {
		if got[i] != want[i] {
			t.Fatalf("%s: sample %d is %g, not %g", what, i, got[i], want[i])
		}
	}
}

// A ride of known slopes against its closed form, sample for sample: that of the
// clip counts in the time of its source, that of the track in the time of the reel.
func TestRideClosedForm(t *testing.T) {
	b := newBench(t, 48000)
	tr := b.track()
	c := b.place(b.source(noise(1, 60000)), tr, 10000, 5000, 40000)
	plain, _ := b.render(Options{}, 0, 60000)
	b.point(c, 0, 10000, 0, false)
	b.point(c, 0, 20000, -12, true)
	b.point(c, 0, 30000, 6, false)
	b.point(0, tr, 20000, -3, false)
	b.point(0, tr, 40000, -9, false)
	got, _ := b.render(Options{}, 0, 60000)
	for i := range got {
		src, at := float64(i-10000+5000), float64(i)
		var db float64
		switch {
		case src <= 10000:
		case src <= 20000:
			db = -12 * (src - 10000) / 10000
		case src <= 30000:
			db = -12 + 18*(1-math.Cos(math.Pi*(src-20000)/10000))/2
		default:
			db = 6
		}
		db += -3 - 6*min(max((at-20000)/20000, 0), 1)
		if want := float64(plain[i]) * math.Pow(10, db/20); math.Abs(float64(got[i])-want) > 2e-6 {
			t.Fatalf("sample %d is %g, not %g", i, got[i], want)
		}
	}
}

// The ride of a clip goes with its sound: through move, trim, slip, split, join and
// paste. Blends over it are heard whole and in pieces alike.
func TestRideGoesWithTheSound(t *testing.T) {
	b := newBench(t, 48000)
	tr, other := b.track(), b.track()
	src := b.source(noise(2, 100000), noise(3, 100000))
	c := b.place(src, tr, 20000, 20000, 50000)
	next := b.place(b.source(noise(4, 90000)), tr, 70000, 10000, 20000)
	for i, db := range []float64{0, -20, 3, -8, -8, gain.MinDB, -2} {
		b.point(c, 0, 21000+int64(i)*8000, db, i%2 == 1)
	}
	b.do(&reel.SetBlend{Left: c, Right: next, Before: 4000, After: 4000, Law: gain.Matched, Lean: 0.5})
	was, wasRight := b.render(Options{}, 0, 100000)
	parts, partsRight := b.render(Options{}, 0, 100000, 1, 21001, 21002, 33333, 66000, 70100)
	sameSound(t, "in pieces", parts, was)
	sameSound(t, "in pieces, right", partsRight, wasRight)
	whole := b.r

	right := b.do(&reel.Split{Clips: []reel.ID{c}, At: 41234})
	got, _ := b.render(Options{}, 0, 100000)
	sameSound(t, "split", got, was)
	b.do(&reel.Trim{Clips: []reel.ID{right}, End: reel.Head, By: 700})
	got, _ = b.render(Options{}, 0, 100000)
	sameSound(t, "trimmed", got[41934:], was[41934:])
	b.do(&reel.Trim{Clips: []reel.ID{right}, End: reel.Head, By: -700})
	// A point on one side of the cut alone is kept when both are joined.
	b.do(&reel.RemovePoints{Points: []reel.ID{b.r.Line(right)[0].ID}})
	before, _ := b.render(Options{}, 0, 100000)
	b.do(&reel.Join{Left: c, Right: right})
	got, _ = b.render(Options{}, 0, 100000)
	for i := range got {
		if math.Abs(float64(got[i]-before[i])) > 2e-4 {
			t.Fatalf("joined: sample %d is %g, not %g", i, got[i], before[i])
		}
	}

	b.r = whole
	b.do(&reel.Slip{Clips: []reel.ID{c}, By: 500})
	slipped, _ := b.render(Options{Silent: []reel.ID{next}, HardCut: b.r.Blends[0].ID}, 0, 100000)
	b.r = whole
	plain, _ := b.render(Options{Silent: []reel.ID{next}, HardCut: b.r.Blends[0].ID}, 0, 100000)
	sameSound(t, "slipped", slipped[21000:60000], plain[20500:59500])

	x, err := b.r.CopyClips([]reel.ID{c})
	if err != nil {
		t.Fatal(err)
	}
	b.do(&reel.Paste{What: x, Track: other, At: 200000})
	copied, _ := b.render(Options{}, 200000, 250000)
	sameSound(t, "pasted", copied[:46000], was[20000:66000])
}

// Two parts whose lines differ where they meet are not joined.
func TestJoinOfUnlikeRides(t *testing.T) {
	b := newBench(t, 48000)
	tr := b.track()
	c := b.place(b.source(noise(1, 60000)), tr, 0, 0, 40000)
	right := b.do(&reel.Split{Clips: []reel.ID{c}, At: 20000})
	b.point(c, 0, 10000, -6, false)
	if _, err := (&reel.Join{Left: c, Right: right}).Apply(b.r); err == nil {
		t.Error("joined though one part is 6 dB lower")
	}
	b.point(right, 0, 20000, -6, false)
	before, _ := b.render(Options{}, 0, 40000)
	b.do(&reel.Join{Left: c, Right: right})
	got, _ := b.render(Options{}, 0, 40000)
	sameSound(t, "joined", got, before)
}
