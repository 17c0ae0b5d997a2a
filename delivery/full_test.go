package delivery

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"
)

// A disk that is full is told as that, whoever writes: this program, the FLAC encoder or
// ffmpeg. What has no room is /dev/full, by a name of its own, as programs remove what
// they could not write.
func TestFullDisk(t *testing.T) {
	if _, err := os.Stat("/dev/full"); err != nil {
		t.Skip("there is no /dev/full")
	}
	r, open, _ := several(t)
	for _, o := range []Order{{File: WAV, Bits: 24}, {File: FLAC, Bits: 16}, {File: MP3}, {File: Opus}, {File: WAV, Bits: 16, Each: OfTrack}} {
		o.To, o.Channels = -1, 2
		plan, err := o.Plan(r, 1, time.Now())
		if err != nil {
			t.Fatal(err)
		}
		path := filepath.Join(t.TempDir(), "out")
		if err := os.Symlink("/dev/full", path); err != nil {
			t.Fatal(err)
		}
		f, err := os.OpenFile(path, os.O_RDWR, 0)
		if err != nil {
			t.Fatal(err)
		}
		defer f.Close()
		if err := plan.WriteFile(context.Background(), f, open, nil); !errors.Is(err, syscall.ENOSPC) {
			t.Errorf("%s, %q: %v", o.File, o.Each, err)
		}
	}
}

// A program that changes the sample rate is gone once an export ends before it.
func TestNoProgramIsLeft(t *testing.T) {
	children := func() (out []string) {
		all, err := filepath.Glob("/proc/self/task/*/children")
		if err != nil {
			t.Fatal(err)
		}
		for _, path := range all {
			b, _ := os.ReadFile(path)
			out = append(out, strings.Fields(string(b))...)
		}
		return out
	}
	before := len(children())
	r, open, _ := several(t)
	for _, kind := range []File{WAV, FLAC, MP3} {
		plan, err := (Order{To: -1, File: kind, Bits: 24, Channels: 2, Rate: 44100}).Plan(r, 1, time.Now())
		if err != nil {
			t.Fatal(err)
		}
		f, err := os.Create(filepath.Join(t.TempDir(), "x"))
		if err != nil {
			t.Fatal(err)
		}
		defer f.Close()
		ctx, cancel := context.WithCancel(context.Background())
		err = plan.WriteFile(ctx, f, open, func(int64) { cancel() })
		if !errors.Is(err, context.Canceled) {
			t.Errorf("%s: %v", kind, err)
		}
		cancel()
		if now := children(); len(now) != before {
			t.Errorf("%s: programs are left: %v", kind, now)
		}
	}
}
