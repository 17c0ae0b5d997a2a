package delivery

import (
	"bytes"
	"context"
	"encoding/binary"
	"io"
	"math"
	"os/exec"
	"testing"

	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/core/timecode"
	"blendseam/media/wav"
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
		var err error
		if r, _, err = e.Apply(r); err != nil {
			t.Fatal(err)
		}
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
			look, r, got := deliver(t, prepared(t, v, 0), Spec{From: 5, To: 20001, Rate: 48000, Channels: channels, Bits: bits, Meta: wav.Meta{TimeReference: 77}})
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
	_, r, got := deliver(t, m, Spec{From: 0, To: 9000, Rate: 48000, Channels: 2, Bits: 32})
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
	s := Spec{From: 0, To: 48000, Rate: 48000, Channels: 1, Bits: 16}
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
	look, _, got := deliver(t, prepared(t, []float32{0.9, -0.9, 0.1}, 6), Spec{From: 0, To: 3, Rate: 48000, Channels: 2, Bits: 24})
	if look.Over != 4 || got[0][1] != -1 || got[0][0] < 0.9999 {
		t.Errorf("%+v %v", look, got)
	}
	for _, s := range []Spec{{From: 3, To: 3, Channels: 2, Bits: 16}, {To: 1, Channels: 3, Bits: 16}, {To: 1, Channels: 1, Bits: 8}, {From: -1, To: 1, Channels: 1, Bits: 16}} {
		if s.Check() == nil {
			t.Errorf("%+v passed", s)
		}
	}
}
