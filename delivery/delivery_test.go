package delivery

import (
	"bytes"
	"context"
	"encoding/binary"
	"io"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/core/timecode"
	"blendseam/media/wav"
	"blendseam/outside"
)

// prepared is a reel of one clip of the samples, with a gain.
func prepared(t *testing.T, v []float32, gainDB float64) *mix.Mix {
	t.Helper()
	r := &reel.Reel{NextID: 1, Props: reel.Props{Name: "t", SampleRate: 48000, FrameRate: timecode.Rate25}}
	for _, e := range []reel.Edit{
		&reel.AddTrack{Name: "t", Role: reel.Dialogue},
		&reel.AddSource{Source: reel.Source{Recording: "a", Name: "a", Right: -1, Length: int64(len(v)), StartTC: -1}},
		&reel.Place{Source: 2, Track: 1, Length: int64(len(v))},
		&reel.SetClip{Clip: 3, GainDB: &gainDB},
	} {
		did, err := e.Apply(r)
		if err != nil {
			t.Fatal(err)
		}
		r = did.Reel
	}
	m, err := mix.New(r, func(reel.Source) (sound.Reader, error) { return sound.Memory{v}, nil }, mix.Options{})
	if err != nil {
		t.Fatal(err)
	}
	return m
}

func ramp(n, bits int) []float32 {
	v := make([]float32, n)
	for i := range v {
		v[i] = float32(int32(uint32(i)*2654435761)>>(32-bits)) / float32(int32(1)<<(bits-1))
	}
	return v
}

func deliver(t *testing.T, m *mix.Mix, s Spec) (Survey, *wav.Reader, [][]float32) {
	t.Helper()
	ctx := context.Background()
	look, err := Look(ctx, m, s)
	if err != nil {
		t.Fatal(err)
	}
	if exact, err := Exact(ctx, m, s); err != nil || exact != look.Exact {
		t.Errorf("exact is %v and was told as %v, %v", exact, look.Exact, err)
	}
	var file bytes.Buffer
	if err := Write(ctx, &file, m, s, look.Exact); err != nil {
		t.Fatal(err)
	}
	if int64(file.Len()) != look.Bytes {
		t.Errorf("%d bytes, %d were told", file.Len(), look.Bytes)
	}
	r, err := wav.NewReader(bytes.NewReader(file.Bytes()), int64(file.Len()))
	if err != nil {
		t.Fatal(err)
	}
	out := make([][]float32, r.Channels)
	for ch := range out {
		out[ch] = make([]float32, r.Frames)
	}
	if n, err := r.Read(out); int64(n) != r.Frames || err != nil && err != io.EOF {
		t.Fatal(n, err)
	}
	return look, r, out
}

// An exact copy is written without dither and reads back bit for bit; so is a
// float file of anything.
func TestExactAndFloat(t *testing.T) {
	for _, bits := range []int{16, 24} {
		v := ramp(20001, bits)
		for _, channels := range []int{1, 2} {
			look, r, got := deliver(t, prepared(t, v, 0), Spec{From: 5, To: 20001, Rate: 48000, Channels: channels, Bits: bits, File: WAV, Meta: wav.Meta{TimeReference: 77}})
			if !look.Exact || look.Over != 0 || r.TimeReference != 77 || r.Bits != bits {
				t.Errorf("%+v %+v", look, r.Info)
			}
			for ch := range got {
				for i := range got[ch] {
					if got[ch][i] != v[i+5] {
						t.Fatalf("%d bits: sample %d is %g, was %g", bits, i, got[ch][i], v[i+5])
					}
				}
			}
		}
	}
	v := ramp(9000, 24)
	m := prepared(t, v, -3.3)
	_, r, got := deliver(t, m, Spec{From: 0, To: 9000, Rate: 48000, Channels: 2, Bits: 32, File: WAV})
	left, right := make([]float32, 9000), make([]float32, 9000)
	if err := m.Render(context.Background(), left, right, 0); err != nil {
		t.Fatal(err)
	}
	for i := range left {
		if math.Float32bits(got[0][i]) != math.Float32bits(left[i]) || got[1][i] != right[i] || !r.Float {
			t.Fatalf("sample %d is not what was heard", i)
		}
	}
}

// Dithered 16-bit sound stays within a step and a half of what was rendered
// (half a step of rounding and one of dither), and its error does not follow
// the signal. ffmpeg reads the same samples.
func TestDithered(t *testing.T) {
	v := make([]float32, 48000)
	for i := range v {
		v[i] = float32(0.3 * math.Sin(float64(i)/50))
	}
	s := Spec{From: 0, To: 48000, Rate: 48000, Channels: 1, Bits: 16, File: WAV}
	look, _, got := deliver(t, prepared(t, v, 0), s)
	if look.Exact || math.Abs(look.PeakDB-20*math.Log10(0.3)) > 0.01 {
		t.Errorf("%+v", look)
	}
	var cross, power float64
	for i := range v {
		e := float64(got[0][i]-v[i]) * 32768
		if math.Abs(e) > 1.5 {
			t.Fatalf("off by %g steps", e)
		}
		cross += e * float64(v[i])
		power += e * e
	}
	if r := cross / math.Sqrt(power*0.045*48000); math.Abs(r) > 0.02 {
		t.Errorf("the error follows the signal by %g", r)
	}
	var file bytes.Buffer
	if err := Write(context.Background(), &file, prepared(t, v, 0), s, false); err != nil {
		t.Fatal(err)
	}
	cmd := exec.Command("ffmpeg", "-v", "error", "-i", "-", "-f", "s16le", "-")
	cmd.Stdin = &file
	out, err := cmd.Output()
	if err != nil {
		t.Fatal(err)
	}
	for i := range got[0] {
		if x := float32(int16(binary.LittleEndian.Uint16(out[2*i:]))) / 32768; x != got[0][i] {
			t.Fatalf("ffmpeg reads %g, not %g", x, got[0][i])
		}
	}
}

