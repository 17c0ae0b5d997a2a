package reel

import (
	"strings"
	"testing"

	"blendseam/core/gain"
	"blendseam/core/timecode"
)

// Many cuts are blended as one step, each as long as fits, and what has a blend
// keeps it.
func TestBlendCuts(t *testing.T) {
	r := &Reel{NextID: 1, Props: Props{Name: "t", SampleRate: 48000, FrameRate: timecode.Rate25}}
	do := func(e Edit) ID {
		t.Helper()
		done, err := e.Apply(r)
		if err != nil {
			t.Fatal(err)
		}
		if r = done.Reel; len(done.Made) > 0 {
			return done.Made[0]
		}
		return 0
	}
	src := do(&AddSource{Source: Source{Recording: "a", Name: "a", Right: -1, Length: 480000, StartTC: -1}})
	track := do(&AddTrack{Name: "A", Role: Dialogue})
	var clips []ID
	for k, offset := range []int64{48000, 96000, 100, 200000, 0} { // the third has 100 samples ahead, the last none
		n := int64(48000)
		if k == 3 {
			n = 280000 // to the recording's end: nothing beyond it
		}
		at := int64(0)
		for _, c := range r.OnTrack(track) {
			at = max(at, c.End())
		}
		clips = append(clips, do(&Place{Source: src, Track: track, Start: at, Offset: offset, Length: n}))
	}
	var cuts []SoundCut
	for i := 1; i < len(clips); i++ {
		cuts = append(cuts, SoundCut{clips[i-1], clips[i]})
	}
	kept := do(&SetBlend{Left: clips[0], Right: clips[1], Before: 10, After: 10, Law: gain.ConstantGain, Lean: gain.Even})
	e := &BlendCuts{Cuts: cuts, Usual: Usual{Length: 4800, Blend: SetBlend{Law: gain.ConstantPower, Lean: gain.Even}}}
	was := r
	done, err := e.Apply(r)
	if err != nil {
		t.Fatal(err)
	}
	if b, _ := done.Reel.Blend(kept); b.Length() != 20 || len(done.Reel.Blends) != 3 || done.Label != "blend 2 cuts" {
		t.Errorf("%d blends, %q, the one that was there has %d samples", len(done.Reel.Blends), done.Label, b.Length())
	}
	if _, b := done.Reel.BlendAt(clips[1]); b.Before != 100 || b.After != 100 {
		t.Errorf("with 100 samples ahead: %+v", b)
	}
	if len(done.Says) != 1 || !strings.Contains(done.Says[0], "no handle") {
		t.Errorf("%q", done.Says)
	}
	if err := done.Reel.Check(); err != nil {
		t.Error(err)
	}
	if len(was.Blends) != 1 {
		t.Error("the version before was changed")
	}
	r = done.Reel
	if _, err := e.Apply(r); err == nil || !strings.Contains(err.Error(), "handle") {
		t.Errorf("again: %v", err)
	}
	if _, err := (&BlendCuts{}).Apply(r); err == nil {
		t.Error("no cut at all is taken")
	}
}

// The sides of a blend by themselves begin as the law has them: the curves are
// the same, sample by sample, where the law has one shape for both.
func TestSidesApartBeginAsTheLaw(t *testing.T) {
	r, a, b := pair(t)
	for _, law := range []gain.Law{gain.ConstantPower, gain.ConstantGain, gain.ConstantPowerEased, gain.ConstantGainEased, gain.Matched} {
		set := SetBlend{Left: a.ID, Right: b.ID, Before: 20, After: 20, Law: law, Lean: 0.5}
		whole := mustApply(t, r, &set).Blends[0]
		set.Apart = true
		apart := mustApply(t, r, &set).Blends[0]
		if apart.Out == (Side{}) || apart.In != apart.Out || apart.Law != law {
			t.Fatalf("%s: %+v", law, apart)
		}
		if law == gain.Matched { // it waits for the likeness of the sides
			if apart.In.Shape != gain.QuarterSine {
				t.Errorf("matched: %+v", apart)
			}
			continue
		}
		for k := range int64(40) {
			for _, c := range [][2]gain.Curve{{whole.InCurve(), apart.InCurve()}, {whole.OutCurve(), apart.OutCurve()}} {
				if x, y := c[0].At(k), c[1].At(k); x != y {
					t.Fatalf("%s at %d: %g and %g", law, k, x, y)
				}
			}
		}
	}
}
