package reeltest

import (
	"math/rand/v2"

	"blendseam/core/reel"
)

// unmergeEdit takes a merged clip apart, where there is one.
func unmergeEdit(rng *rand.Rand, r *reel.Reel) reel.Edit {
	for _, c := range r.Clips {
		if src, _ := r.Source(c.Source); src.Former != "" && rng.IntN(2) == 0 {
			return &reel.Unmerge{Clip: c.ID}
		}
	}
	return &reel.Unmerge{Clip: pick(rng, r.Clips).ID}
}

// EditOrMerge is an edit of any kind, or one that merges clips, which is none of those
// that can be written. The recordings of merged clips are named by what they hold.
func EditOrMerge(rng *rand.Rand, r *reel.Reel) reel.Edit {
	lane := r.OnTrack(pick(rng, r.Tracks).ID)
	if len(lane) == 0 || rng.IntN(15) > 0 {
		return Edit(rng, r)
	}
	switch rng.IntN(4) {
	case 0:
		return fitEdit(rng, pick(rng, lane))
	case 1:
		return pausesEdit(rng, pick(rng, lane))
	}
	from := rng.IntN(len(lane))
	to := min(from+1+rng.IntN(3), len(lane))
	e := &reel.Merge{Merged: reel.Merged{Plain: rng.IntN(3) == 0}, Source: reel.Source{Right: -1, Name: "merged"}}
	if rng.IntN(3) == 0 {
		e.Track, e.From, e.To = lane[from].Track, lane[from].Start+rng.Int64N(40), lane[to-1].End()-rng.Int64N(40)
	} else {
		for _, c := range lane[from:to] {
			e.Clips = append(e.Clips, c.ID)
		}
	}
	if _, m, err := e.Of(r); err == nil {
		e.Digest = m.Digest()
		e.Source.Recording = e.Digest
	}
	return e
}

// fitEdit makes a clip longer or shorter by its speed, or as it was recorded.
func fitEdit(rng *rand.Rand, c reel.Clip) reel.Edit {
	e := &reel.FitClip{Clip: c.ID, Length: c.Length/2 + rng.Int64N(2*c.Length), End: pick(rng, []reel.End{"", reel.Head, reel.Tail}), Recording: "fitted"}
	e.Later = pick(rng, []reel.Later{"", reel.Stay, reel.Follow, reel.FollowTrack})
	switch rng.IntN(8) {
	case 0:
		e.Length = pick(rng, []int64{-5, 1, 1 << 62, c.Length})
	case 1, 2:
		e.Length = 0
	case 3:
		at := c.Start + rng.Int64N(200) - 100
		e.Start = &at
	}
	return e
}

// pausesEdit makes pauses of a clip longer or shorter, wherever they are.
func pausesEdit(rng *rand.Rand, c reel.Clip) reel.Edit {
	e := &reel.FitPauses{Clip: c.ID, Fade: rng.Int64N(60), Later: pick(rng, []reel.Later{"", reel.Stay, reel.Follow, reel.FollowTrack})}
	at := c.Offset
	for range 1 + rng.IntN(4) {
		at += rng.Int64N(max(c.Length/3, 2))
		e.Pauses = append(e.Pauses, reel.Pausing{At: at, By: rng.Int64N(max(c.Length/3, 2)) - c.Length/5})
	}
	return e
}
