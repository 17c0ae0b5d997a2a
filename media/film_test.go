package media

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"syscall"
	"testing"

	"blendseam/core/timecode"
	"blendseam/media/wav"
)

// A film that the disk has no room for, be it for its last bytes alone, is told as that:
// ffmpeg ends as if all were well then. What has no room is /dev/full, by a name of its
// own, as programs remove what they could not write.
func TestFilmOnAFullDisk(t *testing.T) {
	if _, err := os.Stat("/dev/full"); err != nil {
		t.Skip("there is no /dev/full")
	}
	l, err := OpenLibrary(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	seen, _ := takePicture(t, l, "../demo/picture/grower camera.webm")
	sound := filepath.Join(t.TempDir(), "sound.wav")
	f, err := os.Create(sound)
	if err != nil {
		t.Fatal(err)
	}
	w, err := wav.NewWriter(f, wav.Format{Channels: 1, Rate: 48000, Bits: 16}, 48000, false, wav.Meta{})
	if err == nil {
		err = w.Silence(48000)
	}
	if err == nil {
		err = w.Close()
	}
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	parts := []FilmPart{{Hash: seen.Hash, Frames: 25, Rate: seen.Rate}}
	good, full := filepath.Join(t.TempDir(), "good.mp4"), filepath.Join(t.TempDir(), "full.mp4")
	if err := os.Symlink("/dev/full", full); err != nil {
		t.Fatal(err)
	}
	if _, err := l.Film(context.Background(), parts, timecode.Rate25, sound, good, nil); err != nil {
		t.Fatal(err)
	}
	if _, err := l.Film(context.Background(), parts, timecode.Rate25, sound, full, nil); !errors.Is(err, syscall.ENOSPC) {
		t.Errorf("on a full disk it ended with %v", err)
	}
}
