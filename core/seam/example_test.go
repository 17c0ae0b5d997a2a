package seam_test

import (
	"context"
	"fmt"
	"math"

	"blendseam/core/gain"
	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/seam"
	"blendseam/core/sound"
	"blendseam/core/timecode"
)

// stepped is a reel of two clips that meet where one's wave is at its top and the other's
// at its bottom, and their sound.
func stepped() (*reel.Reel, mix.Open) {
	v := make([]float32, 4*48000)
	for i := range v {
		v[i] = float32(0.2 * math.Sin(2*math.Pi*100*float64(i)/48000))
	}
	open := func(reel.Source) (sound.Reader, error) { return sound.Memory{v}, nil }
	r, _ := reel.New(reel.Props{Name: "Scene 12", SampleRate: 48000, FrameRate: timecode.Rate25}, []reel.AddTrack{{Name: "Music", Role: reel.Music}})
	for _, e := range []reel.Edit{
		&reel.AddSource{Source: reel.Source{Recording: "a recording", Name: "take 1", Right: -1, Length: int64(len(v)), StartTC: -1}},
		&reel.Place{Source: 2, Track: 1, Start: 0, Offset: 48000, Length: 48000 + 120},
		&reel.Place{Source: 2, Track: 1, Start: 48000 + 120, Offset: 48000 + 360, Length: 48000},
	} {
		done, err := e.Apply(r)
		if err != nil {
			panic(err)
		}
		r = done.Reel
	}
	return r, open
}

// A seam is measured, and judged by limits; what would mend it is an edit like any other.
func Example() {
	ctx := context.Background()
	r, open := stepped()
	m := seam.New(r, open)
	for _, s := range r.Seams() {
		if s.Kind != reel.CutSeam {
			continue
		}
		got, err := m.Measure(ctx, s)
		if err != nil {
			panic(err)
		}
		j := got.Judge(reel.Shipped)
		fmt.Println(j.Verdict, j.What)
		plan, err := m.Propose(ctx, j)
		if err != nil {
			panic(err)
		}
		_, blends := plan.Edit.(*reel.SetBlend)
		fmt.Println(blends)
	}
	// Output:
	// mend click
	// true
}

// Limits are the user's: with others the same measure has another verdict.
func ExampleMeasure_Judge() {
	r, open := stepped()
	m := seam.New(r, open)
	got, err := m.Measure(context.Background(), r.Seams()[1])
	if err != nil {
		panic(err)
	}
	lax := reel.Shipped
	lax.Click = reel.Tolerance{Hear: -1, Mend: -1}
	fmt.Println(got.Judge(reel.Shipped).Verdict, got.Judge(lax).Verdict)
	// Output: mend fine
}

// A blend changes what is measured.
func ExampleMeter_Measure() {
	r, open := stepped()
	cut := r.Seams()[1]
	done, err := (&reel.SetBlend{Left: cut.Left, Right: cut.Right, Before: 960, After: 960, Law: gain.ConstantGain, Lean: gain.Even}).Apply(r)
	if err != nil {
		panic(err)
	}
	got, err := seam.New(done.Reel, open).Measure(context.Background(), done.Reel.Seams()[1])
	if err != nil {
		panic(err)
	}
	fmt.Println(got.Click < 12)
	// Output: true
}
