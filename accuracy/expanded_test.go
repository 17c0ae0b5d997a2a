package accuracy

import (
	"context"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"blendseam/core/level"
	"blendseam/core/measure"
	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/seam"
	"blendseam/core/treat"
	"blendseam/outside"
)

// TestExpandedRooms plants rooms of three colours under recorded voices and treats their
// track with an expander at the proposed threshold, and at thresholds 4 dB around it. By how
// much the room is reported to be lowered is compared with the planted noise alone, put
// through the same expander: its power above 150 Hz before and after, once it has settled.
//
// Limits: off by more than 2 dB in at most 5 %, and at the proposed threshold the noise
// is lowered by at least 6 of the 8 dB.
func TestExpandedRooms(t *testing.T) {
	for _, set := range outside.Trials(whole()) {
		speech := outside.Speech(t, set, 6, some(4, 1))
		rng := rand.New(rand.NewPCG(51, 52))
		var off, weak tally
		worst := 0.0
		var offs []float64
		for k, tried := 0, 0; k < some(18, 150) && tried < 2000; k, tried = k+1, tried+1 {
			v := speech[rng.IntN(len(speech))]
			planted := -62 + 14*rng.Float64()
			if quietest(v) > planted-12 {
				k--
				continue // the noise alone is no reference: the recording's own room is as loud
			}
			room := outside.Noise([]string{"white", "pink", "brown"}[k%3], rng, len(v), planted)
			side := func(does *treat.Settings) *seam.Side {
				d := newDesk(t)
				left, right := d.cut(plus(v, room), len(v)*3/4, plus(v, room), len(v)/4, len(v))
				if does != nil {
					c, _ := d.r.Clip(left)
					d.do(&reel.Treat{Track: c.Track, Does: does})
				}
				return d.judge(left, right).Out
			}
			d := newDesk(t)
			track := d.do(dialogueTrack())
			d.do(place(d.source(plus(v, room)), track, 0, 0, int64(len(v))))
			look, err := level.LookAt(context.Background(), d.r, d.open, reel.Treatment{Track: track, Does: treat.Settings{Expander: treat.UsualExpander}}, int64(len(v)*3/4))
			if err != nil {
				t.Fatal(err)
			}
			if look.Threshold == nil {
				continue
			}
			how := treat.Settings{Expander: treat.UsualExpander}
			how.Expander.ThresholdDB = *look.Threshold + []float64{0, -4, -8}[k/3%3]
			dry, wet := side(nil), side(&how)
			if !dry.Known || dry.Gated {
				continue
			}
			is := measure.RMS(high(room)) - measure.RMS(high(expandedNoise(t, room, &how))[2*rate:])
			by := math.Abs(dry.Room - wet.Room - is)
			offs = append(offs, by)
			off.count(by > 2)
			worst = max(worst, by)
			if k/3%3 == 0 {
				weak.count(is < 6)
			}
			if by > 2 && whole() {
				t.Logf("%s: lowered by %.1f, reported %.1f ± %.1f", []string{"white", "pink", "brown"}[k%3], is, dry.Room-wet.Room, wet.Unsure)
			}
		}
		slices.Sort(offs)
		t.Logf("%s: lowering of a room off by more than 2 dB in %.1f %% of %d, half by less than %.1f, at most %.1f dB; lowered by less than 6 dB at the proposed threshold in %.1f %% of %d",
			set, off.percent(), off.n, offs[len(offs)/2], worst, weak.percent(), weak.n)
		if off.n < 10 || off.percent() > 5+200*sampling(0.05, off.n) || weak.percent() > 5+200*sampling(0.05, weak.n) {
			t.Error("the room of an expanded clip is reported at a wrong level")
		}
	}
}

// expandedNoise is noise alone as a track with an expander plays it.
func expandedNoise(t *testing.T, v []float32, how *treat.Settings) []float32 {
	t.Helper()
	d := newDesk(t)
	track := d.do(dialogueTrack())
	d.do(place(d.source(v), track, 0, 0, int64(len(v))))
	d.do(&reel.Treat{Track: track, Does: how})
	m, err := mix.New(d.r, d.open, mix.Options{})
	if err != nil {
		t.Fatal(err)
	}
	left, right := make([]float32, len(v)), make([]float32, len(v))
	if err := m.Render(context.Background(), left, right, 0); err != nil {
		t.Fatal(err)
	}
	return left
}

// quietest is the level of the quietest 100 ms of a recording over the full band, in dBFS.
func quietest(v []float32) float64 {
	out := 0.0
	for at := rate / 5; at+rate/10 <= len(v); at += rate / 40 {
		out = min(out, 10*math.Log10(power(v[at:at+rate/10])+1e-12))
	}
	return out
}
