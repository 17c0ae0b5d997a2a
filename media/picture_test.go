package media

import (
	"bytes"
	"context"
	"errors"
	"math"
	"os"
	"path/filepath"
	"testing"

	"blendseam/core/timecode"
	"blendseam/outside"
)

func takePicture(t testing.TB, l *Library, path string) (Picture, *Frames) {
	t.Helper()
	ctx := context.Background()
	b, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	u, err := l.Receive(ctx, filepath.Base(path), bytes.NewReader(b), func(int64) {})
	if err != nil {
		t.Fatal(err)
	}
	defer u.Discard()
	p, ok, err := l.Look(ctx, u)
	if err != nil || !ok {
		t.Fatalf("%s: no picture was seen in it: %v", path, err)
	}
	if p, err = l.Take(ctx, u, p, func(float64) {}); err != nil {
		t.Fatal(err)
	}
	f, err := l.Frames(u.Hash)
	if err != nil {
		t.Fatal(err)
	}
	return p, f
}

// Every kept frame is the one that its number says, at all rates that the trade
// uses, also where frames are stored out of order (B-frames). The reference is
// the number coded into each picture, and ffmpeg's own decoding of some.
func TestFramesAreTrue(t *testing.T) {
	dir, l := t.TempDir(), library(t)
	for _, c := range []struct {
		file, rate, tc string
		want           timecode.Rate
		start          int64
		args           []string
	}{
		{"a.mov", "24000/1001", "01:00:00:00", timecode.Rate23976, 86400, []string{"-c:v", "libx264", "-bf", "3", "-g", "30"}},
		{"b.mp4", "25", "10:00:00:05", timecode.Rate25, 900005, []string{"-c:v", "mpeg4", "-q:v", "3", "-bf", "2"}},
		{"c.mov", "30000/1001", "01:00:00;02", timecode.Rate2997Drop, 107894, []string{"-c:v", "libx264", "-g", "12"}},
		{"d.mov", "60000/1001", "00:10:00;00", timecode.Rate5994Drop, 35964, []string{"-c:v", "libx264"}},
		{"e.webm", "25", "", timecode.Rate25, -1, []string{"-c:v", "libvpx", "-b:v", "1M"}},
		{"f.webm", "30000/1001", "", timecode.Rate2997, -1, []string{"-c:v", "libvpx", "-b:v", "1M"}},
		{"g.mkv", "50", "", timecode.Rate50, -1, []string{"-c:v", "libx264"}},
	} {
		path := filepath.Join(dir, c.file)
		if c.tc != "" {
			c.args = append(c.args, "-timecode", c.tc)
		}
		outside.CodedFile(t, path, 133, c.rate, c.args...)
		p, f := takePicture(t, l, path)
		if p.Rate != c.want || p.Frames != 133 || f.Count() != 133 || p.StartFrame != c.start || p.Note != "" || p.Sound {
			t.Errorf("%s: %+v", c.file, p)
		}
		for n := range f.Count() {
			b, err := f.Frame(n)
			if err != nil {
				t.Fatal(err)
			}
			if got := outside.CodeOf(t, b); got != int(n) {
				t.Fatalf("%s: frame %d shows %d", c.file, n, got)
			}
		}
		for _, n := range []int{0, 77, 132} {
			if got := outside.DecodedCode(t, path, n); got != n {
				t.Fatalf("%s: the reference itself shows %d for %d", c.file, got, n)
			}
		}
	}
}

// A file that was stopped part of the way is gone on with, frame by frame.
func TestPictureGoesOnWhereItWasStopped(t *testing.T) {
	dir, l, ctx := t.TempDir(), library(t), context.Background()
	path := filepath.Join(dir, "long.mp4")
	outside.CodedFile(t, path, 900, "24000/1001", "-c:v", "libx264", "-bf", "2")
	b, _ := os.ReadFile(path)
	u, err := l.Receive(ctx, "long.mp4", bytes.NewReader(b), func(int64) {})
	if err != nil {
		t.Fatal(err)
	}
	defer u.Discard()
	p, _, err := l.Look(ctx, u)
	if err != nil {
		t.Fatal(err)
	}
	stop, cancel := context.WithCancel(ctx)
	_, err = l.Take(stop, u, p, func(done float64) {
		if done > 0.3 {
			cancel()
		}
	})
	if !errors.Is(err, context.Canceled) {
		t.Fatalf("stopping gave %v", err)
	}
	if _, err := l.Frames(u.Hash); err == nil {
		t.Fatal("half a picture counts as one")
	}
	first := -1.0
	_, err = l.Take(ctx, u, p, func(done float64) {
		if first < 0 {
			first = done
		}
	})
	if err != nil || first < 0.3 {
		t.Fatalf("it began anew at %g: %v", first, err)
	}
	f, _ := l.Frames(u.Hash)
	if f.Count() != 900 {
		t.Fatalf("%d frames", f.Count())
	}
	for n := range f.Count() {
		if b, _ := f.Frame(n); outside.CodeOf(t, b) != int(n) {
			t.Fatalf("frame %d shows %d", n, outside.CodeOf(t, b))
		}
	}
}

