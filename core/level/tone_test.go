package level

import (
	"context"
	"errors"
	"math"
	"slices"
	"strings"
	"testing"

	"blendseam/core/measure"
	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/core/treat"
	"blendseam/outside"
)

// filtered is a sound put through ffmpeg's filters.
func filtered(t *testing.T, v []float32, filter string) []float32 {
	return outside.Floats(outside.Run(t, outside.Bytes(v), "ffmpeg", "-v", "error", "-f", "f32le", "-ar", "48000", "-ac", "1", "-i", "-", "-af", "aformat=dbl,"+filter, "-f", "f32le", "-"))
}

// A known filter put on a recorded voice is recovered within 1.5 dB in each third
// octave from 125 Hz to 8 kHz; and what is heard with the tone matched has the spectrum
// of the other, by a measure of its own. Filters: ffmpeg.
func TestToneRecoversAFilter(t *testing.T) {
	var voice []float32
	for _, v := range outside.Voices(t) {
		voice = append(voice, v...)
	}
	for name, filter := range map[string]string{
		"far":  "bass=f=250:t=q:w=0.5:g=-5,treble=f=3500:t=q:w=0.5:g=-6",
		"near": "bass=f=200:t=q:w=0.5:g=5,equalizer=f=2500:t=q:w=0.7:g=4",
		"box":  "equalizer=f=500:t=q:w=1:g=6,treble=f=5000:t=q:w=0.5:g=-4,volume=-9dB",
	} {
		sounds := map[string]sound.Memory{"a": {voice}, "b": {filtered(t, voice, filter)}}
		seconds := float64(len(voice)) / rate
		r, ids := cut(t, sounds, []stretchOf{{"a", 0, seconds, 0}, {"b", 0, seconds, 0}})
		open := func(s reel.Source) (sound.Reader, error) { return sounds[s.Recording], nil }
		m, err := MatchTone(context.Background(), r, open, ids[1:], ids[0], 1)
		if err != nil || m.Edit == nil {
			t.Fatalf("%s: %v", name, err)
		}
		impulse := make([]float32, 1<<16)
		impulse[1<<15] = 1
		was := response(filtered(t, impulse, filter))
		// Up to the level, which is not the tone's.
		var mean, n float64
		for k, hz := range measure.BandCentres {
			if hz > 120 && hz < 8200 {
				mean, n = mean+m.Rows[0].Tone.Bands[k]+was[k], n+1
			}
		}
		for k, hz := range measure.BandCentres {
			if off := m.Rows[0].Tone.Bands[k] + was[k] - mean/n; hz > 120 && hz < 8200 && math.Abs(off) > 1.5 {
				t.Errorf("%s: %.0f Hz %.2f dB, the filter did %.2f: off by %.2f", name, hz, m.Rows[0].Tone.Bands[k], was[k], off)
			}
		}
		if !strings.HasPrefix(m.Words(), "Tone matched to “a") {
			t.Errorf("%q", m.Words())
		}
		// Once more it stays: what was matched before does not count twice.
		done, err := m.Edit.Apply(r)
		if err != nil {
			t.Fatal(err)
		}
		again, err := MatchTone(context.Background(), done.Reel, open, ids[1:], ids[0], 1)
		if err != nil || again.Edit != nil {
			t.Errorf("%s: matched twice, %v", name, err)
		}
	}
}

// response is the level of third octaves of an impulse's answer, in dB, by a sum over
// its transform.
func response(v []float32) measure.Bands {
	var out measure.Bands
	s := measure.NewSpectrum(rate)
	// The answer lies in the middle of a segment, whose window is 1 there.
	mid := len(v) / 2
	got := s.Of(v, []int{mid - s.Segment()/2})
	one := make([]float32, len(v))
	one[mid] = 1
	flat := s.Of(one, []int{mid - s.Segment()/2})
	for k := range out {
		out[k] = got[k] - flat[k]
	}
	return out
}

func TestToneCurve(t *testing.T) {
	var own, want measure.Bands
	for k := range own {
		own[k], want[k] = -40, -52
	}
	all := func(int) bool { return true }
	if got, by := toneBetween(own, want, all); got != ([treat.ToneBands]float64{}) || math.Abs(by+12) > 1e-9 {
		t.Errorf("a step in level is a tone: %v, %.2f dB", got, by)
	}
	for k := range want {
		want[k] = own[k] + 3*float64(k)
	}
	got, _ := toneBetween(own, want, all)
	for k, db := range got {
		if math.Abs(db) > toneLimits[k] {
			t.Errorf("band %d by %.2f dB", k, db)
		}
	}
	if got[5] != -treat.MostTone || got[0] != -4.5 || got[1] != -6 {
		t.Errorf("%v", got)
	}
	// Bands that are not heard follow their neighbours, less with each.
	got, _ = toneBetween(own, want, func(k int) bool { return k >= 9 && k <= 11 })
	if math.Abs(got[8]-got[9]/2) > 0.01 || math.Abs(got[7]-got[9]/4) > 0.01 || math.Abs(got[13]) >= math.Abs(got[12])+1e-9 {
		t.Errorf("%v", got)
	}
}

func TestToneRefuses(t *testing.T) {
	v := recorded(t, "warden take 3")
	sounds := map[string]sound.Memory{"v": {v}, "silence": {make([]float32, len(v))}, "noise": {noise(len(v), 0.1, 3)}}
	open := func(s reel.Source) (sound.Reader, error) { return sounds[s.Recording], nil }
	r, ids := cut(t, sounds, []stretchOf{{"v", 0, 5, 0}, {"silence", 0, 5, 0}, {"v", 1, 0.1, 0}, {"noise", 0, 3, 0}})
	for _, ref := range []reel.ID{ids[1], ids[2], 9999} {
		var no *reel.Refusal
		if _, err := MatchTone(context.Background(), r, open, ids[:1], ref, 1); !errors.As(err, &no) {
			t.Errorf("reference %d: %v", ref, err)
		}
	}
	m, err := MatchTone(context.Background(), r, open, ids[1:], ids[0], 0.5)
	if err != nil || m.Edit != nil || slices.ContainsFunc(m.Rows[:2], func(row ToneRow) bool { return row.Why == "" }) {
		t.Errorf("silence and a tenth of a second: %+v, %v", m.Rows, err)
	}
	for _, amount := range []float64{-0.1, 1.1, math.NaN()} {
		if _, err := MatchTone(context.Background(), r, open, ids[1:], ids[0], amount); err == nil {
			t.Errorf("amount %g was taken", amount)
		}
	}
}
