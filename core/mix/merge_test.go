package mix

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"blendseam/core/gain"
	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/core/treat"
)

// rendered is the recording that merging makes.
func rendered(t *testing.T, b *bench, m reel.Merging) sound.Memory {
	t.Helper()
	mx, err := New(m.Reel, b.open, Options{})
	if err != nil {
		t.Fatal(err)
	}
	v := sound.Memory{make([]float32, m.Samples()), make([]float32, m.Samples())}
	if err := mx.Render(context.Background(), v[0], v[1], m.From-m.Before); err != nil {
		t.Fatal(err)
	}
	if mx.Mono(m.From-m.Before, m.To+m.After) {
		return v[:1]
	}
	return v
}

// worn is a scene with rides, strikes, gains, balances and treatments on clips and tracks.
func worn(t *testing.T, seed uint64) *bench {
	b, rng := scene(t, seed), rand.New(rand.NewPCG(seed, 77))
	try := func(e reel.Edit) {
		if done, err := e.Apply(b.r); err == nil {
			b.r = done.Reel
		}
	}
	for _, c := range slices.Clone(b.r.Clips) {
		db := float64(rng.IntN(24)) - 12
		try(&reel.SetClip{Clip: c.ID, GainDB: &db})
		if rng.IntN(3) == 0 {
			for range 2 {
				level := float64(rng.IntN(12)) - 8
				try(&reel.AddPoint{Clip: c.ID, At: c.Offset + rng.Int64N(c.Length), DB: &level})
			}
		}
		if rng.IntN(4) == 0 && c.Length > 600 {
			try(&reel.StrikeSpan{From: c.Start + 100, To: c.Start + 400, Clips: []reel.ID{c.ID}, Tracks: []reel.ID{c.Track}, Fade: 40, Shape: gain.Smooth})
		}
		if rng.IntN(4) == 0 {
			try(&reel.Treat{Clips: []reel.ID{c.ID}, Does: &treat.Settings{HighPass: treat.Cut{Hz: 200, Slope: 12}}})
		}
	}
	for i, tr := range b.r.Tracks {
		level := -4.0
		try(&reel.AddPoint{Track: tr.ID, At: 5000, DB: &level})
		level = 3
		try(&reel.AddPoint{Track: tr.ID, At: 25000, DB: &level})
		if i == int(seed)%3 {
			try(&reel.Treat{Track: tr.ID, Does: &treat.Settings{LowPass: treat.Cut{Hz: 3000, Slope: 24}}})
		}
	}
	return b
}

// A merged clip plays bit for bit what was there, over the whole reel: with blends at its
// outer edges and beyond them, on tracks with rides, gain, pan and a treatment. Its former
// clips come back as they were, and sound the same again.
func TestMergedBitForBit(t *testing.T) {
	merged, blended, kinds := 0, 0, map[int]int{}
	for seed := range uint64(40) {
		b := worn(t, seed)
		rng := rand.New(rand.NewPCG(seed, 5))
		end := b.r.Length() + 100
		left, right := b.render(Options{}, 0, end)
		lane := b.r.OnTrack(b.r.Tracks[rng.IntN(3)].ID)
		from := rng.IntN(len(lane))
		to := from + 1 + rng.IntN(len(lane)-from)
		var ids []reel.ID
		for _, c := range lane[from:to] {
			ids = append(ids, c.ID)
		}
		was := b.r
		m, err := b.r.Merging(ids, false)
		if err != nil {
			continue
		}
		v := rendered(t, b, m)
		hash := fmt.Sprint("m", seed)
		b.sound[hash] = v
		e := &reel.Merge{Merged: reel.Merged{Clips: ids}, Digest: m.Digest(), Source: reel.Source{Recording: hash, Right: []int{-1, 1}[len(v)-1], Name: "merged"}}
		merged++
		kinds[len(v)]++
		if head, tail := b.r.BlendAt(ids[0]); head.ID != 0 || tail.ID != 0 {
			blended++
		}
		id := b.do(e)
		if err := b.r.Check(); err != nil {
			t.Fatal(seed, err)
		}
		if n := len(b.r.OnTrack(m.Track)); n != len(lane)-len(ids)+1 {
			t.Errorf("seed %d: %d clips are left", seed, n)
		}
		l, r := b.render(Options{}, 0, end)
		sameBits(t, fmt.Sprint("left, seed ", seed), l, left)
		sameBits(t, fmt.Sprint("right, seed ", seed), r, right)
		// The outer handles: what a longer clip would have played, the merged one plays.
		if by := min(m.After, 500); by > 0 && to == len(lane) && lane[to-1].FadeOut.Length == 0 {
			longer := &reel.Trim{Clips: []reel.ID{id}, End: reel.Tail, By: by}
			before := &reel.Trim{Clips: ids[len(ids)-1:], End: reel.Tail, By: by}
			now := b.r
			b.do(longer)
			l, r := b.render(Options{}, m.To, m.To+by)
			b.r = was
			b.do(before)
			x, y := b.render(Options{}, m.To, m.To+by)
			sameBits(t, "the handle", l, x)
			sameBits(t, "the handle", r, y)
			b.r = now
		}
		b.do(&reel.Unmerge{Clip: id})
		if err := b.r.Check(); err != nil {
			t.Fatal(seed, err)
		}
		l, r = b.render(Options{}, 0, end)
		sameBits(t, fmt.Sprint("restored, left, seed ", seed), l, left)
		sameBits(t, fmt.Sprint("restored, right, seed ", seed), r, right)
		if len(b.r.Clips) != len(was.Clips) || len(b.r.Blends) != len(was.Blends) || len(b.r.Points) != len(was.Points) || len(b.r.Strikes) != len(was.Strikes) || len(b.r.Treatments) != len(was.Treatments) {
			t.Errorf("seed %d: not all came back", seed)
		}
	}
	if merged < 30 || blended < 10 || kinds[1] < 3 || kinds[2] < 10 {
		t.Errorf("%d merged, %d with blends at their edges, %v", merged, blended, kinds)
	}
}

