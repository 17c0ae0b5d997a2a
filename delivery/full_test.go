package delivery

import (
	"context"
	"errors"
	"os"
	"path/filepath"
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
