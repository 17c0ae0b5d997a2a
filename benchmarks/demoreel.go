package main

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"time"

	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/core/treat"
	"blendseam/dbserver"
	"blendseam/delivery"
	"blendseam/demo"
	"blendseam/interchange/bundle"
	"blendseam/media"
	"blendseam/offline"
	"blendseam/store"
)

// demoReel renders and exports the demo with a ride on every clip and a treatment on every
// track, beside the demo as it is.
func demoReel(ctx context.Context, dir string, runs int) {
	db, err := dbserver.Start(ctx, filepath.Join(dir, "demodb"))
	check(err)
	defer db.Stop()
	st, err := store.Open(ctx, db.DSN("demoreel"))
	check(err)
	defer st.Close()
	library, err := media.OpenLibrary(filepath.Join(dir, "demo"))
	check(err)
	defer library.Close()
	check(demo.Load(ctx, st, library))
	v, err := st.Load(ctx, 1)
	check(err)
	plain := v.Reel
	open := func(s reel.Source) (sound.Reader, error) { return library.Sound(s, plain.Props.SampleRate) }
	length := plain.Length()
	ridden := withRides(plain)
	treated := withTreatments(plain, treat.Settings{HighPass: treat.Cut{Hz: 80, Slope: 12}, Bells: [4]treat.Bell{{Hz: 3000, DB: 3, Q: 1}}})
	both := withTreatments(ridden, treated.Treatments[0].Does)
	render := func(r *reel.Reel) func() {
		return func() {
			for range 10 {
				renderAll(ctx, r, open, length)
			}
		}
	}
	for _, c := range []struct {
		what string
		r    *reel.Reel
	}{{"rides on every clip", ridden}, {"two filters on every track", treated}, {"rides and filters", both}} {
		pair("render the demo with "+c.what+", without", runs, render(c.r), render(plain))
	}
	checking(ctx, dir, runs, plain, library)
	export := func(r *reel.Reel, o delivery.Order) func() {
		o.To, o.Bits, o.Channels, o.File = -1, 24, 2, delivery.WAV
		return func() { writeExport(ctx, dir, r, open, o) }
	}
	full := treated.Treatments[0].Does
	full.Expander = treat.UsualExpander
	all := withTreatments(ridden, full)
	pair("export the demo with rides, filters and expanders, without", runs, export(all, delivery.Order{}), export(plain, delivery.Order{}))
	pair("export the demo with rides and filters, without", runs, export(both, delivery.Order{}), export(plain, delivery.Order{}))
	for _, c := range []struct {
		what string
		r    *reel.Reel
	}{{"", plain}, {", all with rides, filters and expanders", all}} {
		pair(fmt.Sprintf("its %d stems, the mix%s", len(plain.Tracks), c.what), runs, export(c.r, delivery.Order{Each: delivery.OfTrack}), export(c.r, delivery.Order{}))
	}
}

// checking opens a bundle of the demo, laid out as often as it takes for 500 seams, and
// judges them on one core.
func checking(ctx context.Context, dir string, runs int, r *reel.Reel, library *media.Library) {
	long := *r
	long.Clips, long.Blends = nil, nil
	for at := int64(0); len(long.Seams()) < 500; at += r.Length() + 5*rate {
		now := map[reel.ID]reel.ID{}
		for _, c := range r.Clips {
			now[c.ID] = long.NextID
			c.ID, c.Start = long.NextID, c.Start+at
			long.NextID++
			long.Clips = append(long.Clips, c)
		}
		for _, b := range r.Blends {
			b.ID, b.Left, b.Right = long.NextID, now[b.Left], now[b.Right]
			long.NextID++
			long.Blends = append(long.Blends, b)
		}
	}
	check(long.Check())
	path := filepath.Join(dir, "long.bundle.zip")
	f, err := os.Create(path)
	check(err)
	_, err = bundle.Write(ctx, f, bundle.Handed{Reel: &long, Revision: 1}, "bench", time.Now(), func(hash string) (bundle.File, error) {
		body, err := library.Original(hash)
		return bundle.File{Name: hash[:8] + ".flac", Body: body}, err
	}, nil)
	check(err)
	check(f.Close())
	was := runtime.GOMAXPROCS(1)
	defer runtime.GOMAXPROCS(was)
	var open, all []time.Duration
	for range runs {
		began := time.Now()
		d, err := offline.Open(ctx, path, "", nil)
		check(err)
		open = append(open, time.Since(began))
		_, err = d.Check(ctx, nil, nil)
		check(err)
		all = append(all, time.Since(began))
		d.Close()
	}
	fmt.Printf("%-52s %9.3f s   of which reading %.3f s\n", fmt.Sprintf("check of %d seams on one core", len(long.Seams())), median(all).Seconds(), median(open).Seconds())
}

// withRides has a gain line of six points on every clip.
func withRides(r *reel.Reel) *reel.Reel {
	out := *r
	out.Points = append([]reel.Point(nil), r.Points...)
	for _, c := range r.Clips {
		for k := range int64(6) {
			out.Points = append(out.Points, reel.Point{ID: out.NextID, Clip: c.ID, At: c.Offset + k*c.Length/6, DB: float64(k%3) - 4, Eased: k%4 == 3})
			out.NextID++
		}
	}
	check(out.Check())
	return &out
}

// withTreatments has one on every track.
func withTreatments(r *reel.Reel, does treat.Settings) *reel.Reel {
	out := *r
	for _, t := range r.Tracks {
		out.Treatments = append(out.Treatments[:len(out.Treatments):len(out.Treatments)], reel.Treatment{ID: out.NextID, Track: t.ID, Does: does})
		out.NextID++
	}
	check(out.Check())
	return &out
}