func TestOverFullScaleIsTold(t *testing.T) {
	look, _, got := deliver(t, prepared(t, []float32{0.9, -0.9, 0.1}, 6), Spec{From: 0, To: 3, Rate: 48000, Channels: 2, Bits: 24, File: WAV})
	if look.Over != 4 || got[0][1] != -1 || got[0][0] < 0.9999 {
		t.Errorf("%+v %v", look, got)
	}
	for _, s := range []Spec{{From: 3, To: 3, Channels: 2, Bits: 16}, {To: 1, Channels: 3, Bits: 16}, {To: 1, Channels: 1, Bits: 8}, {From: -1, To: 1, Channels: 1, Bits: 16}, {To: 1, Channels: 1, Bits: 16, File: "wma"}, {To: 1, Channels: 2, Bits: 32, File: FLAC}} {
		if s.Check() == nil {
			t.Errorf("%+v passed", s)
		}
	}
}

// FLAC files written here are read by ffmpeg and by sox sample for sample, at
// 16 and 24 bits, mono and stereo, and hold what the WAVE file holds.
func TestFLACAgainstFFmpegAndSox(t *testing.T) {
	ctx := context.Background()
	for _, bits := range []int{16, 24} {
		for _, channels := range []int{1, 2} {
			v := ramp(30011, bits)
			for i := 9000; i < 20000; i++ {
				v[i] = float32(sound.Quantise(0.4*math.Sin(float64(i)/40), bits)) / float32(int32(1)<<(bits-1))
			}
			m := prepared(t, v, 0)
			s := Spec{From: 11, To: 30011, Rate: 48000, Channels: channels, Bits: bits, File: FLAC, Meta: wav.Meta{TimeReference: 4800}}
			look, err := Look(ctx, m, s)
			if err != nil || !look.Exact || look.Bytes != 0 {
				t.Fatal(look, err)
			}
			path := filepath.Join(t.TempDir(), "a.flac")
			f, err := os.Create(path)
			if err != nil {
				t.Fatal(err)
			}
			if err := Write(ctx, struct{ io.Writer }{f}, m, s, true); err != nil {
				t.Fatal(err)
			}
			f.Close()
			for name, got := range map[string][]float32{
				"ffmpeg": outside.Floats(outside.FFmpeg(t, "-i", path, "-f", "f32le", "-")),
				"sox":    outside.Floats(outside.Run(t, nil, "sox", "-D", path, "-t", "f32", "-")),
			} {
				if len(got) != 30000*channels {
					t.Fatalf("%s reads %d samples", name, len(got))
				}
				for i, x := range got {
					if x != v[11+i/channels] {
						t.Fatalf("%s, %d bits, %d channels: sample %d is %g, was %g", name, bits, channels, i, x, v[11+i/channels])
					}
				}
			}
			tags := outside.Run(t, nil, "ffprobe", "-v", "error", "-show_entries", "format_tags=TIME_REFERENCE", "-of", "default=nk=1:nw=1", path)
			if !bytes.Contains(tags, []byte("4800")) {
				t.Errorf("ffprobe reads %q", tags)
			}
		}
	}
}

// The survey tells the loudness and true peak of what will be written: a 1 kHz
// sine of −23 dBFS on both sides reads −23 LUFS (EBU Tech 3341 case 1), and
// its mean on one side 3 LU less.
func TestSurveyTellsLoudness(t *testing.T) {
	v := make([]float32, 5*48000)
	for i := range v {
		v[i] = float32(math.Pow(10, -23.0/20) * math.Sin(2*math.Pi*1000*float64(i)/48000))
	}
	m := prepared(t, v, 0)
	for channels, want := range map[int]float64{2: -23, 1: -26} {
		look, err := Look(context.Background(), m, Spec{To: int64(len(v)), Rate: 48000, Channels: channels, Bits: 24, File: WAV})
		if err != nil {
			t.Fatal(err)
		}
		if math.Abs(look.LUFS-want) > 0.1 || math.Abs(look.TruePeakDB+23) > 0.2 || look.TruePeakDB < look.PeakDB {
			t.Errorf("%d channels: %.2f LUFS, %.2f dBTP, peak %.2f", channels, look.LUFS, look.TruePeakDB, look.PeakDB)
		}
	}
}
