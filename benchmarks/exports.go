package main

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/delivery"
	"blendseam/media"
)

// exporting compares a mix written as a 24-bit file with ffmpeg writing one of as many
// files, and the stems of its tracks with the mix.
func exporting(ctx context.Context, dir string, runs int) {
	const minutes = 5
	library, err := media.OpenLibrary(filepath.Join(dir, "exports"))
	check(err)
	defer library.Close()
	var sources []reel.Source
	var args []string
	for t := range tracks {
		path := noise(dir, fmt.Sprintf("x%c.wav", 'a'+t), sourceSecs+t, 1)
		sources = append(sources, take(ctx, library, path))
		args = append(args, "-stream_loop", "-1", "-t", fmt.Sprint(minutes*60), "-i", path)
	}
	r := chain(sources, minutes*60*rate, 20)
	open := func(s reel.Source) (sound.Reader, error) { return library.Copy(s.Recording, rate) }
	export := func(o delivery.Order) func() {
		o.To, o.Bits, o.Channels = -1, max(o.Bits, 16), 2
		return func() { writeExport(ctx, dir, r, open, o) }
	}
	whole := export(delivery.Order{File: delivery.WAV, Bits: 24})
	out := filepath.Join(dir, "reference.wav")
	args = append(append([]string{"-v", "error", "-y"}, args...),
		"-filter_complex", fmt.Sprintf("amix=%d:normalize=0,ebur128=peak=true,aformat=channel_layouts=stereo", tracks), "-c:a", "pcm_s24le", out)
	reference := func() {
		if said, err := exec.Command("ffmpeg", args...).CombinedOutput(); err != nil {
			check(fmt.Errorf("ffmpeg: %w\n%.2000s", err, said))
		}
	}
	pair(fmt.Sprintf("export %d min of %d tracks, ffmpeg mixes and measures", minutes, tracks), runs, whole, reference)
	fmt.Printf("%-52s %9.0f times real time\n", "  which is", minutes*60/clock(whole).Seconds())
	for _, o := range []delivery.Order{{File: delivery.WAV, Bits: 32}, {File: delivery.FLAC, Bits: 24}, {File: delivery.MP3}} {
		pair(fmt.Sprintf("as %s of %d bits, as WAV of 24 bits", strings.ToUpper(string(o.File)), o.Bits), runs, export(o), whole)
	}
	pair(fmt.Sprintf("%d stems, the mix", tracks), runs, export(delivery.Order{File: delivery.WAV, Bits: 24, Each: delivery.OfTrack}), whole)
}

// writeExport writes what is wanted of a reel into a file, onto the disk.
func writeExport(ctx context.Context, dir string, r *reel.Reel, open mix.Open, o delivery.Order) {
	plan, err := o.Plan(r, 1, time.Now())
	check(err)
	f, err := os.CreateTemp(dir, "export-*")
	check(err)
	written = append(written, f.Name())
	check(plan.WriteFile(ctx, f, open, nil))
	check(f.Sync())
	check(f.Close())
}
