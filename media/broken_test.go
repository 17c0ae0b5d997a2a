package media

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"io"
	"math"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"blendseam/media/wav"
	"blendseam/outside"
)

// Each bad file gets a problem that names it and leaves nothing behind.
func TestBadFiles(t *testing.T) {
	l := library(t)
	l.Limit = 1 << 20
	good := outside.FFmpeg(t, "-f", "lavfi", "-i", "sine=d=0.5:r=48000", "-c:a", "pcm_s16le", "-f", "wav", "-")
	flac, err := os.ReadFile("../demo/sound/warden take 5.flac")
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		name, kind string
		file       []byte
	}{
		{"letter.txt", "notSound", []byte("Dear all, this is no sound at all.")},
		{"playlist.m3u8", "notSound", []byte("#EXTM3U\n#EXT-X-TARGETDURATION:1\n#EXTINF:1,\n/etc/passwd\n#EXT-X-ENDLIST\n")},
		{"list.ffconcat", "notSound", []byte("ffconcat version 1.0\nfile /etc/passwd\n")},
		{"header.wav", "noData", good[:44]},
		{"stub.wav", "noData", good[:20]},
		{"none.wav", "noData", nil},
		{"half.flac", "notSound", flac[:30]},
		{"big.wav", "tooLarge", make([]byte, 1<<20+1)},
		{"picture.png", "notSound", outside.FFmpeg(t, "-f", "lavfi", "-i", "color=d=0.04:s=16x16", "-frames:v", "1", "-f", "apng", "-")},
	} {
		_, _, err := take(t, l, c.name, c.file, 48000)
		var p *Problem
		if !errors.As(err, &p) || p.Kind != c.kind || !strings.Contains(p.Detail, c.name) || !strings.Contains(p.Detail, ".") {
			t.Errorf("%s: %v", c.name, err)
		}
	}
	nothingLeft(t, l)
	if err := l.diskProblem("a.wav", &os.PathError{Op: "write", Path: "x", Err: syscall.ENOSPC}); !strings.Contains(err.Error(), "disk is full") {
		t.Error(err)
	}
}

func nothingLeft(t *testing.T, l *Library) {
	t.Helper()
	err := filepath.Walk(l.dir, func(path string, info os.FileInfo, err error) error {
		if err == nil && !info.IsDir() && info.Name() != "lock" {
			t.Errorf("left behind: %s", path)
		}
		return err
	})
	if err != nil {
		t.Error(err)
	}
}

// A file that ends early is taken in as far as it goes, and says what is missing.
func TestCutShort(t *testing.T) {
	l := library(t)
	whole := outside.FFmpeg(t, "-f", "lavfi", "-i", "sine=d=1:r=48000", "-c:a", "pcm_s24le", "-bitexact", "-f", "wav", "-rf64", "never", "pipe:1")
	// ffmpeg cannot go back in a pipe, so the sizes are set here.
	at := bytes.Index(whole, []byte("data"))
	binary.LittleEndian.PutUint32(whole[at+4:], 48000*3)
	im, c, err := take(t, l, "half.wav", whole[:at+8+24000*3+1], 48000)
	if err != nil || im.Length != 24000 || im.Missing != 24000 || c.Len() != 24000 {
		t.Errorf("%+v %v", im, err)
	}
	flac, err := os.ReadFile("../demo/sound/warden take 5.flac")
	if err != nil {
		t.Fatal(err)
	}
	full, _, err := take(t, l, "whole.flac", flac, 48000)
	if err != nil || full.Missing != 0 {
		t.Fatal(full, err)
	}
	cut, _, err := take(t, l, "cut.flac", flac[:len(flac)/2], 48000)
	if err != nil || cut.Length+cut.Missing != full.Length || cut.Length < full.Length/3 {
		t.Errorf("%+v %v, whole is %d", cut, err, full.Length)
	}
}

// A file that ffmpeg gives up on part of the way says so too, and a helper that
// is out of time never passes for the end of the sound.
func TestForeignCutShort(t *testing.T) {
	l, path := library(t), filepath.Join(t.TempDir(), "a.m4a")
	outside.FFmpeg(t, "-i", "../demo/sound/warden take 3.flac", "-c:a", "aac", "-movflags", "+faststart", path)
	file, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	whole, _, err := take(t, l, "whole.m4a", file, 48000)
	if err != nil || whole.Missing != 0 {
		t.Fatal(whole, err)
	}
	im, _, err := take(t, l, "cut.m4a", file[:len(file)/2], 48000)
	if err != nil || im.Missing == 0 || math.Abs(float64(im.Length+im.Missing-whole.Length)) > 4800 {
		t.Errorf("%+v %v, whole is %d", im, err, whole.Length)
	}
	defer func(d time.Duration) { childTime = d }(childTime)
	childTime = 30 * time.Millisecond
	long := outside.FFmpeg(t, "-f", "lavfi", "-i", "sine=d=600:r=44100", "-c:a", "pcm_s16le", "-f", "wav", "-")
	if im, _, err := take(t, l, "slow.wav", long, 48000); err == nil {
		t.Errorf("a helper out of time passed for the end: %+v", im)
	}
}

