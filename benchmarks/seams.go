package main

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"path/filepath"
	"runtime"
	"time"

	"blendseam/core/gain"
	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/seam"
	"blendseam/core/sound"
	"blendseam/core/timecode"
	"blendseam/media"
)

// dialogue is a reel of two people's tracks with hard cuts and blends, a tone
// under both, and 500 seams where something is to be measured.
func dialogue(sources []reel.Source) *reel.Reel {
	rng := rand.New(rand.NewPCG(1, 1))
	r := &reel.Reel{NextID: 1, Props: reel.Props{Name: "b", SampleRate: rate, FrameRate: timecode.Rate25}}
	do := func(e reel.Edit) reel.ID {
		done, err := e.Apply(r)
		check(err)
		r = done.Reel
		return done.Made[0]
	}
	var ids []reel.ID
	for _, s := range sources {
		ids = append(ids, do(&reel.AddSource{Source: s}))
	}
	var end int64
	for range 2 {
		track := do(&reel.AddTrack{Name: "d", Role: reel.Dialogue})
		var last reel.ID
		var at int64
		for k := range 248 {
			n := int64(rate) * (2 + rng.Int64N(4))
			c := do(&reel.Place{Source: ids[rng.IntN(len(ids))], Track: track, Start: at, Offset: rate + rng.Int64N(60*rate), Length: n})
			if last != 0 && k%3 == 0 {
				do(&reel.SetBlend{Left: last, Right: c, Before: 2400, After: 2400, Law: gain.ConstantPower, Lean: gain.Even})
			}
			at, last = at+n, c
		}
		end = max(end, at)
	}
	tone := do(&reel.AddTrack{Name: "tone", Role: reel.RoomTone})
	for at := int64(0); at < end; at += 90 * rate {
		do(&reel.Place{Source: ids[0], Track: tone, Start: at, Offset: rate, Length: min(90*rate, end-at)})
	}
	return r
}

// seams times measuring every seam of a reel on one core from working copies,
// beside rendering as much sound once; and one seam after an edit.
func seams(ctx context.Context, dir string) {
	defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(1))
	library, err := media.OpenLibrary(filepath.Join(dir, "seams"))
	check(err)
	defer library.Close()
	var sources []reel.Source
	for k := range 3 {
		sources = append(sources, take(ctx, library, speech(dir, fmt.Sprintf("s%c.wav", 'a'+k), 100+k)))
	}
	open := func(s reel.Source) (sound.Reader, error) { return library.Copy(s.Recording, rate) }
	r := dialogue(sources)
	list := r.Seams()
	var ours, reference []time.Duration
	for range 5 {
		ours = append(ours, clock(func() {
			m := seam.New(r, open)
			for _, s := range list {
				_, err := m.Measure(ctx, s)
				check(err)
			}
		}))
		reference = append(reference, clock(func() {
			m, err := mix.New(r, open, mix.Options{})
			check(err)
			left, right := make([]float32, 10*rate), make([]float32, 10*rate)
			for _, s := range list {
				check(m.Render(ctx, left, right, s.At-5*rate))
			}
		}))
	}
	x, y := median(ours), median(reference)
	fmt.Printf("%-52s %9.3f s    rendering 10 s each %6.3f s  %5.2f times that\n", fmt.Sprintf("measure %d seams, one core", len(list)), x.Seconds(), y.Seconds(), x.Seconds()/y.Seconds())

	var one, prints []time.Duration
	for k := range 60 {
		at := list[20+7*k]
		clip, _ := r.Clip(max(at.Left, at.Right))
		db := 0.1 * math.Mod(float64(k), 7)
		next, err := (&reel.SetClip{Clip: clip.ID, GainDB: &db}).Apply(r)
		check(err)
		one = append(one, clock(func() {
			_, err := seam.New(next.Reel, open).Measure(ctx, at)
			check(err)
		}))
		prints = append(prints, clock(func() {
			m := seam.New(next.Reel, open)
			for _, s := range next.Reel.Seams() {
				m.Print(s)
			}
		}))
	}
	fmt.Printf("%-52s %9.2f ms   all prints after it %6.2f ms\n", "measure one seam after an edit", ms(median(one)), ms(median(prints)))
}
