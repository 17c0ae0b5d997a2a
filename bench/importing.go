package main

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"time"

	"blendseam/core/reel"
	"blendseam/core/timecode"
	"blendseam/dbserver"
	"blendseam/media"
	"blendseam/store"
)

// take brings a file into a library.
func take(ctx context.Context, l *media.Library, path string) reel.Source {
	f, err := os.Open(path)
	check(err)
	defer f.Close()
	u, err := l.Receive(ctx, filepath.Base(path), f, func(int64) {})
	check(err)
	defer u.Discard()
	im, err := l.Import(ctx, u, rate, func(float64) {})
	check(err)
	return reel.Source{Recording: im.Hash, Name: im.Title, Right: -1, Length: im.Length, StartTC: -1}
}

// importing compares bringing a long recording in, once with everything from
// the first byte (storing it, its content hash) and once from the stored
// upload on, with ffmpeg decoding it to float and computing its peaks.
func importing(ctx context.Context, dir string, runs, minutes int) {
	path := noise(dir, "hour.wav", minutes*60, 1)
	decoded := 0
	reference := func() {
		decoded++
		raw := filepath.Join(dir, fmt.Sprintf("hour%d.f32", decoded))
		out, err := exec.Command("ffmpeg", "-v", "error", "-y", "-i", path, "-af", "astats=measure_perchannel=Peak_level:measure_overall=none", "-f", "f32le", raw).CombinedOutput()
		if err != nil {
			check(fmt.Errorf("ffmpeg: %w\n%.2000s", err, out))
		}
	}
	// Each run has a folder of its own, and none is cleared while time is taken.
	folders := 0
	fresh := func() *media.Library {
		folders++
		l, err := media.OpenLibrary(filepath.Join(dir, "import", fmt.Sprint(folders)))
		check(err)
		return l
	}
	l := fresh()
	f, err := os.Open(path)
	check(err)
	u, err := l.Receive(ctx, "hour.wav", f, func(int64) {})
	check(err)
	f.Close()
	n := 0
	ours := func() {
		// Another hash each time, so that nothing is there already.
		u.Hash = fmt.Sprintf("%064x", n)
		n++
		_, err := l.Import(ctx, u, rate, func(float64) {})
		check(err)
	}
	pair(fmt.Sprintf("import %d min of 24-bit WAV: decode, overview, store", minutes), runs, ours, reference)
	u.Discard()
	l.Close()
	whole := func() {
		l := fresh()
		take(ctx, l, path)
		l.Close()
	}
	pair("the same with receiving and hashing the upload", runs, whole, reference)
	check(os.RemoveAll(filepath.Join(dir, "import")))
}

// edits times an edit on a reel of 2,000 clips, journal and commit included,
// beside a bare commit of one row on the same database.
func edits(ctx context.Context, dir string) {
	db, err := dbserver.Start(ctx, filepath.Join(dir, "db"))
	check(err)
	defer db.Stop()
	st, err := store.Open(ctx, db.DSN("bench"))
	check(err)
	defer st.Close()
	r := &reel.Reel{NextID: 1, Props: reel.Props{Name: "b", SampleRate: rate, FrameRate: timecode.Rate25}}
	do := func(e reel.Edit) {
		next, _, err := e.Apply(r)
		check(err)
		r = next
	}
	do(&reel.AddTrack{Name: "t", Role: reel.Dialogue})
	do(&reel.AddSource{Source: reel.Source{Recording: "a", Name: "a", Right: -1, Length: 1 << 40, StartTC: -1}})
	for k := range int64(2000) {
		do(&reel.Place{Source: 2, Track: 1, Start: k * rate, Offset: rate, Length: rate})
	}
	id, err := st.Create(ctx, r)
	check(err)
	v, err := st.Load(ctx, id)
	check(err)
	var edit, bare []time.Duration
	for k := range 300 {
		e := &reel.SetBlend{Left: reel.ID(3 + k), Right: reel.ID(4 + k), Before: 4800, After: 4800, Law: "constantPower", Lean: 0.5}
		edit = append(edit, clock(func() {
			res, err := st.Do(ctx, id, v.Revision, e)
			check(err)
			v = res.Version
		}))
		bare = append(bare, clock(func() {
			check(st.SaveRecording(ctx, store.Recording{Hash: "x", Rate: 1}))
		}))
	}
	x, y := median(edit), median(bare)
	fmt.Printf("%-52s %9.2f ms   a bare commit %6.2f ms   %6.1f times that\n", "edit on a reel of 2,000 clips, journal included", ms(x), ms(y), float64(x)/float64(y))
}

func ms(d time.Duration) float64 { return float64(d.Microseconds()) / 1000 }
