package main

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"time"

	"blendseam/core/gain"
	"blendseam/core/reel"
	"blendseam/core/roomtone"
	"blendseam/core/sound"
	"blendseam/core/timecode"
	"blendseam/media"
)

// tone measures finding quiet stretches, growing beds, covering and listening
// to the room of a whole reel.
func tone(ctx context.Context, dir string, runs int) {
	const rate, hour = 48000, 3600 * 48000
	// Speech-like: bursts of noise with pauses, over a steady room.
	rng := rand.New(rand.NewPCG(1, 7))
	v := make([]float32, hour)
	for i := range v {
		s := float64(i) / rate
		word := math.Max(0, math.Sin(2*math.Pi*s/4.7)) * (0.5 + 0.5*math.Sin(2*math.Pi*s*3.1))
		v[i] = float32((0.003 + 0.1*word*word) * (rng.Float64()*2 - 1))
	}
	path := filepath.Join(dir, "hour.f32")
	check(os.WriteFile(path, media.Bytes(v), 0o600))
	m := sound.Memory{v}
	fmt.Println("\nroom tone")
	pair("quiet stretches of 1 h; ffmpeg silencedetect", runs, func() {
		_, err := roomtone.Find(ctx, m, rate, 0, hour, func(float64) {})
		check(err)
	}, func() {
		check(exec.Command("ffmpeg", "-v", "error", "-f", "f32le", "-ar", "48000", "-ac", "1", "-i", path, "-af", "silencedetect=n=-45dB:d=0.3", "-f", "null", "-").Run())
	})
	minute := make([]float32, 60*rate)
	seed := int64(0)
	pair("a minute of bed, swatch prepared too; sox pink noise", 5*runs, func() {
		seed++
		b, err := roomtone.Grow(reel.Source{Right: -1, Length: hour, Bed: reel.Bed{From: 4 * rate, To: 6 * rate, Seed: seed}}, rate, m)
		check(err)
		check(b.ReadAt(minute, 0, 30*rate))
	}, func() {
		check(exec.Command("sox", "-n", "-r", "48000", "-c", "1", "-t", "f32", "/dev/null", "synth", "60", "pinknoise").Run())
	})
	r := &reel.Reel{NextID: 1, Props: reel.Props{Name: "bench", SampleRate: rate, FrameRate: timecode.Rate25}}
	do := func(e reel.Edit) reel.ID {
		done, err := e.Apply(r)
		check(err)
		r = done.Reel
		if len(done.Made) > 0 {
			return done.Made[0]
		}
		return 0
	}
	track := do(&reel.AddTrack{Name: "voice", Role: reel.Dialogue})
	src := do(&reel.AddSource{Source: reel.Source{Recording: "hour", Name: "hour", Right: -1, Length: hour, StartTC: -1}})
	do(&reel.Place{Source: src, Track: track, Length: hour / 2})
	strike := do(&reel.StrikeSpan{From: 600 * rate, To: 601 * rate, Tracks: []reel.ID{track}, Fade: 1920, Shape: gain.QuarterSine})
	open := func(s reel.Source) (sound.Reader, error) {
		if s.Bed.Grown() {
			return roomtone.Grow(s, rate, m)
		}
		return m, nil
	}
	k, _ := r.Strike(strike)
	library := roomtone.Library(rate)
	var times []time.Duration
	for range 5 * runs {
		times = append(times, clock(func() {
			_, err := roomtone.ForStrike(ctx, r, open, roomtone.Finding(r, open), k, library, false)
			check(err)
		}))
	}
	fmt.Printf("%-52s %9.1f ms\n", "candidates for a struck span, the minute around it", 1000*median(times).Seconds())
	pair("the room through half an hour; rendering it", runs, func() {
		for at := int64(0); at < hour/2; at += roomtone.PieceSeconds * rate {
			_, err := roomtone.Listen(ctx, r, open, at, at+roomtone.PieceSeconds*rate)
			check(err)
		}
	}, func() { renderAll(ctx, r, open, hour/2) })
}
