package seam

import (
	"context"
	"strings"
	"testing"

	"blendseam/core/gain"
	"blendseam/core/reel"
	"blendseam/core/roomtone"
	"blendseam/core/sound"
)

// openTone opens recordings of the bench, and tone that is grown of them.
func (b *bench) openTone(s reel.Source) (sound.Reader, error) {
	if s.Bed.Grown() {
		return roomtone.Grow(s, b.r.Props.SampleRate, b.sound[s.Recording])
	}
	return b.sound[s.Recording], nil
}

func (b *bench) struckSeam() (reel.Seam, Judgement) {
	b.t.Helper()
	for _, s := range b.r.Seams() {
		if s.Kind == reel.StruckSeam {
			got, err := New(b.r, b.openTone).Measure(context.Background(), s)
			if err != nil {
				b.t.Fatal(err)
			}
			return s, got.Judge(b.r.Props.Limits)
		}
	}
	b.t.Fatal("nothing is struck")
	return reel.Seam{}, Judgement{}
}

// A struck span with nothing under it is to be mended; covered, or with tone
// on another track, it is fine; and the proposal covers it.
func TestAStruckSpanIsJudgedByWhatLiesUnderIt(t *testing.T) {
	const rate = 48000
	b := newBench(t, rate)
	track, tone := b.track(reel.Dialogue), b.track(reel.RoomTone)
	src := b.source(hiss(1, 20*rate, -50))
	clip := b.place(src, track, 0, 0, 18*rate)
	strike := b.do(&reel.StrikeSpan{From: 8 * rate, To: 9 * rate, Tracks: []reel.ID{track}, Fade: 1920, Shape: gain.QuarterSine})
	_, j := b.struckSeam()
	if j.Verdict != Mend || j.Hole != rate || !strings.Contains(j.Why, "No room tone under") {
		t.Errorf("with nothing under it: %s, %s, hole %d", j.Verdict, j.Why, j.Hole)
	}
	bare := New(b.r, b.openTone)
	s, j := b.struckSeam()
	plan, err := bare.Propose(context.Background(), j)
	if err != nil || plan.Edit == nil {
		t.Fatal(err, plan)
	}
	rows, err := Sweep(context.Background(), b.r, b.openTone, []reel.Seam{s}, func(float64) {})
	if err != nil || len(rows) != 1 || rows[0].Worse || rows[0].After == nil || rows[0].After.Verdict != Fine {
		t.Errorf("swept: %+v %v", rows, err)
	}
	was := bare.Print(s)
	b.do(plan.Edit)
	if _, j = b.struckSeam(); j.Verdict != Fine || !j.Cover || j.Step > 1.5 || j.Step < -1.5 {
		t.Errorf("covered: %s %s, step %.2f", j.Verdict, j.Why, j.Step)
	}
	if New(b.r, b.openTone).Print(s) == was {
		t.Error("a cover does not alter the print")
	}
	// Tone that is only tried may have the same id as other tone that was tried.
	tried := map[string]bool{}
	for seed := range int64(2) {
		r, err := (&reel.CoverStrike{Strike: strike, Tone: &reel.Tone{Source: src, To: rate, Seed: 8 + seed}}).Apply(b.r)
		if err != nil {
			t.Fatal(err)
		}
		tried[New(r.Reel, b.openTone).Print(s)] = true
	}
	if len(tried) != 2 {
		t.Error("other tone under the same id has the same print")
	}
	// Much too loud, or too soft.
	for _, db := range []float64{9, -20} {
		b.do(&reel.SetStrike{Strike: strike, GainDB: &db})
		if _, j = b.struckSeam(); j.Verdict != Mend {
			t.Errorf("tone by %+.0f dB: %s %s", db, j.Verdict, j.Why)
		}
	}
	b.do(&reel.CoverStrike{Strike: strike})
	b.place(src, tone, 5*rate, 10*rate, 9*rate)
	if _, j = b.struckSeam(); j.Verdict != Check && j.Verdict != Fine || j.Hole != 0 {
		t.Errorf("tone on another track: %s %s, step %.2f", j.Verdict, j.Why, j.Step)
	}
	lower := 1.0
	b.do(&reel.SetStrike{Strike: strike, LowerDB: &lower})
	if _, j = b.struckSeam(); j.Verdict != Fine {
		t.Errorf("lowered by a decibel: %s %s", j.Verdict, j.Why)
	}
	b.do(&reel.SetTrack{Track: track, Mute: ptr(true)})
	if _, j = b.struckSeam(); j.Verdict != Silent || j.Brief != "not heard, muted" {
		t.Errorf("muted: %s %s", j.Verdict, j.Why)
	}
	if c, err := CourseOf(context.Background(), b.r, b.openTone, s, rate); err != nil || len(c.Hard) != len(c.Blend) {
		t.Error(err)
	}
	if sp, err := New(b.r, b.openTone).Spectra(context.Background(), s); err != nil || sp.Out == nil {
		t.Error(err, sp)
	}
	_ = clip
}

func ptr[T any](v T) *T { return &v }
