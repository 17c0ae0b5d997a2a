package main

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"

	"blendseam/core/reel"
	"blendseam/media"
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
