package level

import (
	"context"
	"errors"
	"math/rand/v2"
	"strings"
	"testing"

	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/core/timecode"
	"blendseam/outside"
)

// A reading of recorded sentences is fitted by its pauses alone: exactly as long as asked,
// every word bit for bit as it was, in its order; each pause keeps 150 ms; and what the
// pauses cannot give is refused with what they can.
func TestFitPauses(t *testing.T) {
	ctx := context.Background()
	var v []float32
	for _, s := range outside.Speech(t, outside.SpeechSets[1], 3, 30)[:4] {
		v = append(v, s...)
		v = append(v, make([]float32, 40000)...)
	}
	for i, x := range outside.Noise("pink", rand.New(rand.NewPCG(7, 1)), len(v), -58) {
		v[i] += x
	}
	r := &reel.Reel{NextID: 1, Props: reel.Props{Name: "t", SampleRate: 48000, FrameRate: timecode.Rate25}}
	do := func(e reel.Edit) {
		t.Helper()
		done, err := e.Apply(r)
		if err != nil {
			t.Fatal(err)
		}
		r = done.Reel
	}
	n := int64(len(v))
	do(&reel.AddTrack{Name: "Voice", Role: reel.Dialogue})
	do(&reel.AddSource{Source: reel.Source{Recording: "v", Name: "v", Right: -1, Length: n, StartTC: -1}})
	do(&reel.Place{Source: 2, Track: 1, Start: 1000, Offset: 500, Length: n - 20000, Name: "reading"})
	open := func(reel.Source) (sound.Reader, error) { return sound.Memory{v}, nil }
	render := func(r *reel.Reel) []float32 {
		t.Helper()
		m, err := mix.New(r, open, mix.Options{})
		if err != nil {
			t.Fatal(err)
		}
		left, right := make([]float32, r.Length()), make([]float32, r.Length())
		if err := m.Render(ctx, left, right, 0); err != nil {
			t.Fatal(err)
		}
		return left
	}
	before := render(r)
	was, _ := r.Clip(3)
	for _, by := range []float64{0.96, 0.99, 1.02, 1.045} {
		want := int64(float64(was.Length) * by)
		got, err := FitPauses(ctx, r, open, 3, want, reel.Follow)
		if err != nil {
			t.Fatal(by, err)
		}
		done, err := got.Edit.Apply(r)
		if err != nil {
			t.Fatal(by, err)
		}
		if err := done.Reel.Check(); err != nil {
			t.Fatal(err)
		}
		lane := done.Reel.OnTrack(1)
		if end := lane[len(lane)-1].End(); end-lane[0].Start != want || len(lane) != got.Pauses+1 || got.Pauses < 3 {
			t.Errorf("%g: %d samples long in %d clips, wanted %d", by, end-lane[0].Start, len(lane), want)
		}
		after := render(done.Reel)
		for i, c := range lane {
			// From blend to blend each part is what was recorded, hence what was heard before.
			head, tail := done.Reel.BlendAt(c.ID)
			for at := c.Start + head.After; at < c.End()-tail.Before; at++ {
				if old := at - c.Start + c.Offset - was.Offset + was.Start; after[at] != before[old] {
					t.Fatalf("%g: part %d differs at %d", by, i, at)
				}
			}
			if i > 0 && lane[i-1].End() != c.Start {
				t.Errorf("%g: a hole before part %d", by, i)
			}
		}
		if by < 1 && got.By > 48000*2 || got.Factor < by-0.001 || got.Factor > by+0.001 {
			t.Errorf("%g: %+v", by, got)
		}
	}
	var no *reel.Refusal
	for _, far := range []int64{was.Length / 3, was.Length * 3} {
		got, err := FitPauses(ctx, r, open, 3, far, reel.Follow)
		if !errors.As(err, &no) || !strings.Contains(no.Reason, "at most") || got.Shortest >= was.Length || got.Longest <= was.Length {
			t.Errorf("%d: %v, %+v", far, err, got)
		}
		limit := max(min(far, got.Longest), got.Shortest)
		if _, err := FitPauses(ctx, r, open, 3, limit, reel.Follow); err != nil {
			t.Errorf("what is told to be possible is refused: %v", err)
		}
	}
	if _, err := FitPauses(ctx, r, open, 99, 5, reel.Stay); !errors.As(err, &no) {
		t.Error("a clip that is gone was fitted")
	}
}
