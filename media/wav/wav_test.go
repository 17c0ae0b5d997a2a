package wav

import (
	"bytes"
	"encoding/binary"
	"errors"
	"io"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strconv"
	"testing"

	"blendseam/outside"
)

// noise is a repeatable recording whose samples lie on the grid of the bits.
func noise(channels, n, bits int) [][]float32 {
	rng := rand.New(rand.NewPCG(5, uint64(channels)))
	out := make([][]float32, channels)
	for ch := range out {
		out[ch] = make([]float32, n)
		for i := range out[ch] {
			v := int64(rng.Uint64()) >> (64 - bits)
			out[ch][i] = float32(v) / float32(int64(1)<<(bits-1))
		}
	}
	out[0][0], out[0][1] = -1, 1-1/float32(int64(1)<<(bits-1))
	return out
}

func encode(t *testing.T, f Format, pcm [][]float32, meta Meta) []byte {
	t.Helper()
	var b bytes.Buffer
	w, err := NewWriter(&b, f, int64(len(pcm[0])), false, meta)
	if err == nil {
		err = w.Write(pcm)
	}
	if err == nil {
		err = w.Close()
	}
	if err != nil {
		t.Fatal(err)
	}
	if int64(b.Len()) != Size(f, int64(len(pcm[0]))) {
		t.Errorf("%d bytes, Size says %d", b.Len(), Size(f, int64(len(pcm[0]))))
	}
	return b.Bytes()
}

func decode(t *testing.T, file []byte) (*Reader, [][]float32) {
	t.Helper()
	r, err := NewReader(bytes.NewReader(file), int64(len(file)))
	if err != nil {
		t.Fatal(err)
	}
	out := make([][]float32, r.Channels)
	part := make([][]float32, r.Channels)
	for ch := range part {
		part[ch] = make([]float32, 1000)
	}
	for {
		n, err := r.Read(part)
		if err == io.EOF {
			return r, out
		}
		if err != nil {
			t.Fatal(err)
		}
		for ch := range out {
			out[ch] = append(out[ch], part[ch][:n]...)
		}
	}
}

func equal(t *testing.T, what string, got, want [][]float32) {
	t.Helper()
	if len(got) != len(want) || len(got[0]) != len(want[0]) {
		t.Fatalf("%s: %d channels of %d, want %d of %d", what, len(got), len(got[0]), len(want), len(want[0]))
	}
	for ch := range got {
		for i := range got[ch] {
			if got[ch][i] != want[ch][i] {
				t.Fatalf("%s: channel %d sample %d is %g, want %g", what, ch, i, got[ch][i], want[ch][i])
			}
		}
	}
}

// Files written here are read by ffmpeg and by sox sample for sample, and
// files written by them are read here.
func TestAgainstFFmpegAndSox(t *testing.T) {
	dir := t.TempDir()
	for _, c := range []struct {
		f     Format
		codec string
		sox   []string
	}{
		{Format{1, 48000, 16, false}, "pcm_s16le", []string{"-b", "16", "-e", "signed"}},
		{Format{2, 44100, 24, false}, "pcm_s24le", []string{"-b", "24", "-e", "signed"}},
		{Format{1, 96000, 24, false}, "pcm_s24le", []string{"-b", "24", "-e", "signed"}},
		{Format{6, 48000, 24, false}, "pcm_s24le", []string{"-b", "24", "-e", "signed"}},
		{Format{2, 48000, 32, true}, "pcm_f32le", []string{"-b", "32", "-e", "float"}},
	} {
		bits := min(c.f.Bits, 24)
		pcm := noise(c.f.Channels, 4801, bits)
		ours := encode(t, c.f, pcm, Meta{TimeReference: 12345})
		raw := make([]byte, 0)
		for i := range pcm[0] {
			for ch := range pcm {
				raw = binary.LittleEndian.AppendUint32(raw, math.Float32bits(pcm[ch][i]))
			}
		}
		path := filepath.Join(dir, "a.wav")
		if err := os.WriteFile(path, ours, 0o600); err != nil {
			t.Fatal(err)
		}
		if got := outside.Run(t, nil, "ffmpeg", "-v", "error", "-i", path, "-f", "f32le", "-"); !bytes.Equal(got, raw) {
			t.Errorf("%+v: ffmpeg reads other samples", c.f)
		}
		if got := outside.Run(t, nil, "sox", "-D", path, "-t", "f32", "-"); !bytes.Equal(got, raw) {
			t.Errorf("%+v: sox reads other samples", c.f)
		}
		rate, chans := strconv.Itoa(c.f.Rate), strconv.Itoa(c.f.Channels)
		theirs := outside.Run(t, raw, "ffmpeg", "-v", "error", "-f", "f32le", "-ar", rate, "-ac", chans, "-i", "-", "-c:a", c.codec, "-f", "wav", "-")
		r, got := decode(t, theirs)
		equal(t, "written by ffmpeg", got, pcm)
		if r.Format != c.f {
			t.Errorf("ffmpeg wrote %+v, read as %+v", c.f, r.Format)
		}
		out := filepath.Join(dir, "sox.wav")
		outside.Run(t, raw, "sox", append(append([]string{"-D", "-t", "f32", "-r", rate, "-c", chans, "-"}, c.sox...), out)...)
		file, err := os.ReadFile(out)
		if err != nil {
			t.Fatal(err)
		}
		_, got = decode(t, file)
		equal(t, "written by sox", got, pcm)
	}
}

