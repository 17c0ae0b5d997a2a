package delivery

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/media/wav"
	"blendseam/outside"
)

// An archive whose files are written in their places is whole, as Info-ZIP's unzip tests
// it, and each of its files is byte for byte the one that is written alone. They tell no
// loudness, as they are to add up to the mix; those of clips, which are not, tell theirs.
func TestPartsInTheirPlaces(t *testing.T) {
	ctx := context.Background()
	r, open, _ := several(t)
	for _, o := range []Order{{Bits: 16, Each: OfTrack}, {Bits: 24, Each: OfRole}, {Bits: 32, Each: OfTrack}, {Bits: 24, Each: OfClip}} {
		o.To, o.File, o.Channels = -1, WAV, 2
		plan, err := o.Plan(r, 1, time.Date(2026, 3, 1, 12, 0, 0, 0, time.UTC))
		if err != nil {
			t.Fatal(err)
		}
		f, err := os.Create(filepath.Join(t.TempDir(), "all.zip"))
		if err != nil {
			t.Fatal(err)
		}
		defer f.Close()
		told := int64(0)
		if err := plan.WriteFile(ctx, f, open, func(n int64) { told = n }); err != nil {
			t.Fatal(err)
		}
		if told != plan.Samples() {
			t.Errorf("%d samples were told of %d", told, plan.Samples())
		}
		outside.Run(t, nil, "unzip", "-tq", f.Name())
		z, err := zip.OpenReader(f.Name())
		if err != nil || len(z.File) != len(plan.Parts) {
			t.Fatal(err, len(z.File))
		}
		defer z.Close()
		version := map[bool]uint16{true: 2, false: 1}[o.Each == OfClip] // 2 has the loudness
		for i, p := range plan.Parts {
			alone, err := os.Create(filepath.Join(t.TempDir(), "alone.wav"))
			if err != nil {
				t.Fatal(err)
			}
			s := plan.Spec.of(p, &counter{})
			m, exact, err := s.ready(ctx, open, p)
			if err == nil && version == 2 {
				err = writeFile(ctx, alone, m, s, exact)
			} else if err == nil {
				err = Write(ctx, alone, m, s, exact)
			}
			if err != nil {
				t.Fatal(err)
			}
			want, _ := os.ReadFile(alone.Name())
			in, err := z.File[i].Open()
			if err != nil {
				t.Fatal(err)
			}
			got, err := io.ReadAll(in)
			if err != nil || !bytes.Equal(got, want) {
				t.Errorf("each %s, %d bits: %s is not what it is alone: %v", o.Each, o.Bits, p.Name, err)
			}
			at := bytes.Index(got, []byte("bext")) + 8 + 346
			if v := binary.LittleEndian.Uint16(got[at:]); v != version {
				t.Errorf("%s of each %s has bext of version %d, not %d", p.Name, o.Each, v, version)
			}
		}
	}
}

// Beyond 4 GiB, in a file that has holes where the sound would be: zipinfo and Go's
// reader find the entries where they were told to lie.
func TestOutlineBeyond4GiB(t *testing.T) {
	f, err := os.Create(filepath.Join(t.TempDir(), "large.zip"))
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	var headers []zip.FileHeader
	for _, name := range []string{"one.wav", "Ω — two.wav", "three.wav"} {
		const size = 5<<30 + 7
		headers = append(headers, zip.FileHeader{Name: name, Flags: sizesBehind, UncompressedSize64: size, CompressedSize64: size, CRC32: 0x1234, Modified: time.Now()})
	}
	before, err := outline(nil, headers)
	if err != nil {
		t.Fatal(err)
	}
	places, err := outline(f, headers)
	if err != nil {
		t.Fatal(err)
	}
	z, err := zip.OpenReader(f.Name())
	if err != nil {
		t.Fatal(err)
	}
	defer z.Close()
	for i, e := range z.File {
		at, err := e.DataOffset()
		if err != nil || at != places[i] || at != before[i] || e.UncompressedSize64 != headers[i].UncompressedSize64 || e.Name != headers[i].Name {
			t.Errorf("%s lies at %d, was told at %d and %d: %v", e.Name, at, before[i], places[i], err)
		}
	}
	if said := string(outside.Run(t, nil, "zipinfo", "-lt", f.Name())); !strings.Contains(said, "3 files, 16106127381 bytes") {
		t.Errorf("zipinfo says %s", said)
	}
}

