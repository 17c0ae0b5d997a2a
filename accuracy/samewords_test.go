package accuracy

import (
	"context"
	"math/rand/v2"
	"testing"

	"blendseam/core/reel"
	"blendseam/core/seam"
	"blendseam/outside"
)

// TestSameWords compares stretches of one voice: the same words in another room, cut up to
// 0.3 s later, and other words.
//
// Limits: at least 35 % of the same words are recognised, at most 1 % of other words are
// taken for the same. A missed pair only gets a larger uncertainty.
func TestSameWords(t *testing.T) {
	for _, set := range outside.Trials(whole()) {
		var all []float32
		for _, v := range outside.Speech(t, set, 4, some(4, 1)) {
			all = append(all, v[rate/8:len(v)-rate/8]...)
		}
		rng := rand.New(rand.NewPCG(71, 72))
		var same, other tally
		for k := range some(40, 300) {
			n := []int{5, 12}[k%2] * rate
			at, later := rng.IntN(len(all)-n-rate), rng.IntN(rate*3/10)
			b := at + later
			if k/2%2 == 1 {
				b = rng.IntN(len(all) - n)
				if b > at-n && b < at+n {
					continue // they share words
				}
			}
			d := newDesk(t)
			track := d.do(dialogueTrack())
			one := d.do(place(d.source(planted(rng, all[at:at+n], "pink", -60)), track, 0, 0, int64(n)))
			two := d.do(place(d.source(planted(rng, all[b:b+n], "pink", -55)), track, int64(n), 0, int64(n)))
			var spectra [2]seam.LongTerm
			m := seam.New(d.r, d.open)
			for i, id := range []reel.ID{one, two} {
				c, _ := d.r.Clip(id)
				var err error
				if spectra[i], err = m.LongTerm(context.Background(), c); err != nil {
					t.Fatal(err)
				}
			}
			_, is := spectra[0].SameWords(spectra[1])
			if k/2%2 == 0 {
				same.count(is)
			} else {
				other.count(is)
			}
		}
		t.Logf("%s: the same words recognised in %.1f %% of %d, other words taken for them in %.1f %% of %d", set, same.percent(), same.n, other.percent(), other.n)
		if same.percent() < 35-200*sampling(0.35, same.n) || other.percent() > 1+200*sampling(0.01, other.n) {
			t.Error("words are compared wrongly")
		}
	}
}
