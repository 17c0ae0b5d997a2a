package accuracy

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"blendseam/core/level"
	"blendseam/core/measure"
	"blendseam/core/reel"
	"blendseam/outside"
)

// TestTonesOfShortSpeech matches stretches of 5, 12 and 30 s of one voice to other words of
// the same voice, with filters of 0, ±2 and ±4 dB on one side (ffmpeg's shelves and a
// bell), and compares how far the tone is from the reference before and after, in dB RMS
// over the third octaves from 125 Hz to 6.3 kHz with the step in level removed.
//
// Limits: without a filter at most 0.3 dB are added on average; at most 8 % of matches
// are worse by over 0.5 dB at 5 s, and 5 % from 12 s on; a filter of 4 dB is reduced at
// 12 s. The reported ± covers two thirds of the bands' errors.
func TestTonesOfShortSpeech(t *testing.T) {
	sets := outside.Trials(whole())
	if !whole() {
		sets = sets[:1]
	}
	for _, set := range sets {
		var all []float32
		for _, v := range outside.Speech(t, set, 4, 1) {
			all = append(all, v[rate/8:len(v)-rate/8]...)
		}
		rng := rand.New(rand.NewPCG(61, 62))
		for _, seconds := range []int{5, 12, 30} {
			for _, depth := range []float64{0, 2, 4} {
				var worse, covered, left tally
				var before, after float64
				n := some(12, 40)
				for range n {
					stretch := func() []float32 {
						at := rng.IntN(len(all) - seconds*rate)
						return all[at : at+seconds*rate]
					}
					a, b := stretch(), stretch()
					own, is := a, measure.Bands{}
					if depth > 0 {
						sign := func() float64 { return depth * float64(2*rng.IntN(2)-1) }
						filter := fmt.Sprintf("bass=f=%d:t=q:w=0.5:g=%.1f,treble=f=%d:t=q:w=0.5:g=%.1f,equalizer=f=%d:t=q:w=1:g=%.1f",
							150+rng.IntN(250), sign(), 2500+rng.IntN(2500), sign(), 500+rng.IntN(1500), sign()/2)
						v := make([]float32, rate, rate+len(a))
						v[rate/2] = 1
						got := outside.Floats(outside.Run(t, outside.Bytes(append(v, a...)), "ffmpeg", "-v", "error", "-f", "f32le", "-ar", fmt.Sprint(rate), "-ac", "1", "-i", "-", "-af", "aformat=dbl,"+filter, "-f", "f32le", "-"))
						own, is = got[rate:], impulse(got[:rate])
					}
					d := newDesk(t)
					track := d.do(dialogueTrack())
					ref := d.do(place(d.source(b), track, 0, 0, int64(len(b))))
					clip := d.do(place(d.source(own), track, int64(len(b)), 0, int64(len(own))))
					m, err := level.MatchTone(context.Background(), d.r, d.open, []reel.ID{clip}, ref, 1)
					if err != nil {
						t.Fatal(err)
					}
					row := m.Rows[0]
					was, now := roughness(is, measure.Bands{}, nil), roughness(is, row.Tone.Bands, nil)
					before, after = before+was*was/float64(n), after+now*now/float64(n)
					worse.count(now > was+0.5)
					left.count(row.Why != "")
					if row.Unsure != nil && row.Why == "" {
						roughness(is, row.Tone.Bands, func(k int, off float64) { covered.count(math.Abs(off) <= row.Unsure[k]) })
					}
				}
				before, after = math.Sqrt(before), math.Sqrt(after)
				t.Logf("%s, %d s, filter of ±%.0f dB: %.2f → %.2f dB RMS, worse by over 0.5 dB in %.1f %%, left alone in %.0f %%, within ± in %.0f %% of %d bands", set, seconds, depth, before, after, worse.percent(), left.percent(), covered.percent(), covered.n)
				limit := 0.05
				if seconds == 5 {
					limit = 0.08
				}
				if depth == 0 && after > 0.5 || worse.percent() > 100*limit+200*sampling(limit, worse.n) || depth == 4 && seconds >= 12 && after > before {
					t.Errorf("tones of %d s with a filter of ±%.0f dB are matched for the worse", seconds, depth)
				}
			}
		}
	}
}

// roughness is the deviation in dB RMS of a filter and a tone that is to undo it, without
// their step in level, over the third octaves of speech; it reports each band's.
func roughness(is measure.Bands, tone [len(measure.BandCentres)]float64, each func(k int, off float64)) float64 {
	var off []float64
	var at []int
	var mean float64
	for k, hz := range measure.BandCentres {
		if hz > 120 && hz < 6400 {
			off, at = append(off, is[k]+tone[k]), append(at, k)
			mean += is[k] + tone[k]
		}
	}
	mean /= float64(len(off))
	for i := range off {
		off[i] -= mean
		if each != nil {
			each(at[i], off[i])
		}
	}
	return deviation(off)
}
