package accuracy

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"blendseam/core/level"
	"blendseam/core/reel"
	"blendseam/outside"
)

// TestDuckedVoices: recorded voices under made-up rooms, and what a duck makes of them.
// Where somebody speaks is taken from the recordings without the rooms, by level
// alone: two tenths of a second and more within 22 dB of the loudest. In those the
// line has to be all the way down; where the recording is 40 dB down for two seconds
// to both sides it has to be back.
//
// Held to: not down in at most 2 % of the speech, not back in at most 5 % of the rest.
func TestDuckedVoices(t *testing.T) {
	for _, set := range outside.SpeechSets {
		speech := outside.Speech(t, set, 4, some(6, 1))
		rng := rand.New(rand.NewPCG(16, uint64(len(speech))))
		var up, down tally
		for range some(40, 300) {
			a := speech[rng.IntN(len(speech))]
			v := make([]float32, 3*rate, 6*rate+len(a)) // silence about the voice, which the room fills
			v = append(append(v, a...), make([]float32, 3*rate)...)
			d := newDesk(t)
			track := d.do(dialogueTrack())
			music := d.do(&reel.AddTrack{Name: "M", Role: reel.Music})
			d.do(place(d.source(planted(rng, v, []string{"white", "pink", "brown"}[rng.IntN(3)], -62+12*rng.Float64())), track, 0, 0, int64(len(v))))
			like := reel.UsualDuck(d.r.Props)
			e, err := level.Duck(context.Background(), d.r, d.open, music, like)
			if err != nil {
				t.Fatal(err)
			}
			p := make([]float64, len(v)/(rate/10))
			most := 0.0
			for k := range p {
				p[k] = power(v[k*rate/10 : (k+1)*rate/10])
				most = max(most, p[k])
			}
			over := func(k int, db float64) bool { return k >= 0 && k < len(p) && p[k] > most*math.Pow(10, db/10) }
			d.do(e)
			ride := d.r.Ride(-music)
			for k := range p {
				mid := int64(k*rate/10 + rate/20)
				quiet := true
				for j := k - 20; j <= k+20 && quiet; j++ {
					quiet = !over(j, -40)
				}
				switch {
				case over(k, -22) && (over(k-1, -22) || over(k+1, -22)):
					up.count(ride.DB(mid) > -like.ByDB+0.5)
				case quiet:
					down.count(ride.DB(mid) < -0.1)
				}
			}
		}
		t.Logf("%s: not down in %.1f %% of %d tenths of speech, not back in %.1f %% of %d without", set, up.percent(), up.n, down.percent(), down.n)
		if up.percent() > 2 || down.percent() > 5 {
			t.Errorf("the duck is off")
		}
	}
}
