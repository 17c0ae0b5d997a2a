package mix

import (
	"context"
	"math/rand/v2"
	"slices"
	"testing"

	"blendseam/core/gain"
	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/core/timecode"
)

// cloth is a reel of two tracks whose clips meet, with blends and fades.
func cloth(t *testing.T, rng *rand.Rand) *reel.Reel {
	t.Helper()
	r := &reel.Reel{NextID: 1, Props: reel.Props{Name: "t", SampleRate: 48000, FrameRate: timecode.Rate25}}
	do := func(e reel.Edit) bool {
		next, err := e.Apply(r)
		if err == nil {
			r = next.Reel
		}
		return err == nil
	}
	for _, name := range []string{"a", "b"} {
		do(&reel.AddTrack{Name: name, Role: reel.Dialogue})
		do(&reel.AddSource{Source: reel.Source{Recording: name, Name: name, Right: -1, Length: 6000, StartTC: -1}})
	}
	for _, track := range r.Tracks {
		at := rng.Int64N(200)
		var last reel.ID
		for range 6 {
			n := 100 + rng.Int64N(900)
			do(&reel.Place{Source: r.Sources[rng.IntN(2)].ID, Track: track.ID, Start: at, Offset: rng.Int64N(6000 - n), Length: n})
			id := r.Clips[len(r.Clips)-1].ID
			if last != 0 && rng.IntN(2) == 0 {
				do(&reel.SetBlend{Left: last, Right: id, Before: rng.Int64N(60), After: 1 + rng.Int64N(60), Law: gain.ConstantPower, Lean: 0.4})
			}
			at, last = at+n, id
			if rng.IntN(4) == 0 {
				do(&reel.SetFade{Clip: id, End: reel.Tail, Fade: reel.Fade{Length: 80, Shape: gain.Smooth, Bend: 0.5}})
				at, last = at+rng.Int64N(300), 0
			}
		}
	}
	return r
}

// stretchOf is from where to where anything differs between two reels: the
// places of clips and blends that are not the same in both.
func stretchOf(a, b *reel.Reel) (from, to int64) {
	from, to = 1<<40, 0
	take := func(x, y int64) { from, to = min(from, x), max(to, y) }
	for _, pair := range [][2]*reel.Reel{{a, b}, {b, a}} {
		for _, c := range pair[0].Clips {
			if o, ok := pair[1].Clip(c.ID); !ok || o != c {
				take(c.Start, c.End())
			}
		}
		for _, bl := range pair[0].Blends {
			if o, ok := pair[1].Blend(bl.ID); !ok || o != bl {
				left, _ := pair[0].Clip(bl.Left)
				take(left.End()-bl.Before, left.End()+bl.After)
			}
		}
	}
	// A clip whose place changed may have sounded on into its blends.
	return from - 130, to + 130
}

