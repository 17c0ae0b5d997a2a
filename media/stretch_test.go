package media

import (
	"context"
	"errors"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"testing"

	"blendseam/media/wav"
	"blendseam/outside"
)

// stretched has a recorded voice made so many times as long.
func stretched(t *testing.T, v []float32, by float64) []float32 {
	t.Helper()
	dir := t.TempDir()
	in, out := filepath.Join(dir, "in.part"), filepath.Join(dir, "out.part")
	f, err := os.Create(in)
	if err != nil {
		t.Fatal(err)
	}
	w, err := wav.NewWriter(f, wav.Format{Channels: 1, Rate: 48000, Bits: 32, Float: true}, int64(len(v)), false, wav.Meta{})
	if err == nil {
		err = w.Write([][]float32{v})
	}
	if err == nil {
		err = w.Close()
	}
	if err != nil {
		t.Fatal(err)
	}
	_ = f.Close()
	last := 0.0
	err = Stretch(context.Background(), in, out, by, 1, float64(len(v))/48000, func(p float64) {
		if p < last-1e-9 || p > 1 {
			t.Errorf("after %.2f it is %.2f done", last, p)
		}
		last = p
	})
	if err != nil {
		t.Fatal(err)
	}
	if last < 0.9 {
		t.Errorf("the last that was told is %.2f", last)
	}
	g, err := os.Open(out)
	if err != nil {
		t.Fatal(err)
	}
	defer g.Close()
	info, _ := g.Stat()
	r, err := wav.NewReader(g, info.Size())
	if err != nil {
		t.Fatal(err)
	}
	got := [][]float32{make([]float32, int(float64(len(v))*by)+5000)}
	n := 0
	for {
		k, err := r.Read([][]float32{got[0][n:]})
		n += k
		if k == 0 || err != nil {
			break
		}
	}
	return got[0][:n]
}

// pitch is the fundamental frequency of a voice around a place, 60 to 400 Hz, by the
// highest peak of the normalised autocorrelation with parabolic interpolation (Rabiner
// 1977; from memory); 0 where it is not voiced.
func pitch(v []float32, around int) float64 {
	const n, rate = 2400, 48000
	at := around - n
	if at < 0 || at+2*n > len(v) {
		return 0
	}
	x := v[at : at+2*n]
	corr := func(lag int) float64 {
		var xy, xx, yy float64
		for i := range n {
			a, b := float64(x[i]), float64(x[i+lag])
			xy, xx, yy = xy+a*b, xx+a*a, yy+b*b
		}
		if xx < 1e-2 {
			return 0
		}
		return xy / math.Sqrt(xx*yy+1e-12)
	}
	best, top := 0, 0.9
	for lag := rate / 400; lag <= rate/60; lag++ {
		if c := corr(lag); c > top*1.02 { // the shortest of those that are as good
			best, top = lag, c
		}
	}
	if best == 0 {
		return 0
	}
	a, b, c := corr(best-1), corr(best), corr(best+1)
	shift := 0.0
	if d := a - 2*b + c; d < 0 {
		shift = 0.5 * (a - c) / d
	}
	return rate / (float64(best) + shift)
}

// envelope is the level of a sound in steps of 5 ms.
func envelope(v []float32, step float64) (out []float64) {
	for k := 0; ; k++ {
		a, b := int(float64(k)*step), int(float64(k+1)*step)
		if b > len(v) {
			return out
		}
		sum := 0.0
		for _, x := range v[a:b] {
			sum += float64(x) * float64(x)
		}
		out = append(out, math.Log10(sum/float64(b-a)+1e-7))
	}
}