// A part that cannot be read ends the rest, and is named.
func TestPartThatFails(t *testing.T) {
	r, open, _ := several(t)
	plan, err := (Order{To: -1, File: WAV, Bits: 24, Channels: 2, Each: OfTrack}).Plan(r, 1, time.Now())
	if err != nil {
		t.Fatal(err)
	}
	f, err := os.Create(filepath.Join(t.TempDir(), "all.zip"))
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	bad := errors.New("the disk is gone")
	err = plan.WriteFile(context.Background(), f, func(s reel.Source) (sound.Reader, error) {
		if s.Recording == "b" {
			return nil, bad
		}
		return open(s)
	}, nil)
	if !errors.Is(err, bad) || !strings.HasPrefix(err.Error(), "voice (2): ") {
		t.Errorf("it ended with %v", err)
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if err := plan.WriteFile(ctx, f, open, nil); !errors.Is(err, context.Canceled) {
		t.Errorf("cancelled it ended with %v", err)
	}
}

// Where nothing sounds the file is silent, without dither, and a span in two files is the
// span in one.
func TestSilenceIsNotDithered(t *testing.T) {
	ctx := context.Background()
	r, open, _ := several(t)
	r.Tracks = r.Tracks[1:2] // from 5000 to 105000, with a blend inside
	var of []reel.Clip
	for _, c := range r.Clips {
		if c.Track == r.Tracks[0].ID {
			c.GainDB = -7
			of = append(of, c)
		}
	}
	r.Clips, r.Blends, r.Treatments, r.Points = of, nil, nil, nil
	of[1].Start += 10000
	m, err := mix.New(r, open, mix.Options{})
	if err != nil {
		t.Fatal(err)
	}
	for _, kind := range []File{WAV, FLAC} {
		read := func(from, to int64) (out [][]int32) {
			t.Helper()
			s := Spec{From: from, To: to, Rate: 48000, Channels: 2, Bits: 16, File: kind, Meta: wav.Meta{TimeReference: from}}
			path := filepath.Join(t.TempDir(), "a."+string(kind))
			f, err := os.Create(path)
			if err != nil {
				t.Fatal(err)
			}
			defer f.Close()
			if err := Write(ctx, f, m, s, false); err != nil {
				t.Fatal(err)
			}
			out = make([][]int32, 2)
			for i, x := range outside.Floats(outside.FFmpeg(t, "-i", path, "-f", "f32le", "-")) {
				out[i%2] = append(out[i%2], int32(x*32768))
			}
			return out
		}
		const n = 130000
		whole := read(0, n)
		dithered := 0
		for ch := range whole {
			for k, x := range whole[ch] {
				sounds := k >= 5000 && k < 65000 || k >= 75000 && k < 115000
				if !sounds && x != 0 {
					t.Fatalf("%s: sample %d, where nothing sounds, is %d", kind, k, x)
				}
				if sounds && x != 0 {
					dithered++
				}
			}
		}
		if dithered < 150000 {
			t.Errorf("%s: only %d samples sound", kind, dithered)
		}
		rng := rand.New(rand.NewPCG(1, 2))
		for range 3 {
			cut := rng.Int64N(n-2) + 1
			a, b := read(0, cut), read(cut, n)
			for ch := range whole {
				for k, x := range append(a[ch], b[ch]...) {
					if x != whole[ch][k] {
						t.Fatalf("%s cut at %d: sample %d is %d, not %d", kind, cut, k, x, whole[ch][k])
					}
				}
			}
		}
	}
}
