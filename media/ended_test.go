package media

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"blendseam/core/floor"
	"blendseam/outside"
)

// inPlaceOf puts a script in the place of a program, which finds the real one as
// $REAL.
func inPlaceOf(t *testing.T, program, script string) {
	t.Helper()
	real, err := exec.LookPath(program)
	if err != nil {
		t.Fatal(err)
	}
	dir := t.TempDir()
	if err := os.WriteFile(filepath.Join(dir, program), []byte("#!/bin/sh\nREAL="+real+"\n"+script), 0o755); err != nil {
		t.Fatal(err)
	}
	t.Setenv("PATH", dir+":"+os.Getenv("PATH"))
}

func receive(t *testing.T, l *Library, path string) *Upload {
	t.Helper()
	f, err := os.Open(path)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	u, err := l.Receive(context.Background(), filepath.Base(path), f, func(int64) {})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(u.Discard)
	return u
}

func kindOf(err error) string {
	var p *Problem
	if errors.As(err, &p) {
		return p.Kind
	}
	return fmt.Sprint(err)
}

// A helper that the system kills, that ends early or that hangs is a failure,
// and the same file comes in whole the next time.
func TestAHelperThatIsKilledIsAFailure(t *testing.T) {
	dir := t.TempDir()
	mp3, film := filepath.Join(dir, "long.mp3"), filepath.Join(dir, "film.mkv")
	outside.FFmpeg(t, "-f", "lavfi", "-i", "sine=220:r=48000:d=60", "-b:a", "64k", mp3)
	outside.FFmpeg(t, "-f", "lavfi", "-i", "testsrc=s=64x48:r=25:d=24", "-f", "lavfi", "-i", "sine=220:r=48000:d=24", "-c:v", "mpeg4", "-c:a", "flac", film)
	was := stallTime
	defer func() { stallTime = was }()
	for _, one := range []struct{ name, script, kind string }{
		{"killed", `"$REAL" "$@" | head -c 400000; kill -KILL $$`, "stopped"},
		{"killed at the start", `kill -KILL $$`, "stopped"},
		{"told to end", `"$REAL" "$@" | head -c 400000; exit 255`, "stopped"},
		{"hangs", `"$REAL" "$@" | head -c 400000; sleep 600`, "stalled"},
	} {
		t.Run(one.name, func(t *testing.T) {
			stallTime = was
			l := library(t)
			sound, pictures := receive(t, l, mp3), receive(t, l, film)
			pic, ok, err := l.Look(context.Background(), pictures)
			if err != nil || !ok || pic.Frames != 600 {
				t.Fatalf("%+v %v %v", pic, ok, err)
			}
			if one.kind == "stalled" {
				stallTime = 1500 * time.Millisecond
			}
			path := os.Getenv("PATH")
			inPlaceOf(t, "ffmpeg", one.script)
			began := time.Now()
			if _, err := l.Import(context.Background(), sound, 48000, func(float64) {}); kindOf(err) != one.kind {
				t.Errorf("a recording: %v", err)
			}
			if _, err := l.Take(context.Background(), pictures, pic, func(float64) {}); kindOf(err) != one.kind {
				t.Errorf("frames: %v", err)
			}
			if took := time.Since(began); took > 30*time.Second {
				t.Errorf("it took %v", took)
			}
			if _, err := l.Copy(sound.Hash, 48000); !errors.Is(err, ErrNoCopy) {
				t.Errorf("a part of the recording was kept: %v", err)
			}
			if _, err := l.Frames(pictures.Hash); !errors.Is(err, ErrNoCopy) {
				t.Errorf("a part of the frames was kept: %v", err)
			}
			// The next time nothing is in the way.
			t.Setenv("PATH", path)
			stallTime = was
			im, err := l.Import(context.Background(), sound, 48000, func(float64) {})
			if err != nil || im.Missing != 0 || im.Length < 59*48000 {
				t.Errorf("the recording again: %+v %v", im, err)
			}
			again, err := l.Take(context.Background(), pictures, pic, func(float64) {})
			if err != nil || again.Frames != 600 || again.Note != "" {
				t.Errorf("the frames again: %+v %v", again, err)
			}
		})
	}
	// A probe that is killed half way knows half of the frames.
	l := library(t)
	u := receive(t, l, film)
	probe := `case "$*" in *packet=*) "$REAL" "$@" | head -n 99; kill -KILL $$;; esac; exec "$REAL" "$@"`
	path := os.Getenv("PATH")
	inPlaceOf(t, "ffprobe", probe)
	if _, _, err := l.Look(context.Background(), u); kindOf(err) != "stopped" {
		t.Errorf("a killed probe: %v", err)
	}
	t.Setenv("PATH", path)
	inPlaceOf(t, "ffprobe", "sleep 600")
	limit := probeTime
	probeTime = time.Second
	defer func() { probeTime = limit }()
	began := time.Now()
	if _, _, err := l.Look(context.Background(), u); kindOf(err) != "stalled" || time.Since(began) > 10*time.Second {
		t.Errorf("a probe that hangs: %v after %v", err, time.Since(began))
	}
	// Stopping always works, whatever a helper has started in turn.
	ctx, cancel := context.WithTimeout(context.Background(), 300*time.Millisecond)
	defer cancel()
	probeTime = time.Hour
	began = time.Now()
	if _, _, err := l.Look(ctx, u); err == nil || time.Since(began) > 10*time.Second {
		t.Errorf("stopping: %v after %v", err, time.Since(began))
	}
	// What is missing is said with the command that installs it.
	t.Setenv("PATH", t.TempDir())
	if _, err := l.Import(context.Background(), receive(t, l, mp3), 48000, func(float64) {}); kindOf(err) != "noHelper" || !strings.Contains(err.Error(), "apt-get install ffmpeg") {
		t.Errorf("without ffmpeg: %v", err)
	}
}