// What is not named by an edit renders bit for bit the same: before and after
// the stretch that the edit touched, and what follows as it was, elsewhere. A
// split and a join change nothing at all.
func TestEditsLeaveTheRestBitForBit(t *testing.T) {
	recordings := map[string]sound.Reader{}
	rng := rand.New(rand.NewPCG(5, 5))
	for _, name := range []string{"a", "b"} {
		v := make([]float32, 6000)
		for i := range v {
			v[i] = rng.Float32() - 0.5
		}
		recordings[name] = sound.Memory{v}
	}
	open := func(s reel.Source) (sound.Reader, error) { return recordings[s.Recording], nil }
	render := func(r *reel.Reel, from, n int64) [2][]float32 {
		m, err := New(r, open, Options{})
		if err != nil {
			t.Fatal(err)
		}
		out := [2][]float32{make([]float32, n), make([]float32, n)}
		if err := m.Render(context.Background(), out[0], out[1], from); err != nil {
			t.Fatal(err)
		}
		return out
	}
	same := func(a, b [2][]float32) bool { return slices.Equal(a[0], b[0]) && slices.Equal(a[1], b[1]) }
	tried := map[string]int{}
	for seed := range uint64(900) {
		rng := rand.New(rand.NewPCG(seed, 31))
		r := cloth(t, rng)
		c := r.Clips[rng.IntN(len(r.Clips))]
		by := rng.Int64N(400) - 200
		if by == 0 {
			by = 7
		}
		var edit reel.Edit
		kind := []string{"split", "trim", "roll", "slip", "slide", "span", "follow", "insert"}[seed%8]
		switch kind {
		case "split":
			edit = &reel.Split{Clips: []reel.ID{c.ID}, At: c.Start + rng.Int64N(c.Length)}
		case "trim":
			edit = &reel.Trim{Clips: []reel.ID{c.ID}, End: []reel.End{reel.Head, reel.Tail}[rng.IntN(2)], By: by}
		case "roll":
			if s := r.Seams(); true {
				i := slices.IndexFunc(s, func(x reel.Seam) bool { return x.Kind == reel.CutSeam })
				edit = &reel.Roll{Left: s[i].Left, Right: s[i].Right, By: by}
			}
		case "slip":
			edit = &reel.Slip{Clips: []reel.ID{c.ID}, By: by}
		case "slide":
			edit = &reel.Slide{Clip: c.ID, By: by}
		case "span":
			edit = &reel.RemoveSpan{From: c.Start + 20, To: c.End() - 20, Tracks: []reel.ID{c.Track}}
		case "follow":
			edit = &reel.Trim{Clips: []reel.ID{c.ID}, End: reel.Tail, By: by, Later: reel.Follow}
		case "insert":
			edit = &reel.InsertTime{At: c.Start, Length: 333, Tracks: []reel.ID{r.Tracks[0].ID, r.Tracks[1].ID}}
		}
		next, err := edit.Apply(r)
		if err != nil {
			continue
		}
		tried[kind]++
		length := max(r.Length(), next.Reel.Length()) + 200
		if kind == "split" {
			if !same(render(r, 0, length), render(next.Reel, 0, length)) {
				t.Fatalf("seed %d: a split is heard", seed)
			}
			continue
		}
		from, to := stretchOf(r, next.Reel)
		if kind == "follow" || kind == "insert" {
			// All is as it was up to the edit, and from the last clip that went
			// along on it is as it was, elsewhere.
			var shift, last int64
			for _, x := range r.Clips {
				if y, ok := next.Reel.Clip(x.ID); ok && y.Start != x.Start {
					shift, last = y.Start-x.Start, max(last, x.Start)
				}
			}
			if from > 0 && !same(render(r, 0, from), render(next.Reel, 0, from)) {
				t.Fatalf("seed %d: %s changed what comes before", seed, kind)
			}
			if last == 0 {
				continue
			}
			for _, x := range r.Clips { // only where nothing that stayed sounds on
				if y, ok := next.Reel.Clip(x.ID); ok && y.Start == x.Start {
					last = max(last, x.End()+130)
				}
			}
			if last+130 >= r.Length() {
				continue
			}
			if last += 130; !same(render(r, last, r.Length()-last), render(next.Reel, last+shift, r.Length()-last)) {
				t.Fatalf("seed %d: what followed a %s sounds otherwise", seed, kind)
			}
			tried["followed"]++
			continue
		}
		if from > 0 && !same(render(r, 0, from), render(next.Reel, 0, from)) {
			t.Fatalf("seed %d: %s changed what comes before", seed, kind)
		}
		if to < length && !same(render(r, to, length-to), render(next.Reel, to, length-to)) {
			t.Fatalf("seed %d: %s changed what comes after", seed, kind)
		}
	}
	for _, kind := range []string{"split", "trim", "roll", "slip", "slide", "span", "follow", "insert", "followed"} {
		if tried[kind] < 15 {
			t.Errorf("%s was tried %d times", kind, tried[kind])
		}
	}
}
