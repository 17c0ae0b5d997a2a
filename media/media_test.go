package media

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"blendseam/core/sound"
	"blendseam/media/wav"
	"blendseam/outside"
)

func library(t testing.TB) *Library {
	t.Helper()
	l, err := OpenLibrary(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	return l
}

func take(t testing.TB, l *Library, name string, file []byte, rate int) (Imported, *Copy, error) {
	t.Helper()
	ctx := context.Background()
	u, err := l.Receive(ctx, name, bytes.NewReader(file), func(int64) {})
	if err != nil {
		return Imported{}, nil, err
	}
	defer u.Discard()
	last := 0.0
	im, err := l.Import(ctx, u, rate, func(p float64) { last = p })
	if err != nil {
		return im, nil, err
	}
	if last != 1 && last != -1 && im.Missing == 0 && math.Abs(last-1) > 0.02 {
		t.Errorf("%s: progress ended at %g", name, last)
	}
	c, err := l.Copy(im.Hash, rate)
	if err != nil {
		t.Fatal(err)
	}
	return im, c, nil
}

func samples(t testing.TB, c *Copy, ch int) []float32 {
	t.Helper()
	v := make([]float32, c.Len())
	if err := c.ReadAt(v, ch, 0); err != nil {
		t.Fatal(err)
	}
	return v
}

func equal(t *testing.T, what string, got, want []float32) {
	t.Helper()
	if len(got) != len(want) {
		t.Fatalf("%s: %d samples, want %d", what, len(got), len(want))
	}
	for i := range got {
		if got[i] != want[i] {
			t.Fatalf("%s: sample %d is %g, want %g", what, i, got[i], want[i])
		}
	}
}

// Files that ffmpeg and sox wrote at the reel's rate are taken in sample for
// sample: the reference is ffmpeg's own decoding of them.
func TestImportAgainstFFmpegAndSox(t *testing.T) {
	l, dir := library(t), t.TempDir()
	speech := "../demo/sound/warden take 3.flac"
	for _, c := range []struct {
		file   string
		make   []string
		format string
	}{
		{"16.wav", []string{"ffmpeg", "-i", speech, "-c:a", "pcm_s16le"}, "WAV, 16-bit integer"},
		{"24.wav", []string{"ffmpeg", "-i", speech, "-af", "volume=0.77", "-c:a", "pcm_s24le"}, "WAV, 24-bit integer"},
		{"32.wav", []string{"ffmpeg", "-i", speech, "-af", "volume=0.77", "-c:a", "pcm_s32le"}, "WAV, 32-bit integer"},
		{"f32.wav", []string{"ffmpeg", "-i", speech, "-af", "volume=0.77", "-c:a", "pcm_f32le"}, "WAV, 32-bit float"},
		{"sox.wav", []string{"sox", speech, "-b", "24"}, "WAV, 24-bit integer"},
		{"rf64.wav", []string{"ffmpeg", "-i", speech, "-rf64", "always", "-c:a", "pcm_s24le"}, "WAV, 24-bit integer"},
		{"16.flac", []string{"ffmpeg", "-i", speech, "-c:a", "flac"}, "FLAC, 16-bit"},
		{"24.flac", []string{"ffmpeg", "-i", speech, "-af", "volume=0.77", "-c:a", "flac", "-sample_fmt", "s32"}, "FLAC, 24-bit"},
		{"stereo.flac", []string{"sox", speech, "-b", "24", "-c", "2"}, "FLAC, 24-bit"},
		{"a.aiff", []string{"ffmpeg", "-i", speech, "-c:a", "pcm_s24be"}, "PCM_S24BE in aiff"},
		{"a.ogg", []string{"ffmpeg", "-i", speech, "-c:a", "libvorbis"}, "VORBIS in ogg"},
		{"a.m4a", []string{"ffmpeg", "-i", speech, "-c:a", "aac"}, "AAC in mov"},
		{"ulaw.wav", []string{"ffmpeg", "-i", speech, "-c:a", "pcm_mulaw"}, "PCM_MULAW in wav"},
	} {
		path := filepath.Join(dir, c.file)
		args := append([]string{}, c.make[1:]...)
		if c.make[0] == "ffmpeg" {
			args = append([]string{"-v", "error"}, args...)
		}
		outside.Run(t, nil, c.make[0], append(args, path)...)
		file, err := os.ReadFile(path)
		if err != nil {
			t.Fatal(err)
		}
		im, got, err := take(t, l, c.file, file, 48000)
		if err != nil {
			t.Errorf("%s: %v", c.file, err)
			continue
		}
		if im.Format != c.format || im.Missing != 0 || im.Bad != 0 || im.NativeRate != 48000 {
			t.Errorf("%s: %+v", c.file, im)
		}
		for ch := range got.Channels() {
			want := outside.Floats(outside.FFmpeg(t, "-i", path, "-af", fmt.Sprintf("pan=mono|c0=c%d", ch), "-f", "f32le", "-"))
			equal(t, c.file, samples(t, got, ch), want)
		}
	}
}

// A sine sweep at 44.1 and 96 kHz brought to 48 kHz is held against the sweep
// computed at 48 kHz, and against sox's resampler (rate -v): both within
// −100 dB, away from the ends and below both bands' edges.
func TestResampling(t *testing.T) {
	const seconds, low, high = 2.0, 50.0, 15000.0
	sweep := func(rate int) []float32 {
		v := make([]float32, int(seconds*float64(rate)))
		for i := range v {
			x := float64(i) / float64(rate)
			v[i] = float32(0.7 * math.Sin(2*math.Pi*(low*x+(high-low)*x*x/(2*seconds))))
		}
		return v
	}
	for _, from := range []int{44100, 96000} {
		pcm := sweep(from)
		var file bytes.Buffer
		w, err := wav.NewWriter(&file, wav.Format{Channels: 1, Rate: from, Bits: 32, Float: true}, int64(len(pcm)), false, wav.Meta{TimeReference: int64(from) * 3600})
		if err == nil {
			err = w.Write([][]float32{pcm})
		}
		if err != nil {
			t.Fatal(err)
		}
		im, c, err := take(t, library(t), "sweep.wav", file.Bytes(), 48000)
		if err != nil {
			t.Fatal(err)
		}
		if im.StartTC != 48000*3600 {
			t.Errorf("%d Hz: starts at %d", from, im.StartTC)
		}
		got, want := samples(t, c, 0), sweep(48000)
		if d := len(got) - len(want); d < -1 || d > 1 {
			t.Fatalf("%d Hz: %d samples, want %d", from, len(got), len(want))
		}
		far := func(a, b []float32) float64 {
			worst := 0.0
			for i := 2000; i < min(len(a), len(b))-2000; i++ {
				worst = max(worst, math.Abs(float64(a[i]-b[i])))
			}
			return 20 * math.Log10(worst)
		}
		if db := far(got, want); db > -100 {
			t.Errorf("%d Hz: %.1f dB from the sweep", from, db)
		}
		path := filepath.Join(t.TempDir(), "s.wav")
		if err := os.WriteFile(path, file.Bytes(), 0o600); err != nil {
			t.Fatal(err)
		}
		sox := outside.Floats(outside.Run(t, nil, "sox", "-D", path, "-t", "f32", "-", "rate", "-v", "48000"))
		if db := far(got, sox); db > -100 {
			t.Errorf("%d Hz: %.1f dB from sox", from, db)
		}
		ff := outside.Floats(outside.FFmpeg(t, "-i", path, "-af", "aresample=48000:filter_size=256:cutoff=0.98", "-f", "f32le", "-"))
		if db := far(got, ff); db > -90 {
			t.Errorf("%d Hz: %.1f dB from ffmpeg's own resampler", from, db)
		}
	}
}

func TestStartTimeAndName(t *testing.T) {
	file, err := os.ReadFile("../demo/sound/warden take 3.flac")
	if err != nil {
		t.Fatal(err)
	}
	im, _, err := take(t, library(t), "x.flac", file, 48000)
	if err != nil || im.Title != "warden take 3" || im.StartTC != (20*3600+14*60)*48000 {
		t.Errorf("%+v %v", im, err)
	}
}

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

// The same file is stored once; more channels are kept apart and picked from.
func TestManyChannelsAndTheSameTwice(t *testing.T) {
	l := library(t)
	path := filepath.Join(t.TempDir(), "poly.wav")
	outside.FFmpeg(t, "-f", "lavfi", "-i", "aevalsrc=0.1|0.2|0.3|0.4|0.5:s=44100:d=1:c=5.0", "-c:a", "pcm_f32le", path)
	file, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	for range 2 {
		im, c, err := take(t, l, "poly.wav", file, 48000)
		if err != nil || c.Channels() != 5 || im.Channels != 5 {
			t.Fatal(im, err)
		}
		for ch := range 5 {
			if got := samples(t, c, ch)[24000]; math.Abs(float64(got)-0.1*float64(ch+1)) > 1e-4 {
				t.Errorf("channel %d is %g", ch, got)
			}
		}
		p := Pick(c, 3, 1)
		one := make([]float32, 1)
		if err := p.ReadAt(one, 1, 24000); err != nil || p.Channels() != 2 || math.Abs(float64(one[0])-0.2) > 1e-4 {
			t.Error("the wrong channel was picked")
		}
	}
	u, err := l.Reuse(fmt.Sprintf("%x", sha256.Sum256(file)), "poly.wav")
	if err != nil {
		t.Fatal(err)
	}
	defer u.Discard()
	if im, err := l.Import(context.Background(), u, 44100, func(float64) {}); err != nil || im.Length != 44100 {
		t.Error(im, err)
	}
	for _, bad := range []string{"", "..", strings.Repeat("a", 63) + "/", strings.Repeat("A", 64)} {
		if _, err := l.Copy(bad, 48000); !errors.Is(err, ErrNoCopy) {
			t.Errorf("%q: %v", bad, err)
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

func TestOverviewIsOfTheSamples(t *testing.T) {
	file, err := os.ReadFile("../demo/sound/opening bed.flac")
	if err != nil {
		t.Fatal(err)
	}
	_, c, err := take(t, library(t), "bed.flac", file, 48000)
	if err != nil {
		t.Fatal(err)
	}
	for ch := range 2 {
		var o sound.Overview
		o.Add(samples(t, c, ch))
		o.Finish()
		for level := range sound.Levels {
			got, err := c.Overview(ch, level, 0, 1<<40)
			if err != nil || !bytes.Equal(got, o.Take(level)) {
				t.Errorf("level %d differs: %v", level, err)
			}
		}
	}
	if b, err := c.Overview(0, 0, 1<<40, 5); err != nil || b != nil {
		t.Error("buckets beyond the end")
	}
}

// Whatever a FLAC file holds, it is decoded or refused, and never more is given
// than was asked for.
func FuzzFLAC(f *testing.F) {
	whole, err := os.ReadFile("../demo/sound/spot effects.flac")
	if err != nil {
		f.Fatal(err)
	}
	f.Add(whole[:9000])
	f.Add(whole[:60])
	f.Fuzz(func(t *testing.T, file []byte) {
		path := filepath.Join(t.TempDir(), "x")
		if err := os.WriteFile(path, append([]byte("fLaC"), file...), 0o600); err != nil {
			t.Fatal(err)
		}
		in, err := os.Open(path)
		if err != nil {
			t.Fatal(err)
		}
		defer in.Close()
		d, desc, err := decode(in, "x.flac")
		if err != nil {
			return
		}
		part := blocks(desc.channels)
		for range 50 {
			n, err := d.Read(part)
			if err != nil {
				break
			}
			if n < 1 || n > blockLen {
				t.Fatalf("%d samples", n)
			}
		}
	})
}