// A working copy or frames that are cut short, lack a file or are altered are
// found, and are made again from the original where that is whole.
func TestDamageIsFoundAndMadeGood(t *testing.T) {
	ctx := context.Background()
	dir := t.TempDir()
	film := filepath.Join(dir, "film.mkv")
	outside.FFmpeg(t, "-f", "lavfi", "-i", "testsrc=s=64x48:r=25:d=4", "-f", "lavfi", "-i", "anoisesrc=r=44100:d=4:seed=3", "-c:v", "mpeg4", "-c:a", "flac", film)
	l := library(t)
	u := receive(t, l, film)
	pic, ok, err := l.Look(ctx, u)
	if err != nil || !ok {
		t.Fatal(err)
	}
	if pic, err = l.Take(ctx, u, pic, func(float64) {}); err != nil {
		t.Fatal(err)
	}
	if _, err := l.Import(ctx, u, 48000, func(float64) {}); err != nil {
		t.Fatal(err)
	}
	parts, err := l.Parts()
	if err != nil || len(parts) != 2 {
		t.Fatal(parts, err)
	}
	files := map[string][]byte{}
	for _, p := range parts {
		known, err := readSums(l.place(p))
		if err != nil {
			t.Fatal(err)
		}
		for name := range known.Files {
			path := filepath.Join(l.place(p), name)
			if files[path], err = os.ReadFile(path); err != nil {
				t.Fatal(err)
			}
		}
	}
	open := func(p Part) error {
		if p.Rate == 0 {
			_, err := l.Frames(p.Hash)
			return err
		}
		_, err := l.Copy(p.Hash, p.Rate)
		return err
	}
	for path, whole := range files {
		p := Part{u.Hash, 48000}
		if strings.Contains(path, "picture") {
			p.Rate = 0
		}
		for _, how := range []string{"short", "longer", "gone", "altered"} {
			var err error
			switch how {
			case "short":
				err = os.Truncate(path, int64(len(whole)/2))
			case "longer":
				err = os.WriteFile(path, append(whole[:len(whole):len(whole)], 1, 2, 3, 4), 0o600)
			case "gone":
				err = os.Remove(path)
			case "altered":
				other := append([]byte{}, whole...)
				other[len(other)/3] ^= 1
				err = os.WriteFile(path, other, 0o600)
			}
			if err != nil {
				t.Fatal(err)
			}
			l.let(u.Hash) // as at the next start
			var told *Damaged
			l.OnDamage = func(d *Damaged) { told = d }
			err = open(p)
			if how == "altered" {
				err = l.Check(ctx, p)
			}
			if how == "altered" {
				// The next process knows it too, though only reading it whole has told.
				other := &Library{dir: l.dir, fs: l.fs, open: map[string]*Copy{}, frames: map[string]*Frames{}, damaged: map[string]*Damaged{}, missed: map[string]bool{}}
				if err := other.Whole(p); err == nil {
					t.Errorf("%s altered: after a restart it is opened", filepath.Base(path))
				}
			}
			var d *Damaged
			if !errors.As(err, &d) || told == nil {
				t.Fatalf("%s %s: %v", filepath.Base(path), how, err)
			}
			if err := l.Remake(ctx, p, "film.mkv"); err != nil {
				t.Fatalf("%s %s: %v", filepath.Base(path), how, err)
			}
			if now, err := os.ReadFile(path); err != nil || string(now) != string(whole) {
				t.Fatalf("%s %s: not as it was, %v", filepath.Base(path), how, err)
			}
			if err := errors.Join(open(p), l.Check(ctx, p)); err != nil {
				t.Fatalf("%s %s: after it was made again: %v", filepath.Base(path), how, err)
			}
		}
	}
	// With the original gone as well, it is said to be lost, until the file comes.
	original := l.original(u.Hash)
	if err := os.WriteFile(original, []byte("else"), 0o600); err != nil {
		t.Fatal(err)
	}
	p := Part{u.Hash, 48000}
	if err := os.Truncate(channelFile(l.place(p), 0), 8); err != nil {
		t.Fatal(err)
	}
	l.let(u.Hash)
	var d *Damaged
	if err := l.Remake(ctx, p, "film.mkv"); !errors.As(err, &d) || !d.Lost {
		t.Errorf("%v", err)
	}
	if err := open(p); !errors.As(err, &d) || !d.Lost {
		t.Errorf("%v", err)
	}
	if _, err := l.Import(ctx, receive(t, l, film), 48000, func(float64) {}); err != nil {
		t.Fatal(err)
	}
	if err := errors.Join(open(p), l.Check(ctx, p), l.CheckOriginal(ctx, u.Hash)); err != nil {
		t.Errorf("after the file came again: %v", err)
	}
	// A helper that is missing for a while costs nothing of what is there.
	pic0 := Part{u.Hash, 0}
	held := os.Getenv("PATH")
	t.Setenv("PATH", t.TempDir())
	if err := l.Remake(ctx, pic0, "film.mkv"); err == nil || errors.As(err, &d) {
		t.Errorf("without ffmpeg: %v", err)
	}
	t.Setenv("PATH", held)
	if err := l.Check(ctx, pic0); err != nil {
		t.Errorf("the frames after that: %v", err)
	}
	// A copy from before there were sums that is cut short is told by its overview.
	floors, err := os.ReadFile(floorFile(l.place(p), 0))
	if err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{filepath.Join(l.place(p), sumsFile), floorFile(l.place(p), 0)} {
		if err := os.Remove(name); err != nil {
			t.Fatal(err)
		}
	}
	whole, err := os.ReadFile(channelFile(l.place(p), 0))
	if err != nil {
		t.Fatal(err)
	}
	if err := os.Truncate(channelFile(l.place(p), 0), int64(len(whole)/2)); err != nil {
		t.Fatal(err)
	}
	l.let(u.Hash)
	if _, err := l.Copy(u.Hash, 48000); !errors.As(err, &d) {
		t.Errorf("a short one without sums: %v", err)
	}
	if err := os.WriteFile(channelFile(l.place(p), 0), whole, 0o600); err != nil {
		t.Fatal(err)
	}
	l.whole(u.Hash, l.place(p))
	// A whole one gets them.
	if err := l.Check(ctx, p); err != nil {
		t.Error(err)
	}
	if known, err := readSums(l.place(p)); err != nil || len(known.Files) != 7 {
		t.Errorf("%+v %v", known, err)
	}
	// Its floor is made when it is asked for, as an import makes it, and listed.
	c, err := l.Copy(u.Hash, 48000)
	if err != nil {
		t.Fatal(err)
	}
	got, err := c.Floor(0, 100, 200)
	if err != nil || !bytes.Equal(floor.Encode(got), floors[100*floor.Bands:200*floor.Bands]) {
		t.Errorf("the floor made anew differs from the import's: %v", err)
	}
	if known, err := readSums(l.place(p)); err != nil || known.Files["ch0.floor"].Bytes != int64(len(floors)) {
		t.Errorf("%+v %v", known, err)
	}
	// Frames of which ffmpeg gave fewer than promised are read anew when the file
	// comes again.
	list, err := readSums(l.pictureFolder(u.Hash))
	if err != nil {
		t.Fatal(err)
	}
	list.Lacking = 3
	if err := list.write(l.fs, l.pictureFolder(u.Hash)); err != nil {
		t.Fatal(err)
	}
	l.let(u.Hash)
	if _, err := l.Take(ctx, receive(t, l, film), pic, func(float64) {}); err != nil {
		t.Fatal(err)
	}
	if f, err := l.Frames(u.Hash); err != nil || f.Lacking() != 0 {
		t.Error(err)
	}
}

