package mix_test

import (
	"context"
	"fmt"

	"blendseam/core/gain"
	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/core/timecode"
)

// Any span of a reel is rendered, from anywhere, and is the same each time: here across
// a blend at constant gain of two recordings that hold one value each.
func Example() {
	level := map[string]float32{"one": 0.2, "two": 0.6}
	open := func(s reel.Source) (sound.Reader, error) {
		v := make([]float32, 4*48000)
		for i := range v {
			v[i] = level[s.Recording]
		}
		return sound.Memory{v}, nil
	}
	r, _ := reel.New(reel.Props{Name: "Scene 12", SampleRate: 48000, FrameRate: timecode.Rate25}, []reel.AddTrack{{Name: "Music", Role: reel.Music}})
	for _, e := range []reel.Edit{
		&reel.AddSource{Source: reel.Source{Recording: "one", Name: "one", Right: -1, Length: 4 * 48000, StartTC: -1}},
		&reel.AddSource{Source: reel.Source{Recording: "two", Name: "two", Right: -1, Length: 4 * 48000, StartTC: -1}},
		&reel.Place{Source: 2, Track: 1, Start: 0, Offset: 48000, Length: 48000},
		&reel.Place{Source: 3, Track: 1, Start: 48000, Offset: 48000, Length: 48000},
		&reel.SetBlend{Left: 4, Right: 5, Before: 1000, After: 1000, Law: gain.ConstantGain, Lean: gain.Even},
	} {
		done, err := e.Apply(r)
		if err != nil {
			panic(err)
		}
		r = done.Reel
	}
	m, err := mix.New(r, open, mix.Options{})
	if err != nil {
		panic(err)
	}
	left, right := make([]float32, 3), make([]float32, 3)
	for _, at := range []int64{46000, 47500, 48000, 48500, 50000} {
		if err := m.Render(context.Background(), left, right, at); err != nil {
			panic(err)
		}
		fmt.Printf("%.2f\n", left[1])
	}
	// Output:
	// 0.20
	// 0.30
	// 0.40
	// 0.50
	// 0.60
}
