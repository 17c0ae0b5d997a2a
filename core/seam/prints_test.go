package seam

import (
	"context"
	"math/rand/v2"
	"strings"
	"testing"

	"blendseam/core/gain"
	"blendseam/core/measure"
	"blendseam/core/reel"
	"blendseam/core/sound"
)

// Equal prints are equal measures, whatever was edited in between; and what
// alters the measure alters the print.
func TestPrints(t *testing.T) {
	for seed := range uint64(8) {
		rng := rand.New(rand.NewPCG(seed, 5))
		b := newBench(t, 8*6000)
		sources := []reel.ID{b.source(hiss(1, 3*second, -40)), b.source(hiss(2, 3*second, -52), hiss(3, 3*second, -52)), b.source(hiss(4, 3*second, -46))}
		tracks := []reel.ID{b.track(reel.Dialogue), b.track(reel.Dialogue), b.track(reel.RoomTone)}
		for _, tr := range tracks {
			at := rng.Int64N(second)
			for range 6 {
				n := second/4 + rng.Int64N(second/2)
				b.place(sources[rng.IntN(3)], tr, at, second/2+rng.Int64N(second), n)
				at += n + []int64{0, 0, 2400, 30000}[rng.IntN(4)]
			}
		}
		known := map[string]Measure{}
		kept := 0
		for range 14 {
			m := b.meter()
			for _, s := range b.r.Seams() {
				got, err := m.Measure(context.Background(), s)
				if err != nil {
					t.Fatal(err)
				}
				plain := got
				plain.Seam, plain.With, plain.Out, plain.In, plain.Like = reel.Seam{}, reel.Blend{}, nil, nil, nil
				if was, ok := known[got.Print]; ok {
					kept++
					if was != plain {
						t.Fatalf("seed %d: one print, two measures:\n%+v\n%+v", seed, was, plain)
					}
				}
				known[got.Print] = plain
			}
			clip := b.r.Clips[rng.IntN(len(b.r.Clips))]
			db := rng.Float64()*6 - 3
			edits := []reel.Edit{
				&reel.SetClip{Clip: clip.ID, GainDB: &db},
				&reel.SetTrack{Track: tracks[rng.IntN(3)], GainDB: &db},
				&reel.AddPoint{Clip: clip.ID, At: clip.Offset + rng.Int64N(clip.Length), DB: &db, Eased: rng.IntN(2) == 0},
				&reel.AddPoint{Track: tracks[rng.IntN(3)], At: clip.Start + rng.Int64N(clip.Length), DB: &db},
				&reel.RideSpan{From: clip.Start + 2000, To: clip.End() - 2000, Tracks: []reel.ID{clip.Track}, ByDB: -6},
				&reel.Trim{Clips: []reel.ID{clip.ID}, End: reel.Tail, By: rng.Int64N(4000) - 3000, Later: reel.Follow},
				&reel.Slip{Clips: []reel.ID{clip.ID}, By: rng.Int64N(4000) - 2000},
				&reel.SetFade{Clip: clip.ID, End: reel.Tail, Fade: reel.Fade{Length: rng.Int64N(3000), Shape: gain.Smooth, Bend: 0.4}},
			}
			if s := b.r.Seams()[rng.IntN(len(b.r.Seams()))]; s.Kind == reel.CutSeam {
				edits = append(edits, &reel.SetBlend{Left: s.Left, Right: s.Right, Before: 1000, After: 1 + rng.Int64N(2000), Law: gain.Laws[rng.IntN(5)], Lean: 0.5})
			}
			if next, err := edits[rng.IntN(len(edits))].Apply(b.r); err == nil {
				b.r = next.Reel
			}
		}
		if kept < 30 {
			t.Errorf("seed %d: only %d measures were kept over the edits", seed, kept)
		}
	}
}

// A long way moved as a whole, a seam keeps its print, so that a trim which
// thousands of clips follow measures only what it touched.
func TestPrintsTravel(t *testing.T) {
	b := newBench(t, second)
	tr := b.track(reel.Dialogue)
	src := b.source(hiss(1, 20*second, -50))
	var last, prev reel.ID
	for k := range int64(8) {
		prev, last = last, b.place(src, tr, k*2*second, k*second, 2*second)
	}
	was := b.judge(prev, last)
	b.do(&reel.Trim{Clips: []reel.ID{b.r.Clips[0].ID}, End: reel.Tail, By: -7777, Later: reel.Follow})
	if is := b.judge(prev, last); is.Print != was.Print || is.At == was.At {
		t.Error("a seam that moved has another print")
	}
	if was.Print == b.judge(b.r.Clips[0].ID, b.r.Clips[1].ID).Print {
		t.Error("two seams have one print")
	}
}

func TestMissingMaterial(t *testing.T) {
	b := newBench(t, second)
	tr := b.track(reel.Dialogue)
	left, right := b.place(b.source(hiss(1, 3*second, -50)), tr, 0, 0, 2*second), b.place(b.source(hiss(2, 3*second, -50)), tr, 2*second, 0, 3*second)
	b.sound["b"] = sound.Memory{hiss(2, 2*second, -50)} // shorter than the reel knows
	if j := b.judge(left, right); j.Verdict != Mend || !strings.Contains(j.Why, "past its recording") {
		t.Errorf("%s: %s", j.Verdict, j.Why)
	}
	if measure.Silence > -100 {
		t.Fatal("silence is not silent")
	}
}