// ffmpeg writes bext, LIST INFO and RF64; all are read.
func TestMetaAgainstFFmpeg(t *testing.T) {
	path := filepath.Join(t.TempDir(), "a.wav")
	outside.Run(t, nil, "ffmpeg", "-v", "error", "-f", "lavfi", "-i", "sine=d=0.1:r=48000", "-metadata", "time_reference=172800000", "-metadata", "description=take 3",
		"-metadata", "title=Warden", "-write_bext", "1", "-rf64", "always", "-c:a", "pcm_s24le", path)
	file, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	r, _ := decode(t, file)
	if string(file[:4]) != "RF64" || r.Frames != 4800 || r.TimeReference != 172800000 || r.Description != "take 3" || r.Name != "Warden" {
		t.Errorf("%s: %+v", file[:4], r.Info)
	}
	ours := encode(t, Format{1, 48000, 16, false}, noise(1, 10, 16), Meta{TimeReference: 99, Description: "d", Date: "2026-01-02", Time: "03:04:05"})
	if err := os.WriteFile(path, ours, 0o600); err != nil {
		t.Fatal(err)
	}
	tags := outside.Run(t, nil, "ffprobe", "-v", "error", "-show_entries", "format_tags=time_reference,date,encoded_by", "-of", "default=nk=1:nw=1", path)
	if !bytes.Contains(tags, []byte("99")) || !bytes.Contains(tags, []byte("2026-01-02")) || !bytes.Contains(tags, []byte("Blend Seam")) {
		t.Errorf("ffprobe reads %q", tags)
	}
}

func TestLongFilesAreRF64(t *testing.T) {
	f := Format{2, 48000, 24, false}
	frames := int64(1) << 31
	h := header(f, frames, Meta{})
	size := int64(len(h)) + frames*6
	r, err := NewReader(headerOnly{h, size}, size)
	if string(h[:4]) != "RF64" || err != nil || r.Frames != frames || r.Missing != 0 {
		t.Errorf("%s: %v %+v", h[:4], err, r)
	}
}

// headerOnly is a huge file whose sound is all zero.
type headerOnly struct {
	head []byte
	size int64
}

func (h headerOnly) ReadAt(p []byte, at int64) (int, error) {
	clear(p)
	if at < int64(len(h.head)) {
		copy(p, h.head[at:])
	}
	if at+int64(len(p)) > h.size {
		return int(h.size - at), io.EOF
	}
	return len(p), nil
}

func TestBadFiles(t *testing.T) {
	f := Format{2, 48000, 16, false}
	file := encode(t, f, noise(2, 100, 16), Meta{})
	head := int(Size(f, 0))
	open := func(b []byte) (*Reader, error) { return NewReader(bytes.NewReader(b), int64(len(b))) }
	if _, err := open([]byte("hello")); !errors.Is(err, ErrNotWave) {
		t.Error(err)
	}
	if _, err := open(file[:head]); !errors.Is(err, ErrNoData) {
		t.Error(err)
	}
	if _, err := open(file[:30]); !errors.Is(err, ErrNoData) && !errors.Is(err, ErrFormat) {
		t.Error(err)
	}
	r, err := open(file[:head+41*4+3])
	if err != nil || r.Frames != 41 || r.Missing != 59 {
		t.Errorf("cut short: %v, %+v", err, r)
	}
	bad := bytes.Clone(file)
	bad[20] = 85 // an MPEG stream in a WAVE file
	if _, err := open(bad); !errors.Is(err, ErrFormat) {
		t.Error(err)
	}
}

func FuzzReader(f *testing.F) {
	var b bytes.Buffer
	w, _ := NewWriter(&b, Format{2, 48000, 24, false}, 3, false, Meta{})
	_ = w.Write([][]float32{{1, 2, 3}, {4, 5, 6}})
	f.Add(b.Bytes())
	f.Add(header(Format{2, 48000, 32, true}, 1<<31, Meta{}))
	f.Fuzz(func(t *testing.T, file []byte) {
		r, err := NewReader(bytes.NewReader(file), int64(len(file)))
		if err != nil {
			return
		}
		if r.Frames < 1 || r.Frames*r.frame() > int64(len(file)) {
			t.Fatalf("%d frames from %d bytes", r.Frames, len(file))
		}
		dst := make([][]float32, r.Channels)
		for ch := range dst {
			dst[ch] = make([]float32, 64)
		}
		var n int64
		for {
			k, err := r.Read(dst)
			if err != nil {
				break
			}
			n += int64(k)
		}
		if n != r.Frames {
			t.Fatalf("%d samples, %d promised", n, r.Frames)
		}
	})
}