// What nothing needs goes; what is needed, young or under way stays.
func TestSweep(t *testing.T) {
	l := library(t)
	var hashes []string
	for i := range 3 {
		path := filepath.Join(t.TempDir(), fmt.Sprint(i, ".wav"))
		outside.FFmpeg(t, "-f", "lavfi", "-i", fmt.Sprintf("sine=%d:r=48000:d=1", 300+i), path)
		u := receive(t, l, path)
		if _, err := l.Import(context.Background(), u, 48000, func(float64) {}); err != nil {
			t.Fatal(err)
		}
		u.Discard()
		hashes = append(hashes, u.Hash)
	}
	part := filepath.Join(l.folder(hashes[0]), "picture.part")
	if err := os.Mkdir(part, 0o700); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(part, "frames"), make([]byte, 1000), 0o600); err != nil {
		t.Fatal(err)
	}
	needed := map[string]bool{hashes[0]: true}
	yes := func(string) bool { return true }
	use, err := l.Storage(needed)
	if err != nil || use.Recordings != 3 || use.UnusedCount != 2 || use.Copies != 3*48000*4 || use.Partial < 1000 {
		t.Errorf("%+v %v", use, err)
	}
	if gone, _, err := l.Sweep(needed, time.Now().Add(-time.Hour), yes); err != nil || len(gone) != 0 {
		t.Errorf("what is young went: %v %v", gone, err)
	}
	if gone, _, err := l.Sweep(needed, time.Now().Add(time.Hour), func(string) bool { return false }); err != nil || len(gone) != 0 {
		t.Errorf("what may not go went: %v %v", gone, err)
	}
	gone, bytes, err := l.Sweep(needed, time.Now().Add(time.Hour), yes)
	if err != nil || len(gone) != 2 || bytes < 2*48000*4 {
		t.Errorf("%v %d %v", gone, bytes, err)
	}
	if _, err := l.Copy(hashes[0], 48000); err != nil {
		t.Error(err)
	}
	if _, err := l.Copy(hashes[1], 48000); !errors.Is(err, ErrNoCopy) {
		t.Error(err)
	}
	if _, err := os.Stat(part); err == nil {
		t.Error("the frames of a stopped import stayed")
	}
	if left, err := os.ReadDir(l.desk); err != nil || len(left) > 1 {
		t.Errorf("on the desk: %v %v", left, err)
	}
}
