package accuracy

import (
	"context"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"blendseam/core/level"
	"blendseam/core/measure"
	"blendseam/core/reel"
	"blendseam/outside"
)

// said is how loud the voice of a recording is, in LUFS: of the tenths of a second
// within 22 dB of the loudest and those beside them, found by level alone.
func said(v []float32) float64 {
	const tenth = rate / 10
	p := make([]float64, len(v)/tenth)
	most := 0.0
	for k := range p {
		p[k] = power(v[k*tenth : (k+1)*tenth])
		most = max(most, p[k])
	}
	loud := func(k int) bool { return k >= 0 && k < len(p) && p[k] > most*math.Pow(10, -2.2) }
	l := measure.NewLoudness(rate, 1)
	for k := range p {
		if loud(k-1) || loud(k) || loud(k+1) {
			l.Add([][]float32{v[k*tenth : (k+1)*tenth]})
		}
	}
	return l.Integrated()
}

// TestMatchedVoices: recorded voices under made-up rooms of other levels, with
// gains at random, brought to the loudness of one another. The gain that is
// proposed is held against what the recordings ask for without the rooms.
//
// Held to: half within 0.1 dB, nine of ten within 0.3 dB.
func TestMatchedVoices(t *testing.T) {
	for _, set := range outside.SpeechSets {
		speech := outside.Speech(t, set, 4, some(6, 1))
		rng := rand.New(rand.NewPCG(15, uint64(len(speech))))
		var off []float64
		var left tally
		for range some(60, 600) {
			a, b := speech[rng.IntN(len(speech))], speech[rng.IntN(len(speech))]
			colours := []string{"white", "pink", "brown"}
			d := newDesk(t)
			track := d.do(dialogueTrack())
			gainB := math.Round(rng.Float64()*40-20) / 2
			low := func() float64 { return -62 + 12*rng.Float64() }
			x := d.do(place(d.source(planted(rng, a, colours[rng.IntN(3)], low())), track, 0, 0, int64(len(a))))
			y := d.do(place(d.source(planted(rng, b, colours[rng.IntN(3)], low())), track, int64(len(a)), 0, int64(len(b))))
			d.do(&reel.Gain{Clips: []reel.ID{y}, ToDB: &gainB})
			got, err := level.MatchLike(context.Background(), d.r, d.open, []reel.ID{y}, x)
			if err != nil {
				left.count(true) // too little is said over the room
				continue
			}
			left.count(got.Rows[0].Why != "")
			if got.Rows[0].Why == "" {
				off = append(off, got.Rows[0].ToDB-(said(a)-said(b)))
			}
		}
		for i, v := range off {
			off[i] = math.Abs(v)
		}
		slices.Sort(off)
		half, most := off[len(off)/2], off[len(off)*9/10]
		t.Logf("%s: %d matched, half within %.2f dB, nine of ten within %.2f, at most %.2f; %.0f %% left", set, len(off), half, most, off[len(off)-1], left.percent())
		if half > 0.1 || most > 0.3 {
			t.Errorf("off by %.2f", off)
		}
	}
}
