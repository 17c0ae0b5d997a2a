package main

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"

	"blendseam/core/gain"
	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/core/timecode"
	"blendseam/core/treat"
	"blendseam/media"
	"blendseam/media/wav"
)

const (
	rate       = 48000
	tracks     = 8
	blends     = 400
	blendLen   = rate / 2
	sourceSecs = 120
)

// noise fills a file with repeatable noise and gives its path.
func noise(dir, name string, seconds int, channels int) string {
	return file(dir, name, seconds, channels, func(rng *rand.Rand, at int) float32 {
		return float32((rng.Float64()-0.5)*0.2 + 0.1*math.Sin(float64(at)/30))
	})
}

// speech is a room in which something like a voice comes and goes.
func speech(dir, name string, seconds int) string {
	return file(dir, name, seconds, 1, func(rng *rand.Rand, at int) float32 {
		v := 0.004 * (rng.Float64() - 0.5)
		if at/rate%5 < 3 {
			t := float64(at)
			v += 0.2 * math.Max(math.Sin(t/3100), 0) * (math.Sin(t/60) + 0.5*math.Sin(t/19))
		}
		return float32(v)
	})
}

// file writes a 24-bit recording of samples that are made one by one.
func file(dir, name string, seconds, channels int, sample func(rng *rand.Rand, at int) float32) string {
	path := filepath.Join(dir, name)
	f, err := os.Create(path)
	check(err)
	w, err := wav.NewWriter(f, wav.Format{Channels: channels, Rate: rate, Bits: 24}, int64(seconds)*rate, false, wav.Meta{})
	check(err)
	rng := rand.New(rand.NewPCG(uint64(seconds), uint64(len(name))))
	part := make([][]float32, channels)
	for ch := range part {
		part[ch] = make([]float32, rate)
	}
	for s := range seconds {
		for _, v := range part {
			for i := range v {
				v[i] = sample(rng, s*rate+i)
			}
		}
		check(w.Write(part))
	}
	check(w.Close())
	check(f.Close())
	return path
}

// chain is a reel of tracks whose clips meet, with a blend on every cut.
func chain(sources []reel.Source, length int64, perTrack int) *reel.Reel {
	r := &reel.Reel{NextID: 1, Props: reel.Props{Name: "bench", SampleRate: rate, FrameRate: timecode.Rate25}}
	do := func(e reel.Edit) reel.ID {
		done, err := e.Apply(r)
		check(err)
		r = done.Reel
		return done.Made[0]
	}
	clip := length / int64(perTrack)
	for _, src := range sources {
		track := do(&reel.AddTrack{Name: src.Name, Role: reel.Dialogue})
		source := do(&reel.AddSource{Source: src})
		var last reel.ID
		for k := range perTrack {
			id := do(&reel.Place{Source: source, Track: track, Start: int64(k) * clip, Offset: offset(k, clip, src.Length), Length: clip})
			if last != 0 {
				do(&reel.SetBlend{Left: last, Right: id, Before: blendLen / 2, After: blendLen / 2, Law: gain.ConstantPower, Lean: gain.Even})
			}
			last = id
		}
	}
	return r
}

// offset picks a stretch of the source that leaves a handle on both sides.
func offset(k int, clip, sourceLen int64) int64 {
	room := sourceLen - clip - 2*blendLen
	return blendLen + int64(k)*7919*31%room
}

// render compares rendering a reel on one core with ffmpeg building the same
// crossfades and mix out of the same files on one thread.
func render(ctx context.Context, dir string, runs, minutes int) {
	library, err := media.OpenLibrary(filepath.Join(dir, "library"))
	check(err)
	defer library.Close()
	var sources []reel.Source
	var files []string
	for t := range tracks {
		path := noise(dir, fmt.Sprintf("%c.wav", 'a'+t), sourceSecs+t, 1)
		sources = append(sources, take(ctx, library, path))
		files = append(files, path)
	}
	length := int64(minutes) * 60 * rate
	perTrack := blends/tracks + 1
	clip := length / int64(perTrack)
	r := chain(sources, length, perTrack)
	open := func(s reel.Source) (sound.Reader, error) { return library.Copy(s.Recording, rate) }

	ours := func() {
		defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(1))
		renderAll(ctx, r, open, length)
	}
	var args, graph, ends []string
	n := 0
	for t, file := range files {
		last := ""
		for k := range perTrack {
			from := offset(k, clip, sources[t].Length) - blendLen/2
			args = append(args, "-ss", fmt.Sprintf("%.9f", float64(from)/rate), "-t", fmt.Sprintf("%.9f", float64(clip+blendLen)/rate), "-i", file)
			if k > 0 {
				out := fmt.Sprintf("[t%dk%d]", t, k)
				graph = append(graph, fmt.Sprintf("%s[%d]acrossfade=ns=%d:c1=qsin:c2=qsin%s", last, n, blendLen, out))
				last = out
			} else {
				last = fmt.Sprintf("[%d]", n)
			}
			n++
		}
		ends = append(ends, last)
	}
	graph = append(graph, strings.Join(ends, "")+fmt.Sprintf("amix=%d:normalize=0,aformat=flt:channel_layouts=stereo[mix]", tracks))
	script := filepath.Join(dir, "graph.txt")
	check(os.WriteFile(script, []byte(strings.Join(graph, ";\n")), 0o600))
	args = append(append([]string{"-v", "error", "-y", "-threads", "1"}, args...), "-filter_complex_threads", "1", "-filter_complex_script", script, "-map", "[mix]", "-f", "f32le", "/dev/null")
	reference := func() {
		if out, err := exec.Command("ffmpeg", args...).CombinedOutput(); err != nil {
			check(fmt.Errorf("ffmpeg: %w\n%.2000s", err, out))
		}
	}
	pair(fmt.Sprintf("render %d min, %d tracks, %d blends, one core", minutes, tracks, blends), runs, ours, reference)
	alone := clock(ours)
	fmt.Printf("%-52s %9.0f times real time\n", "  which is", float64(minutes)*60/alone.Seconds())
}

