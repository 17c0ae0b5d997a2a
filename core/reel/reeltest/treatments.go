package reeltest

import (
	"math/rand/v2"

	"blendseam/core/reel"
	"blendseam/core/treat"
)

// treatEdit is a treatment of a clip or a track, which may or may not be possible.
func treatEdit(rng *rand.Rand, clip, track reel.ID) reel.Edit {
	e := &reel.Treat{Track: track}
	if clip != 0 {
		e.Clips = []reel.ID{clip}
	}
	yes := rng.IntN(2) == 0
	switch rng.IntN(5) {
	case 0:
		e.Alone = &yes
	case 1:
		e.Off = &yes
	case 2:
		e.Tone = &treat.Voicing{Amount: pick(rng, []float64{0, 0.5, 1, 2}), Bands: [treat.ToneBands]float64{1, -2, 3}}
	default:
		e.Does = &treat.Settings{HighPass: treat.Cut{Hz: pick(rng, []float64{5, 80, 300}), Slope: pick(rng, []int{0, 12, 24})}}
		if yes {
			e.Does.Expander = treat.UsualExpander
		}
	}
	return e
}