// Recorded voices, slower and faster: as long as asked but for a few samples, their
// fundamental frequency the same within 1 % in the median and 4 % in nine of ten voiced
// places, and what is said in its place within 30 ms.
func TestStretchedVoices(t *testing.T) {
	windows := 0
	for _, set := range outside.SpeechSets {
		for i, v := range outside.Speech(t, set, 4, 40) {
			v = v[:min(len(v), 6*48000)]
			for _, by := range []float64{0.87, 1.13, 1.5} {
				got := stretched(t, v, by)
				if d := float64(len(got)) - float64(len(v))*by; math.Abs(d) > 8 {
					t.Errorf("%s %d, %g: %g samples too long", set, i, by, d)
				}
				var off []float64
				for at := 4800; at < len(v)-4800; at += 3840 {
					was, now := pitch(v, at), pitch(got, int(float64(at)*by))
					if was > 0 && now > 0 {
						off = append(off, math.Abs(now/was-1))
					}
				}
				slices.Sort(off)
				if len(off) < 10 || off[len(off)/2] > 0.01 || off[len(off)*9/10] > 0.04 {
					t.Errorf("%s %d, %g: of %d voiced places half are within %.4f, nine of ten within %.4f", set, i, by, len(off), off[len(off)/2], off[len(off)*9/10])
				}
				// The envelopes, in the time of the recording, against each other in windows.
				x, y := envelope(v, 240), envelope(got, 240*by)
				const wide, far = 80, 12 // 400 ms, and up to 60 ms either way
				for at := far; at+wide+far < min(len(x), len(y)); at += wide / 2 {
					best, top := 0, math.Inf(-1)
					mean, spread := 0.0, 0.0
					for _, s := range x[at : at+wide] {
						mean += s / wide
					}
					for _, s := range x[at : at+wide] {
						spread += (s - mean) * (s - mean) / wide
					}
					if spread < 0.3 {
						continue // nothing begins or ends in it
					}
					for shift := -far; shift <= far; shift++ {
						sum, m, own := 0.0, 0.0, 1e-9
						for k := range wide {
							m += y[at+k+shift] / wide
						}
						for k := range wide {
							d := y[at+k+shift] - m
							sum += (x[at+k] - mean) * d
							own += d * d
						}
						if sum /= math.Sqrt(own); sum > top {
							best, top = shift, sum
						}
					}
					windows++
					if ms := 5 * float64(best); math.Abs(ms) > 30 {
						t.Errorf("%s %d, %g: what is said at %.2f s is %g ms off", set, i, by, float64(at)*0.005, ms)
					}
				}
			}
		}
	}
	if windows < 30 {
		t.Errorf("only %d windows were looked at", windows)
	}
}

// What rubberband cannot do, and that it is not there, is said; it ends with who asked.
func TestStretchFails(t *testing.T) {
	ctx := context.Background()
	dir := t.TempDir()
	if err := Stretch(ctx, filepath.Join(dir, "none"), filepath.Join(dir, "out"), 1.1, 1, 1, nil); err == nil || !strings.Contains(err.Error(), "cannot fit this") {
		t.Errorf("%v", err)
	}
	gone, cancel := context.WithCancel(ctx)
	cancel()
	if err := Stretch(gone, "a", "b", 1.1, 1, 1, nil); err == nil {
		t.Error("it was done for nobody")
	}
	t.Setenv("PATH", dir)
	if err := Stretch(ctx, "a", "b", 1.1, 1, 1, nil); err == nil || !strings.Contains(err.Error(), "apt-get install rubberband-cli") {
		t.Errorf("%v", err)
	}
	// One that is killed by the system says so.
	script := filepath.Join(dir, StretchProgram)
	if err := os.WriteFile(script, []byte("#!/bin/sh\nkill -9 $$\n"), 0o700); err != nil {
		t.Fatal(err)
	}
	t.Setenv("PATH", dir+":/bin:/usr/bin")
	if err := Stretch(ctx, "a", "b", 1.1, 1, 1, nil); err == nil || !strings.Contains(fmt.Sprint(err), "stopped by the system") {
		t.Errorf("%v", err)
	}
}

// What the disk had no room for is missed by its length, as rubberband ends as if all were
// well.
func TestStretchOnAFullDisk(t *testing.T) {
	path := filepath.Join(t.TempDir(), "out.wav")
	outside.Run(t, nil, "sox", "-n", "-r", "48000", "-c", "1", "-b", "32", "-e", "float", path, "synth", "1", "pinknoise")
	const said = " 98% 99% \nin: 960000, out: 48000, ratio: 1.1, ideal output: 48000, error: 0\n"
	if err := written(path, said); err != nil {
		t.Fatal(err)
	}
	info, err := os.Stat(path)
	if err != nil {
		t.Fatal(err)
	}
	for _, lost := range []int64{4, 4096, info.Size() - 100, info.Size()} {
		if err := os.Truncate(path, info.Size()-lost); err != nil {
			t.Fatal(err)
		}
		if err := written(path, said); !errors.Is(err, syscall.ENOSPC) {
			t.Errorf("without its last %d bytes: %v", lost, err)
		}
	}
	if written(path, "nothing") == nil {
		t.Error("a program that says nothing was believed")
	}
}
