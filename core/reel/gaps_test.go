package reel

import (
	"math/rand/v2"
	"slices"
	"testing"
)

// Gaps are where a track that has clips before and after plays nothing: told
// sample by sample by a map of the track.
func TestGapsAreWhereNothingLies(t *testing.T) {
	for seed := range uint64(40) {
		rng := rand.New(rand.NewPCG(seed, 14))
		r := blank(3, 1, 100_000)
		for _, track := range r.Tracks {
			at := int64(rng.IntN(30))
			for range rng.IntN(6) {
				n := int64(1 + rng.IntN(40))
				next, err := (&Place{Source: r.Sources[0].ID, Track: track.ID, Start: at, Length: n}).Apply(r)
				if err != nil {
					t.Fatal(err)
				}
				r = next.Reel
				at += n + int64(rng.IntN(3)*rng.IntN(25))
			}
		}
		tracks := []ID{r.Tracks[0].ID, r.Tracks[2].ID}
		from := int64(rng.IntN(150))
		to := from + int64(1+rng.IntN(150))
		var want []Gap
		for _, id := range tracks {
			lane := r.OnTrack(id)
			if len(lane) == 0 {
				continue
			}
			full := map[int64]bool{}
			for _, c := range lane {
				for k := c.Start; k < c.End(); k++ {
					full[k] = true
				}
			}
			end := lane[len(lane)-1].End()
			for k := lane[0].Start; k < end; k++ {
				if full[k] {
					continue
				}
				g := Gap{Track: id, From: k}
				for ; !full[k]; k++ {
				}
				if g.To = k; g.To > from && g.From < to {
					want = append(want, g)
				}
			}
		}
		got := r.Gaps(tracks, from, to)
		if !slices.IsSortedFunc(got, func(a, b Gap) int { return int(a.From - b.From) }) {
			t.Errorf("seed %d: not by time: %v", seed, got)
		}
		key := func(a, b Gap) int { return int(a.Track-b.Track)*1_000_000 + int(a.From-b.From) }
		slices.SortFunc(got, key)
		slices.SortFunc(want, key)
		if !slices.Equal(got, want) {
			t.Errorf("seed %d, %d to %d: %v, want %v", seed, from, to, got, want)
		}
	}
}

func TestTheGapThatIsMeant(t *testing.T) {
	r := blank(2, 1, 100_000)
	place := func(track int, start, length int64) ID {
		done, err := (&Place{Source: r.Sources[0].ID, Track: r.Tracks[track].ID, Start: start, Length: length}).Apply(r)
		if err != nil {
			t.Fatal(err)
		}
		r = done.Reel
		return done.Made[0]
	}
	a, b := place(0, 0, 100), place(0, 150, 100)
	place(1, 0, 10)
	last := place(1, 500, 10)
	both := []ID{r.Tracks[0].ID, r.Tracks[1].ID}
	for _, c := range []struct {
		at          int64
		tracks      []ID
		left, right ID
		want        Gap
		ok          bool
	}{
		{100, both[:1], 0, 0, Gap{both[0], 100, 150}, true}, // from its first sample
		{150, both[:1], 0, 0, Gap{}, false},                 // to the one before its last
		{20, both[:1], a, 0, Gap{both[0], 100, 150}, true},  // none here: that which the end of a opens
		{20, both[:1], 0, b, Gap{both[0], 100, 150}, true},  // that before the start of b
		{20, both[:1], a, b, Gap{}, false},                  // a cut opens none
		{20, both, 0, 0, Gap{both[1], 10, 500}, true},       // on the other track
		{20, both[:1], 0, last, Gap{}, false},               // a gap of a track that is not meant
		{-5, both, 0, 0, Gap{}, false},
	} {
		if got, ok := r.GapNear(c.tracks, c.at, c.left, c.right); ok != c.ok || got != c.want {
			t.Errorf("at %d, %d|%d: %v %v, want %v", c.at, c.left, c.right, got, ok, c.want)
		}
	}
}

func TestTracksWithARoom(t *testing.T) {
	r, err := New(Props{Name: "x", SampleRate: 48000, FrameRate: time25().FrameRate}, Starter)
	if err != nil {
		t.Fatal(err)
	}
	of := func(role Role) (out []ID) {
		for _, t := range r.Order() {
			if t.Role == role {
				out = append(out, t.ID)
			}
		}
		return out
	}
	music, spots, talk := of(Music), of(Spots), of(Dialogue)
	if got := r.WithRoom(nil); !slices.Equal(got, append(slices.Clone(talk), of(RoomTone)...)) {
		t.Errorf("of all: %v", got)
	}
	if got := r.WithRoom(append(slices.Clone(music), talk[0])); !slices.Equal(got, talk[:1]) {
		t.Errorf("of music and dialogue: %v", got)
	}
	if alone := append(slices.Clone(music), spots...); !slices.Equal(r.WithRoom(alone), alone) {
		t.Error("music and spots alone are not taken")
	}
}