func TestUnusualPictures(t *testing.T) {
	dir, l := t.TempDir(), library(t)
	at := func(name string) string { return filepath.Join(dir, name) }
	// A changing rate: frames are dropped at random places, their times stay.
	outside.CodedFile(t, at("vfr.mkv"), 200, "30", "-vf", `select='not(eq(mod(n\,7)\,3)+between(n\,90\,99))'`, "-fps_mode", "vfr", "-c:v", "libx264")
	p, f := takePicture(t, l, at("vfr.mkv"))
	if !outside.Says(p.Note, "changing rate") || p.Frames < 150 {
		t.Errorf("a changing rate: %+v", p)
	}
	// The frame shown at a time is the last that had come by then.
	for _, sec := range []float64{1, 2.5, 4} {
		n := int64(sec * float64(p.Rate.Num) / float64(p.Rate.Den))
		b, _ := f.Frame(n)
		want := float64(n) * float64(p.Rate.Den) / float64(p.Rate.Num) * 30
		if got := float64(outside.CodeOf(t, b)); math.Abs(got-want) > 1.6 {
			t.Errorf("at %g s it shows %g, want about %g", sec, got, want)
		}
	}
	// Rotated by its metadata: it stands upright.
	outside.FFmpeg(t, "-f", "lavfi", "-i", "color=red:s=320x180:d=0.4:r=25", "-c:v", "mpeg4", at("flat.mp4"))
	outside.FFmpeg(t, "-i", at("flat.mp4"), "-c", "copy", "-metadata:s:v:0", "rotate=90", at("turned.mp4"))
	if p, _ := takePicture(t, l, at("turned.mp4")); p.Width >= p.Height {
		t.Errorf("a turned picture is %d by %d", p.Width, p.Height)
	}
	// Pixels that are not square.
	outside.FFmpeg(t, "-f", "lavfi", "-i", "color=blue:s=180x144:d=0.2:r=25,setsar=64/45", "-c:v", "mpeg4", at("wide.mp4"))
	if p, _ := takePicture(t, l, at("wide.mp4")); math.Abs(float64(p.Width)/float64(p.Height)-16.0/9) > 0.05 {
		t.Errorf("pixels that are not square: %d by %d", p.Width, p.Height)
	}
	// A still, and the cover of a record, which is none.
	outside.FFmpeg(t, "-f", "lavfi", "-i", "color=green:s=1920x1080", "-frames:v", "1", at("board.png"))
	if p, f := takePicture(t, l, at("board.png")); p.Frames != 0 || f.Count() != 1 || p.Width != FrameWidth {
		t.Errorf("a still: %+v", p)
	}
	outside.FFmpeg(t, "-f", "lavfi", "-i", "sine=d=1", "-i", at("board.png"), "-map", "0", "-map", "1", "-c:v", "mjpeg", "-disposition:v", "attached_pic", at("song.mp3"))
	ctx := context.Background()
	for _, name := range []string{"song.mp3", "junk.mp4"} {
		b, err := os.ReadFile(at(name))
		if err != nil {
			b = bytes.Repeat([]byte("not a film "), 5000)
		}
		u, err := l.Receive(ctx, name, bytes.NewReader(b), func(int64) {})
		if err != nil {
			t.Fatal(err)
		}
		defer u.Discard()
		if _, ok, err := l.Look(ctx, u); ok || err != nil {
			t.Errorf("%s: picture %v, %v", name, ok, err)
		}
	}
	// A file that breaks off gives what is whole, and says so.
	outside.CodedFile(t, at("whole.avi"), 200, "25", "-c:v", "mjpeg", "-q:v", "4")
	b, _ := os.ReadFile(at("whole.avi"))
	if err := os.WriteFile(at("cut.avi"), b[:len(b)*6/10], 0o600); err != nil {
		t.Fatal(err)
	}
	if p, f := takePicture(t, l, at("cut.avi")); f.Count() < 60 || f.Count() > 140 || p.Frames != f.Count() {
		t.Errorf("a file that breaks off: %+v", p)
	}
}

// The sound of a film begins with its picture, however its streams are laid:
// a click at one second is heard one second into the picture.
func TestSoundOfAFilmIsInStep(t *testing.T) {
	dir, l := t.TempDir(), library(t)
	for _, c := range []struct{ name, late, long string }{{"late.mkv", "0.3", "2.3"}, {"together.mov", "0", "2"}} {
		path := filepath.Join(dir, c.name)
		// A click at 1 s of the picture, in sound that begins later than it.
		outside.FFmpeg(t, "-f", "lavfi", "-i", "color=gray:s=160x90:r=25:d="+c.long, "-itsoffset", c.late, "-f", "lavfi", "-i",
			"aevalsrc='if(between(t,1-"+c.late+",1.002-"+c.late+"),0.9,0)':s=48000:d=2", "-map", "0", "-map", "1", "-c:v", "mpeg4", "-c:a", "pcm_s16le", path)
		b, _ := os.ReadFile(path)
		_, copied, err := take(t, l, c.name, b, 48000)
		if err != nil {
			t.Fatal(err)
		}
		v := samples(t, copied, 0)
		first := 0
		for first < len(v) && v[first] < 0.5 {
			first++
		}
		if math.Abs(float64(first)-48000) > 60 { // times of Matroska are whole milliseconds
			t.Errorf("%s: the click of 1 s is heard at sample %d", c.name, first)
		}
	}
}
