package handon

import (
	"bytes"
	"context"
	"math"
	"strings"
	"testing"
	"time"

	"blendseam/core/gain"
	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/treat"
)

// Clips that a list cannot say are handed on as they sound: with their gain lines, struck
// spans, treatments and balance, blends with them among these, one louder than full
// scale. Played by its text alone the list sounds as the reel.
func TestClipsInFiles(t *testing.T) {
	ctx := context.Background()
	r, open := faded(t)
	do := func(e reel.Edit) {
		t.Helper()
		done, err := e.Apply(r)
		if err != nil {
			t.Fatalf("%T: %v", e, err)
		}
		r = done.Reel
	}
	named := func(name string) reel.Clip {
		for _, c := range r.Clips {
			if c.Name == name {
				return c
			}
		}
		t.Fatalf("there is no clip %q", name)
		return reel.Clip{}
	}
	b, d, g, h := named("b"), named("d"), named("g"), named("h")
	low, high, half := -9.0, 2.0, 0.5
	do(&reel.AddPoint{Clip: d.ID, At: d.Offset + 2000, DB: &low})
	do(&reel.AddPoint{Clip: d.ID, At: d.Offset + 20000, DB: &high})
	do(&reel.StrikeSpan{Clips: []reel.ID{g.ID}, Tracks: []reel.ID{g.Track}, From: g.Start + 5000, To: g.Start + 9000, Fade: 480, Shape: gain.QuarterSine})
	do(&reel.Treat{Clips: []reel.ID{h.ID}, Does: &treat.Settings{HighPass: treat.Cut{Hz: 300, Slope: 24}, Expander: treat.UsualExpander}})
	do(&reel.SetClip{Clip: b.ID, Balance: &half})
	var file bytes.Buffer
	lost, err := Write(ctx, &file, r, Choice{Fades: FadesCurved, Clips: true}, open, time.Now(), nil)
	if err != nil || len(lost) != 0 {
		t.Fatal(lost, err)
	}
	n := r.Length()
	left, right, list := played(t, file.Bytes(), n)
	m, err := mix.New(r, open, mix.Options{})
	if err != nil {
		t.Fatal(err)
	}
	x, y := make([]float32, n), make([]float32, n)
	if err := m.Render(ctx, x, y, 0); err != nil {
		t.Fatal(err)
	}
	for k := range x {
		if math.Abs(float64(x[k])-left[k]) > 1e-6 || math.Abs(float64(y[k])-right[k]) > 1e-6 {
			t.Fatalf("sample %d plays %g, %g and is %g, %g", k, left[k], right[k], x[k], y[k])
		}
	}
	if got := strings.Count(list, "/Clips/"); got != 4 {
		t.Errorf("%d clips are in files, not 4:\n%s", got, list)
	}
	if all := Loses(r, Choice{Fades: FadesCurved}); len(all) != 4 {
		t.Errorf("without files of clips it is said to lose %q", all)
	}
	if a, b := Samples(r, Choice{Fades: FadesCurved, Clips: true}), Samples(r, Choice{}); a <= b {
		t.Errorf("%d samples with files of clips, %d without", a, b)
	}
}
