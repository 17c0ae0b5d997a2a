package reel

import (
	"strings"
	"testing"

	"blendseam/core/treat"
)

func telephone() *treat.Settings {
	return &treat.Settings{HighPass: treat.Cut{Hz: 300, Slope: 24}, Bells: [4]treat.Bell{{Hz: 1200, DB: 4, Q: 1}}}
}

// A clip has one treatment and a track has one; each goes with what it is of.
func TestTreatmentsGoWithTheirs(t *testing.T) {
	r, clip, track, other := ridable(t)
	r, _ = mustDo(t, r, &Treat{Track: track, Does: telephone()})
	r, _ = mustDo(t, r, &Treat{Clips: []ID{clip}, Does: telephone(), Alone: ptr(true)})
	r, _ = mustDo(t, r, &Treat{Clips: []ID{clip}, Off: ptr(true)})
	if n := len(r.Treatments); n != 2 {
		t.Fatalf("%d treatments", n)
	}
	x, err := r.CopyClips([]ID{clip})
	if err != nil {
		t.Fatal(err)
	}
	pasted, made := mustDo(t, r, &Paste{What: x, Track: other, At: 0})
	if own, ok := pasted.TreatmentOf(made[0]); !ok || !own.Alone || !own.Off || own.Does != *telephone() {
		t.Errorf("the copy has %+v", own)
	}
	parted, made := mustDo(t, r, &Split{Clips: []ID{clip}, At: 20000})
	one, _ := parted.TreatmentOf(clip)
	two, _ := parted.TreatmentOf(made[0])
	if one.Does != two.Does || one.ID == two.ID {
		t.Errorf("split: %+v and %+v", one, two)
	}
	unlike, _ := mustDo(t, parted, &Treat{Clips: made, Off: ptr(false)})
	_, err = (&Join{Left: clip, Right: made[0]}).Apply(unlike)
	no, ok := err.(*Refusal)
	if !ok || !strings.Contains(no.Reason, "treated differently") || no.Offer == nil {
		t.Fatalf("joined though they are not treated alike: %v", err)
	}
	alike, _ := mustDo(t, unlike, no.Offer)
	if joined, _ := mustDo(t, alike, &Join{Left: clip, Right: made[0]}); len(joined.Treatments) != 2 {
		t.Errorf("%d treatments after the join", len(joined.Treatments))
	}
	gone, _ := mustDo(t, r, &RemoveTrack{Track: track})
	if len(gone.Treatments) != 0 {
		t.Errorf("%+v outlived their track", gone.Treatments)
	}
}

// A matched tone of which none is used stays, to be turned up again; what does nothing
// is no treatment.
func TestToneTurnedDown(t *testing.T) {
	r, clip, _, _ := ridable(t)
	tone := treat.Voicing{Bands: [treat.ToneBands]float64{3, -2}, Amount: 0}
	r, _ = mustDo(t, r, &Treat{Clips: []ID{clip}, Tone: &tone})
	if own, ok := r.TreatmentOf(clip); !ok || own.Does.Tone != tone || !own.Does.None() {
		t.Fatalf("%+v", own)
	}
	tone.Amount = 0.5
	r, _ = mustDo(t, r, &Treat{Clips: []ID{clip}, Tone: &tone})
	if own, _ := r.TreatmentOf(clip); own.Does.None() {
		t.Error("turned up it does nothing")
	}
	start := treat.Start
	r, _ = mustDo(t, r, &Treat{Clips: []ID{clip}, Does: &start})
	if len(r.Treatments) != 0 {
		t.Errorf("what does nothing was kept: %+v", r.Treatments)
	}
}

func TestTreatmentRefusals(t *testing.T) {
	r, clip, track, other := ridable(t)
	locked, _ := mustDo(t, r, &SetTrack{Track: track, Locked: ptr(true)})
	pics, _ := mustDo(t, r, &SetTrack{Track: other, Role: ptr(PictureRole)})
	for _, c := range []struct {
		r    *Reel
		e    *Treat
		says string
	}{
		{r, &Treat{Does: telephone()}, "of clips or of a track"}, {r, &Treat{Clips: []ID{clip}, Track: track}, "of clips or of a track"},
		{r, &Treat{Track: 999, Does: telephone()}, "gone"}, {r, &Treat{Clips: []ID{999}, Does: telephone()}, "gone"},
		{locked, &Treat{Track: track, Does: telephone()}, "locked"}, {locked, &Treat{Clips: []ID{clip}, Does: telephone()}, "locked"},
		{pics, &Treat{Track: other, Does: telephone()}, "no sound"}, {r, &Treat{Track: track, Alone: ptr(true)}, "not a track"},
		{r, &Treat{Track: track, Does: &treat.Settings{HighPass: treat.Cut{Hz: 5, Slope: 12}}}, "20 and 20000 Hz"},
	} {
		_, err := c.e.Apply(c.r)
		if no, ok := err.(*Refusal); !ok || !strings.Contains(no.Error(), c.says) {
			t.Errorf("%+v: %v, not “%s”", c.e, err, c.says)
		}
	}
}