func TestNotANumber(t *testing.T) {
	for _, rate := range []int{48000, 44100} {
		v := make([]float32, 48000)
		for i := range v {
			v[i] = 0.25
		}
		v[100], v[101], v[30000] = float32(math.NaN()), float32(math.Inf(1)), float32(math.Inf(-1))
		var file bytes.Buffer
		w, _ := wav.NewWriter(&file, wav.Format{Channels: 1, Rate: rate, Bits: 32, Float: true}, int64(len(v)), false, wav.Meta{})
		_ = w.Write([][]float32{v})
		im, c, err := take(t, library(t), "nan.wav", file.Bytes(), 48000)
		if err != nil || im.Bad != 3 {
			t.Fatalf("%d: %+v %v", rate, im, err)
		}
		for i, s := range samples(t, c, 0) {
			if s-s != 0 {
				t.Fatalf("sample %d is %g", i, s)
			}
		}
	}
}

func TestCancel(t *testing.T) {
	l := library(t)
	file := outside.FFmpeg(t, "-f", "lavfi", "-i", "sine=d=60:r=44100", "-c:a", "pcm_s16le", "-f", "wav", "-")
	ctx, stop := context.WithCancel(context.Background())
	u, err := l.Receive(ctx, "long.wav", bytes.NewReader(file), func(int64) {})
	if err != nil {
		t.Fatal(err)
	}
	if _, err = l.Import(ctx, u, 48000, func(p float64) { stop() }); !errors.Is(err, context.Canceled) {
		t.Errorf("cancelled: %v", err)
	}
	u.Discard()
	if _, err := l.Receive(context.Background(), "cut.wav", io.MultiReader(bytes.NewReader(file), broken{}), func(int64) {}); err == nil || !strings.Contains(err.Error(), "cut.wav") {
		t.Error(err)
	}
	nothingLeft(t, l)
}

type broken struct{}

func (broken) Read([]byte) (int, error) { return 0, io.ErrUnexpectedEOF }

// What a process that died left on its desk is cleared; a living one's is not.
func TestDesksAreCleared(t *testing.T) {
	dir := t.TempDir()
	living, err := OpenLibrary(dir)
	if err != nil {
		t.Fatal(err)
	}
	dead := filepath.Join(dir, "incoming", "desk-dead")
	if err := os.MkdirAll(filepath.Join(dead, "copy-1"), 0o700); err != nil {
		t.Fatal(err)
	}
	second, err := OpenLibrary(dir)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := os.Stat(dead); !errors.Is(err, os.ErrNotExist) {
		t.Error("the dead one's desk is still there")
	}
	if _, err := os.Stat(living.desk); err != nil {
		t.Error("a living one's desk was cleared")
	}
	if err := errors.Join(living.Close(), second.Close()); err != nil {
		t.Error(err)
	}
}

// A disk that is full is told as such and leaves nothing behind. It takes a
// small disk of its own, which only root can make.
func TestDiskFull(t *testing.T) {
	dir := t.TempDir()
	if err := syscall.Mount("tmpfs", dir, "tmpfs", 0, "size=1m"); err != nil {
		t.Skip("no small disk can be made here:", err)
	}
	defer syscall.Unmount(dir, syscall.MNT_DETACH)
	l, err := OpenLibrary(dir)
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	var p *Problem
	if _, _, err := take(t, l, "big.wav", make([]byte, 4<<20), 48000); !errors.As(err, &p) || p.Kind != "diskFull" {
		t.Errorf("receiving: %v", err)
	}
	// Small enough to arrive, too large to be decoded.
	file := outside.FFmpeg(t, "-f", "lavfi", "-i", "sine=d=8:r=48000", "-c:a", "pcm_s16le", "-f", "wav", "-")
	if _, _, err := take(t, l, "wide.wav", file, 48000); !errors.As(err, &p) || p.Kind != "diskFull" || !strings.Contains(p.Detail, "wide.wav") {
		t.Errorf("decoding: %v", err)
	}
	nothingLeft(t, l)
}
