package main

import (
	"bufio"
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"time"

	"blendseam/core/reel"
	"blendseam/interchange/bundle"
	"blendseam/media"
)

// bundles compares writing a bundle with cp of the same files, and tells how long a
// decision is read.
func bundles(ctx context.Context, dir string, runs int) {
	const minutes = 60
	library, err := media.OpenLibrary(filepath.Join(dir, "bundles"))
	check(err)
	defer library.Close()
	var sources []reel.Source
	var files []string
	for i := range 3 {
		path := noise(dir, fmt.Sprintf("b%d.wav", i), minutes*20+i, 1)
		sources, files = append(sources, take(ctx, library, path)), append(files, path)
	}
	h := bundle.Handed{Reel: chain(sources, minutes*60*rate/3, 100), Revision: 1}
	copied := filepath.Join(dir, "copied")
	check(os.MkdirAll(copied, 0o700))
	ours := func() {
		f, err := os.Create(filepath.Join(dir, "b.zip"))
		check(err)
		w := bufio.NewWriterSize(f, 1<<20)
		_, err = bundle.Write(ctx, w, h, "bench", time.Now(), func(hash string) (bundle.File, error) {
			body, err := library.Original(hash)
			crc, n, _ := library.OriginalSum(hash)
			return bundle.File{Name: hash[:8] + ".wav", Body: body, CRC32C: crc, Bytes: n}, err
		}, nil)
		check(err)
		check(w.Flush())
		check(f.Sync())
		check(f.Close())
	}
	reference := func() {
		check(exec.Command("cp", append(append([]string{}, files...), copied)...).Run())
		check(exec.Command("sync", copied).Run())
	}
	pair(fmt.Sprintf("bundle of %d min of 24-bit WAV, cp", minutes), runs, ours, reference)
	f, err := os.Open(filepath.Join(dir, "b.zip"))
	check(err)
	defer f.Close()
	info, err := f.Stat()
	check(err)
	fmt.Printf("%-52s %9.3f s\n", "  opened, without its sound", clock(func() {
		_, err := bundle.Open(f, info.Size(), bundle.Usual)
		check(err)
	}).Seconds())
}
