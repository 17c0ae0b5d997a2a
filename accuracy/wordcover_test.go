package accuracy

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"blendseam/core/gain"
	"blendseam/core/measure"
	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/roomtone"
	"blendseam/core/seam"
	"blendseam/core/sound"
	"blendseam/outside"
)

// TestCoversInsideWords strikes spans of 40 to 300 ms inside words, covers them with tone
// of the planted room, and compares the reported level with the rendered one. The
// reference renders the span alone and filters it from its first sample, which keeps the
// word from ringing into it.
//
// Limits: the reported level is within 1.5 dB of the rendered one in 98 %, and no cover
// within 2 dB of its room gets the verdict mend.
func TestCoversInsideWords(t *testing.T) {
	for _, set := range outside.Trials(whole()) {
		speech := outside.Speech(t, set, 4, some(5, 1))
		rng := rand.New(rand.NewPCG(41, 42))
		var off, mend tally
		worst := 0.0
		for k := 0; off.n < some(24, 300) && k < 5000; k++ {
			v := speech[rng.IntN(len(speech))]
			db := []float64{-62, -55, -48}[k%3]
			room := outside.Noise([]string{"white", "pink"}[k%2], rng, len(v), db)
			v = plus(v, room)
			n := int64(rate/25 + rng.IntN(rate/4))
			at := int64(rate) + rng.Int64N(int64(len(v))-n-2*rate)
			loud := measure.RMS(high(room)) + 24
			if measure.RMS(high(v[at-960:at])) < loud || measure.RMS(high(v[at+n:at+n+960])) < loud {
				continue // not inside a word
			}
			d := newDesk(t)
			track, src := d.do(dialogueTrack()), d.source(v)
			hum := d.source(room)
			d.do(place(src, track, 0, 0, int64(len(v))))
			id := d.do(&reel.StrikeSpan{From: at, To: at + n, Tracks: []reel.ID{track}, Fade: 240, Shape: gain.QuarterSine})
			d.do(&reel.CoverStrike{Strike: id, Tone: &reel.Tone{Source: hum, To: rate, Seed: int64(k + 1)}})
			got := judgeStrike(t, d)
			is := measure.RMS(high(renderGrown(t, d, at, at+n))[240:])
			by := math.Abs(got.In.Room - is)
			worst = max(worst, by)
			off.count(by > 1.5)
			if math.Abs(is-measure.RMS(high(room))) < 2 && got.Known {
				f := of(got, "struck")
				mend.count(f.Verdict == seam.Mend)
				if f.Verdict == seam.Mend {
					t.Logf("mend: cover at %.1f, reported %.1f, room %.1f, reported %.1f ± %.1f", is, got.In.Room, measure.RMS(high(room)), got.Out.Room, got.Off)
				}
			}
		}
		t.Logf("%s: covers inside words off by more than 1.5 dB in %.1f %% of %d, at most %.1f dB; mend %.1f %% of %d", set, off.percent(), off.n, worst, mend.percent(), mend.n)
		if off.n < 20 || off.percent() > 2+200*sampling(0.02, off.n) || mend.percent() > 2+100*sampling(0.02, mend.n) {
			t.Error("covers inside words are reported at a wrong level")
		}
	}
}

// judgeStrike measures the only struck span of a reel.
func judgeStrike(t *testing.T, d *desk) seam.Judgement {
	t.Helper()
	for _, s := range d.r.Seams() {
		if s.Kind == reel.StruckSeam {
			m, err := seam.New(d.r, d.openGrown).Measure(context.Background(), s)
			if err != nil {
				t.Fatal(err)
			}
			return m.Judge(d.r.Props.Limits)
		}
	}
	t.Fatal("nothing is struck")
	return seam.Judgement{}
}

// openGrown opens recordings and grown tone.
func (d *desk) openGrown(s reel.Source) (sound.Reader, error) {
	if s.Bed.Grown() {
		return roomtone.Grow(s, rate, d.sound[s.Recording])
	}
	return d.sound[s.Recording], nil
}

// renderGrown renders the left side of [from, to) with grown tone.
func renderGrown(t *testing.T, d *desk, from, to int64) []float32 {
	t.Helper()
	m, err := mix.New(d.r, d.openGrown, mix.Options{})
	if err != nil {
		t.Fatal(err)
	}
	left, right := make([]float32, to-from), make([]float32, to-from)
	if err := m.Render(context.Background(), left, right, from); err != nil {
		t.Fatal(err)
	}
	return left
}
