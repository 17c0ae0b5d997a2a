package reel

import (
	"math/rand/v2"

	"blendseam/core/gain"
	"blendseam/core/timecode"
)

// blank is a reel with tracks and sources and nothing on it.
func blank(tracks, sources int, sourceLen int64) *Reel {
	r := &Reel{NextID: 1, Props: Props{Name: "test", SampleRate: 48000, FrameRate: timecode.Rate25}}
	for range tracks {
		t := Track{ID: r.take(), Name: "t", Role: Dialogue, Place: len(r.Tracks)}
		r.Tracks = append(r.Tracks, t)
	}
	for range sources {
		s := Source{ID: r.take(), Recording: string(rune('a' + len(r.Sources))), Name: "s", Right: -1, Length: sourceLen, StartTC: -1}
		r.Sources = append(r.Sources, s)
	}
	return r
}

func pick[T any](rng *rand.Rand, v []T) (none T) {
	if len(v) == 0 {
		return none
	}
	return v[rng.IntN(len(v))]
}

// randomEdit is an edit that may or may not be possible.
func randomEdit(rng *rand.Rand, r *Reel) Edit {
	str := func(s string) *string { return &s }
	num := func(v float64) *float64 { return &v }
	yes := func(b bool) *bool { return &b }
	n := func(top int64) int64 { return rng.Int64N(top+1) - top/10 }
	switch rng.IntN(14) {
	case 0:
		return &AddTrack{Name: pick(rng, []string{"", "Warden", "Fan"}), Role: pick(rng, append(Roles, "x"))}
	case 1:
		return &SetTrack{Track: pick(rng, r.Tracks).ID, Name: str("n"), GainDB: num(rng.Float64()*130 - 100), Mute: yes(rng.IntN(2) == 0)}
	case 2:
		if rng.IntN(5) > 0 {
			return &SetReel{Name: str("reel")}
		}
		return &RemoveTrack{Track: pick(rng, r.Tracks).ID}
	case 3, 4, 5, 6:
		c := pick(rng, r.Clips)
		start := n(4000)
		if rng.IntN(3) > 0 {
			start = c.End()
		}
		return &Place{Source: pick(rng, r.Sources).ID, Track: pick(rng, r.Tracks).ID, Start: start, Offset: n(1000), Length: 1 + n(800)}
	case 7, 8:
		e := &Move{By: n(1000) - 400}
		for range 1 + rng.IntN(3) {
			e.Clips = append(e.Clips, pick(rng, r.Clips).ID)
		}
		if rng.IntN(2) == 0 {
			e.ToTrack = pick(rng, r.Tracks).ID
		}
		return e
	case 9:
		return &Remove{Clips: []ID{pick(rng, r.Clips).ID}}
	case 10:
		return &SetClip{Clip: pick(rng, r.Clips).ID, GainDB: num(-3)}
	case 11:
		return &SetFade{Clip: pick(rng, r.Clips).ID, End: pick(rng, []End{Head, Tail}), Fade: Fade{n(300), pick(rng, gain.Shapes), 0.3}}
	case 12:
		return &RemoveBlend{Blend: pick(rng, r.Blends).ID}
	default:
		var cuts []Seam
		for _, s := range r.Seams() {
			if s.Kind == CutSeam {
				cuts = append(cuts, s)
			}
		}
		s := pick(rng, cuts)
		return &SetBlend{Left: s.Left, Right: s.Right, Before: n(200), After: n(200), Law: pick(rng, gain.Laws), Lean: 0.5}
	}
}