// A plain merge leaves gains and rides out; of clips at one gain it leaves that to the
// merged clip, so that the same is heard.
func TestPlainMerge(t *testing.T) {
	b := newBench(t, 48000)
	tr, src := b.track(), b.source(noise(3, 20000))
	x, y := b.place(src, tr, 0, 3000, 4000), b.place(src, tr, 4000, 9000, 5000)
	db := -7.5
	for _, id := range []reel.ID{x, y} {
		b.do(&reel.SetClip{Clip: id, GainDB: &db})
	}
	left, _ := b.render(Options{}, 0, 9000)
	m, err := b.r.Merging([]reel.ID{y, x}, true)
	if err != nil {
		t.Fatal(err)
	}
	v := rendered(t, b, m)
	if len(v) != 1 || m.Before != 3000 || m.After != 6000 {
		t.Fatalf("%d channels, handles of %d and %d", len(v), m.Before, m.After)
	}
	sameBits(t, "as recorded", v[0][3000:7000], noise(3, 20000)[3000:7000])
	b.sound["m"] = v
	e := &reel.Merge{Merged: reel.Merged{Clips: []reel.ID{x, y}, Plain: true}, Digest: m.Digest(), Source: reel.Source{Recording: "m", Right: -1, Name: "m"}}
	id := b.do(e)
	l, _ := b.render(Options{}, 0, 9000)
	sameBits(t, "heard", l, left)
	// Two dB more on the merged clip are two dB more on each that comes back; what it was
	// moved and trimmed by as well.
	more, at := -5.5, int64(20000)
	b.do(&reel.SetClip{Clip: id, GainDB: &more})
	b.do(&reel.Move{Clips: []reel.ID{id}, By: at})
	b.do(&reel.Trim{Clips: []reel.ID{id}, End: reel.Head, By: 500})
	before, _ := b.render(Options{}, at, at+9000)
	b.do(&reel.Unmerge{Clip: id})
	after, _ := b.render(Options{}, at, at+9000)
	sameBits(t, "moved and restored", after, before)
	lane := b.r.OnTrack(tr)
	if len(lane) != 2 || lane[0].Start != at+500 || lane[0].GainDB != more || lane[1].GainDB != more {
		t.Errorf("%+v", lane)
	}
	if _, err := (&reel.Unmerge{Clip: lane[0].ID}).Apply(b.r); err == nil {
		t.Error("a clip that was not merged was taken apart")
	}
}

// What cannot be merged is refused with what would be possible.
func TestMergeRefused(t *testing.T) {
	b := newBench(t, 48000)
	one, two, src := b.track(), b.track(), b.source(noise(3, 20000))
	x, y, z := b.place(src, one, 0, 3000, 4000), b.place(src, one, 4000, 9000, 5000), b.place(src, one, 9000, 0, 100)
	other := b.place(src, two, 4000, 7000, 4000)
	b.do(&reel.SetBlend{Left: x, Right: other, Before: 100, After: 100, Law: gain.ConstantPower, Lean: 0.5})
	for _, c := range []struct {
		ids  []reel.ID
		says string
	}{
		{[]reel.ID{x, z}, "is between"},
		{[]reel.ID{y, other}, "several tracks"},
		{[]reel.ID{x, y}, "on another track"},
		{[]reel.ID{x}, "nothing to merge"},
		{nil, "No clip"},
		{[]reel.ID{x, 999}, "gone"},
	} {
		if _, err := b.r.Merging(c.ids, false); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%v: %v", c.ids, err)
		}
	}
	m, err := b.r.Merging([]reel.ID{y, z}, false)
	if err != nil {
		t.Fatal(err)
	}
	db := -3.0
	b.do(&reel.SetClip{Clip: z, GainDB: &db})
	if _, err := (&reel.Merge{Merged: reel.Merged{Clips: []reel.ID{y, z}}, Digest: m.Digest(), Source: reel.Source{Recording: "m", Right: -1, Name: "m"}}).Apply(b.r); err == nil || !strings.Contains(err.Error(), "changed while") {
		t.Errorf("of what was changed since: %v", err)
	}
}