// ridden compares rendering with a ride on every clip and a second line on every
// track with rendering without them.
func ridden(ctx context.Context, runs, minutes int) {
	v := make([]float32, sourceSecs*rate)
	for i := range v {
		v[i] = float32(0.1 * math.Sin(float64(i)/30))
	}
	open := func(reel.Source) (sound.Reader, error) { return sound.Memory{v}, nil }
	var sources []reel.Source
	for t := range tracks {
		sources = append(sources, reel.Source{Recording: fmt.Sprint("m", t), Name: fmt.Sprint(t), Right: -1, Length: int64(len(v)), StartTC: -1})
	}
	length := int64(minutes) * 60 * rate
	plain := chain(sources, length, blends/tracks+1)
	with := *plain
	add := func(p reel.Point) {
		p.ID = with.NextID
		with.NextID++
		with.Points = append(with.Points, p)
	}
	for _, c := range plain.Clips {
		for k := range int64(6) {
			add(reel.Point{Clip: c.ID, At: c.Offset + k*c.Length/6, DB: float64(k%3) - 4, Eased: k%4 == 3})
		}
	}
	for _, t := range plain.Tracks {
		for at := int64(0); at < length; at += 2 * rate {
			add(reel.Point{Track: t.ID, At: at, DB: -float64(at / rate % 5), Duck: reel.DuckMade})
		}
	}
	check(with.Check())
	how := treat.Settings{HighPass: treat.Cut{Hz: 80, Slope: 12}, Bells: [4]treat.Bell{{Hz: 3000, DB: 3, Q: 1}}}
	treated := *plain
	for _, t := range plain.Tracks {
		treated.Treatments = append(treated.Treatments, reel.Treatment{ID: treated.NextID, Track: t.ID, Does: how})
		treated.NextID++
	}
	check(treated.Check())
	pair(fmt.Sprintf("render %d min with two filters a track, without", minutes), runs, func() { renderAll(ctx, &treated, open, length) }, func() { renderAll(ctx, plain, open, length) })
	expanded := treated
	expanded.Treatments = append([]reel.Treatment(nil), treated.Treatments...)
	for i := range expanded.Treatments {
		expanded.Treatments[i].Does.Expander = treat.UsualExpander
	}
	pair(fmt.Sprintf("render %d min with an expander too, without", minutes), runs, func() { renderAll(ctx, &expanded, open, length) }, func() { renderAll(ctx, plain, open, length) })
	pair(fmt.Sprintf("render %d min with rides, reference without", minutes), runs, func() { renderAll(ctx, &with, open, length) }, func() { renderAll(ctx, plain, open, length) })
}

func renderAll(ctx context.Context, r *reel.Reel, open mix.Open, length int64) {
	m, err := mix.New(r, open, mix.Options{})
	check(err)
	left, right := make([]float32, mix.Block), make([]float32, mix.Block)
	for at := int64(0); at < length; at += mix.Block {
		check(m.Render(ctx, left, right, at))
	}
}

// memory prints what rendering one minute and two hours takes from the heap.
func memory(ctx context.Context) {
	v := make([]float32, 600*rate)
	open := func(reel.Source) (sound.Reader, error) { return sound.Memory{v}, nil }
	for _, minutes := range []int64{1, 120} {
		length := minutes * 60 * rate
		r := chain([]reel.Source{{Recording: "m", Name: "m", Right: -1, Length: int64(len(v)), StartTC: -1}}, length, int(min(minutes*2, 200)))
		runtime.GC()
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		renderAll(ctx, r, open, length)
		runtime.ReadMemStats(&after)
		fmt.Printf("%-52s %9.2f MB from the heap in all\n", fmt.Sprintf("rendering %d min", minutes), float64(after.TotalAlloc-before.TotalAlloc)/1e6)
	}
}
