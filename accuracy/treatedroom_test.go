package accuracy

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"blendseam/core/reel"
	"blendseam/core/seam"
	"blendseam/core/treat"
	"blendseam/outside"
)

// TestTreatedRooms: recorded voices over rooms of three colours on a track with filters
// of random places and depths. What a seam tells of the room after the treatment is held
// against the same recordings put through ffmpeg's filters before they are cut, where
// both are known.
//
// Held to: off by more than 1 dB in at most 5 %.
func TestTreatedRooms(t *testing.T) {
	for _, set := range outside.SpeechSets {
		speech := outside.Speech(t, set, 5, some(4, 1))
		rng := rand.New(rand.NewPCG(31, uint64(len(speech))))
		var off tally
		worst := 0.0
		for range some(12, 150) {
			how := treat.Settings{
				HighPass: treat.Cut{Hz: float64(60 + rng.IntN(600)), Slope: 12}, LowPass: treat.Cut{Hz: float64(2500 + rng.IntN(8000)), Slope: 12},
				HighShelf: treat.Shelf{Hz: float64(2000 + rng.IntN(4000)), DB: float64(rng.IntN(17) - 8)}, Bells: [4]treat.Bell{{Hz: float64(300 + rng.IntN(2000)), DB: float64(rng.IntN(17) - 8), Q: 1}},
			}
			// Shelves of ffmpeg's with a Q of 0.5 are those of the cookbook with a slope of 1.
			filter := fmt.Sprintf("highpass=f=%g:t=q:w=0.70710678,lowpass=f=%g:t=q:w=0.70710678,treble=f=%g:t=q:w=0.5:g=%g,equalizer=f=%g:t=q:w=1:g=%g",
				how.HighPass.Hz, how.LowPass.Hz, how.HighShelf.Hz, how.HighShelf.DB, how.Bells[0].Hz, how.Bells[0].DB)
			var dry, wet [2][]float32
			for i := range dry {
				dry[i] = planted(rng, speech[rng.IntN(len(speech))], []string{"white", "pink", "brown"}[rng.IntN(3)], -62+14*rng.Float64())
				wet[i] = outside.Floats(outside.Run(t, outside.Bytes(dry[i]), "ffmpeg", "-v", "error", "-f", "f32le", "-ar", fmt.Sprint(rate), "-ac", "1", "-i", "-", "-af", "aformat=dbl,"+filter, "-f", "f32le", "-"))
			}
			sides := func(v [2][]float32, how *treat.Settings) [2]*seam.Side {
				d := newDesk(t)
				left, right := d.cut(v[0], len(v[0])*3/4, v[1], len(v[1])/4, len(v[0])+len(v[1]))
				if how != nil {
					c, _ := d.r.Clip(left)
					d.do(&reel.Treat{Track: c.Track, Does: how})
				}
				for _, s := range d.r.Seams() {
					if s.Left == left && s.Right == right {
						m, err := seam.New(d.r, d.open).Measure(context.Background(), s)
						if err != nil {
							t.Fatal(err)
						}
						return [2]*seam.Side{m.Out, m.In}
					}
				}
				t.Fatal("there is no seam")
				return [2]*seam.Side{}
			}
			told, baked := sides(dry, &how), sides(wet, nil)
			for i := range told {
				if !told[i].Known || !baked[i].Known || told[i].Gated {
					continue
				}
				by := math.Abs(told[i].Room - baked[i].Room)
				off.count(by > 1)
				worst = max(worst, by)
			}
		}
		t.Logf("%s: the room after filters off by more than 1 dB in %.1f %% of %d, at most by %.1f dB", set, off.percent(), off.n, worst)
		if off.percent() > 5 || off.n < 8 {
			t.Errorf("the room after a treatment is off")
		}
	}
}
