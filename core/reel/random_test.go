package reel

import "math/rand/v2"

// RandomEdit, RandomReel and RandomPicture are those of reeltest, which cannot
// be imported from inside this package.
var (
	RandomEdit    func(*rand.Rand, *Reel) Edit
	RandomReel    func(tracks, sources int, sourceLen int64) *Reel
	RandomPicture func() *Reel
)

func randomEdit(rng *rand.Rand, r *Reel) Edit { return RandomEdit(rng, r) }

func blank(tracks, sources int, sourceLen int64) *Reel {
	if RandomReel == nil { // before init
		panic("reeltest is not linked in")
	}
	return RandomReel(tracks, sources, sourceLen)
}

func blankPicture() *Reel { return RandomPicture() }

func pick[T any](rng *rand.Rand, v []T) (none T) {
	if len(v) == 0 {
		return none
	}
	return v[rng.IntN(len(v))]
}

// cuts are the seams where two clips meet.
func cuts(r *Reel) (out []Seam) {
	for _, s := range r.Seams() {
		if s.Kind == CutSeam {
			out = append(out, s)
		}
	}
	return out
}
