package accuracy

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"blendseam/core/level"
	"blendseam/core/measure"
	"blendseam/core/reel"
	"blendseam/outside"
)

// TestMatchedTones: recorded voices through filters of ffmpeg's, shelves and a bell of
// random places and depths, with a room under both; and what the tone that is matched
// makes up for, band by band from 125 Hz to 6.3 kHz, as far as these recordings go. Once
// against the same words, once against other words of the same voice, of some seconds.
//
// Held to: of the same words off by more than 1.5 dB in at most 2 % of the bands, of
// other words by more than 6 dB in at most 5 %.
func TestMatchedTones(t *testing.T) {
	for _, set := range outside.SpeechSets {
		speech := outside.Speech(t, set, 6, some(4, 1))
		rng := rand.New(rand.NewPCG(21, uint64(len(speech))))
		var same, other, most tally
		var offs []float64
		for range some(16, 150) {
			a, b := speech[rng.IntN(len(speech))], speech[rng.IntN(len(speech))]
			filter := fmt.Sprintf("bass=f=%d:t=q:w=0.5:g=%.1f,treble=f=%d:t=q:w=0.5:g=%.1f,equalizer=f=%d:t=q:w=1:g=%.1f",
				150+rng.IntN(250), 10*rng.Float64()-5, 2500+rng.IntN(2500), 10*rng.Float64()-5, 500+rng.IntN(1500), 8*rng.Float64()-4)
			// An impulse before the words tells what the filter is.
			v := make([]float32, rate, rate+len(a))
			v[rate/2] = 1
			got := outside.Floats(outside.Run(t, outside.Bytes(append(v, a...)), "ffmpeg", "-v", "error", "-f", "f32le", "-ar", fmt.Sprint(rate), "-ac", "1", "-i", "-", "-af", "aformat=dbl,"+filter, "-f", "f32le", "-"))
			is := impulse(got[:rate])
			for i, like := range [][]float32{a, b} {
				d := newDesk(t)
				track := d.do(dialogueTrack())
				floor := -64 + 8*rng.Float64()
				ref := d.do(place(d.source(planted(rng, like, "pink", floor)), track, 0, 0, int64(len(like))))
				own := d.do(place(d.source(planted(rng, got[rate:], "pink", floor)), track, int64(len(like)), 0, int64(len(a))))
				m, err := level.MatchTone(context.Background(), d.r, d.open, []reel.ID{own}, ref, 1)
				if err != nil || len(m.Rows) != 1 || m.Rows[0].Why != "" {
					continue // too little is said to tell: it says so
				}
				off := m.Rows[0].Tone.Bands
				var mean, n float64
				for k, hz := range measure.BandCentres {
					off[k] += is[k]
					if hz > 120 && hz < 6400 {
						mean, n = mean+off[k], n+1
					}
				}
				for k, hz := range measure.BandCentres {
					if hz < 120 || hz > 6400 {
						continue
					}
					by := math.Abs(off[k] - mean/n)
					if i == 0 {
						same.count(by > 1.5)
					} else {
						other.count(by > 6)
						most.count(by > 3)
						offs = append(offs, by)
					}
				}
			}
		}
		slices.Sort(offs)
		t.Logf("%s: of the same words off by more than 1.5 dB in %.1f %% of %d bands; of other words by more than 3 dB in %.1f %%, 6 dB in %.1f %% of %d, half of them by less than %.1f dB",
			set, same.percent(), same.n, most.percent(), other.percent(), other.n, offs[len(offs)/2])
		if same.percent() > 2 || other.percent() > 5 {
			t.Errorf("the tone is off")
		}
	}
}

// impulse are the third octaves of a filter's answer to an impulse in the middle.
func impulse(v []float32) measure.Bands {
	s := measure.NewSpectrum(rate)
	at := []int{len(v)/2 - s.Segment()/2}
	one := make([]float32, len(v))
	one[len(v)/2] = 1
	got, flat := s.Of(v, at), s.Of(one, at)
	for k := range got {
		got[k] -= flat[k]
	}
	return got
}
