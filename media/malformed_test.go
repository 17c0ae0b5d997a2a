package media

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strconv"
	"testing"
	"time"

	"blendseam/media/disk"
	"blendseam/outside"
)

// Files of all kinds that were damaged by chance come in as far as they go, or
// are refused with a reason; none is endless, and none of it is kept as whole
// when it is not.
func TestMalformedFiles(t *testing.T) {
	ctx := context.Background()
	dir := t.TempDir()
	var seeds [][]byte
	var names []string
	for _, args := range [][]string{
		{"a.wav"}, {"a.flac"}, {"a.mp3"}, {"a.ogg"}, {"a.m4a"}, {"a.aiff"}, {"a.au"}, {"a.caf"}, {"a.w64"}, {"f32.wav", "-c:a", "pcm_f32le"}, {"s24.wav", "-c:a", "pcm_s24le", "-rf64", "always"},
	} {
		path := filepath.Join(dir, args[0])
		outside.FFmpeg(t, append(append([]string{"-f", "lavfi", "-i", "anoisesrc=r=44100:d=0.7:seed=4"}, args[1:]...), path)...)
		names = append(names, args[0])
	}
	for _, args := range [][]string{{"v.mkv"}, {"v.mp4"}, {"v.avi"}, {"v.webm", "-c:v", "libvpx", "-c:a", "libvorbis"}} {
		path := filepath.Join(dir, args[0])
		outside.FFmpeg(t, append(append([]string{"-f", "lavfi", "-i", "testsrc=s=48x32:r=25:d=0.6", "-f", "lavfi", "-i", "sine=d=0.6"}, args[1:]...), path)...)
		names = append(names, args[0])
	}
	for _, name := range names {
		b, err := os.ReadFile(filepath.Join(dir, name))
		if err != nil {
			t.Fatal(err)
		}
		seeds = append(seeds, b)
	}
	runs := 24
	if f, err := strconv.Atoi(os.Getenv("BLENDSEAM_TORTURE")); err == nil && f > 1 {
		runs = 450
	}
	rng := rand.New(rand.NewPCG(2, 8))
	l := library(t)
	outcome := map[string]int{}
	var slowest time.Duration
	for n := range runs {
		k := rng.IntN(len(seeds))
		b := bytes.Clone(seeds[k])
		switch rng.IntN(4) {
		case 0:
			b = b[:rng.IntN(len(b))]
		case 1: // its head alone
			for range 1 + rng.IntN(8) {
				b[rng.IntN(min(len(b), 300))] = byte(rng.Uint32())
			}
		case 2:
			for range 1 + rng.IntN(60) {
				b[rng.IntN(len(b))] ^= byte(1 << rng.IntN(8))
			}
		default:
			from := rng.IntN(len(b))
			b = append(b[:from], b[min(len(b), from+rng.IntN(2000)):]...)
		}
		began := time.Now()
		u, err := l.Receive(ctx, names[k], bytes.NewReader(b), func(int64) {})
		if err == nil {
			var pic Picture
			var seen bool
			if pic, seen, err = l.Look(ctx, u); err == nil && seen {
				_, err = l.Take(ctx, u, pic, func(float64) {})
			}
			if err == nil && (!seen || pic.Sound) {
				_, err = l.Import(ctx, u, 48000, func(float64) {})
			}
		}
		slowest = max(slowest, time.Since(began))
		var p *Problem
		switch {
		case err == nil:
			outcome["came in"]++
		case errors.As(err, &p):
			outcome[p.Kind]++
		default:
			t.Errorf("%d: a damaged %s: %v", n, names[k], err)
		}
		if u != nil {
			for _, part := range []Part{{u.Hash, 48000}, {u.Hash, 0}} {
				if err := l.Check(ctx, part); err != nil && !errors.Is(err, ErrNoCopy) {
					t.Errorf("%d: %v", n, err)
				}
			}
			u.Discard()
		}
	}
	t.Logf("%v; the slowest took %v", outcome, slowest)
	if slowest > 45*time.Second {
		t.Errorf("one took %v", slowest)
	}
}

// FuzzFrames: a file of frames that anything may have been done to is read or
// refused, and gone on with or begun anew.
func FuzzFrames(f *testing.F) {
	f.Add([]byte{3, 0, 0, 0, 0, 0, 0, 0, 9, 0, 0, 0, 0, 0, 0, 0}, []byte("abcdefghi"), "2")
	f.Add([]byte{255, 255, 255, 255, 255, 255, 255, 255}, []byte("x"), "1")
	f.Add([]byte{1, 2, 3}, []byte{}, "-5")
	f.Fuzz(func(t *testing.T, ends, data []byte, noted string) {
		dir := t.TempDir()
		for name, b := range map[string][]byte{"ends": ends, "frames": data, marked: []byte(noted)} {
			if err := os.WriteFile(filepath.Join(dir, name), b, 0o600); err != nil {
				t.Fatal(err)
			}
		}
		if fr, err := readFrames(dir); err == nil {
			for n := range min(fr.Count(), 50) {
				if b, err := fr.Frame(n); err != nil || len(b) == 0 {
					t.Fatalf("frame %d of %d: %v", n, fr.Count(), err)
				}
			}
			_ = fr.data.Close()
		}
		w, err := openFrames(disk.OS{}, dir)
		if err != nil {
			t.Fatal(err)
		}
		defer w.close()
		if w.n < 0 || w.at < 0 || w.at > int64(len(data)) {
			t.Fatalf("it goes on at frame %d, byte %d of %d", w.n, w.at, len(data))
		}
		if err := w.add([]byte(fmt.Sprint("frame ", w.n))); err != nil {
			t.Fatal(err)
		}
	})
}
