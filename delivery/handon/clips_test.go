package handon

import (
	"bytes"
	"context"
	"errors"
	"io"
	"math"
	"strings"
	"testing"
	"time"

	"blendseam/core/conform"
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
	which, last := conform.Choice{Fades: conform.FadesCurved, Clips: true}, int64(0)
	lost, err := Write(ctx, &file, r, which, open, time.Now(), func(n int64) {
		if n < last {
			t.Errorf("after %d samples %d were told", last, n)
		}
		last = n
	})
	if last != Samples(r, which) {
		t.Errorf("%d samples were told of %d", last, Samples(r, which))
	}
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
	if all := Loses(r, conform.Choice{Fades: conform.FadesCurved}); len(all) != 4 {
		t.Errorf("without files of clips it is said to lose %q", all)
	}
	// It ends when it is cancelled, however early.
	stop, cancel := context.WithCancel(ctx)
	if _, err := Write(stop, io.Discard, r, which, open, time.Now(), func(int64) { cancel() }); !errors.Is(err, context.Canceled) {
		t.Errorf("cancelled it ended with %v", err)
	}
}
