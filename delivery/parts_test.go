package delivery

import (
	"archive/zip"
	"bytes"
	"context"
	"io"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"blendseam/core/gain"
	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/core/timecode"
	"blendseam/core/treat"
	"blendseam/outside"
)

// several is a reel of four tracks with blends, rides and treatments, some of them
// muted or empty.
func several(t *testing.T) (*reel.Reel, func(reel.Source) (sound.Reader, error), []reel.ID) {
	rng := rand.New(rand.NewPCG(3, 3))
	r := &reel.Reel{NextID: 1, Props: reel.Props{Name: "t", SampleRate: 48000, FrameRate: timecode.Rate25}}
	do := func(e reel.Edit) reel.ID {
		t.Helper()
		done, err := e.Apply(r)
		if err != nil {
			t.Fatalf("%T: %v", e, err)
		}
		if r = done.Reel; len(done.Made) > 0 {
			return done.Made[0]
		}
		return 0
	}
	sounds := map[string]sound.Memory{}
	var clips []reel.ID
	for i, track := range []reel.AddTrack{{Name: "Voice", Role: reel.Dialogue}, {Name: "voice", Role: reel.Dialogue}, {Name: "Music/Bed", Role: reel.Music}, {Name: "Muted", Role: reel.Spots}, {Name: "Empty", Role: reel.RoomTone}} {
		id := do(&track)
		if track.Name == "Empty" {
			continue
		}
		name := string(rune('a' + i))
		v := sound.Memory{make([]float32, 200000), make([]float32, 200000)}
		for k := range v[0] {
			v[0][k], v[1][k] = float32(0.2*rng.NormFloat64()), float32(0.2*rng.NormFloat64())
		}
		sounds[name] = v
		src := do(&reel.AddSource{Source: reel.Source{Recording: name, Name: name, Right: 1, Length: 200000, StartTC: -1}})
		left := do(&reel.Place{Source: src, Track: id, Start: int64(i) * 5000, Offset: 20000, Length: 60000, Name: "one"})
		right := do(&reel.Place{Source: src, Track: id, Start: int64(i)*5000 + 60000, Offset: 100000, Length: 40000, Name: "one"})
		do(&reel.SetBlend{Left: left, Right: right, Before: 3000, After: 3000, Law: gain.Matched, Lean: gain.Even})
		clips = append(clips, left, right)
		db, yes := -4.0, true
		switch track.Name {
		case "Voice":
			do(&reel.Treat{Track: id, Does: &treat.Settings{HighPass: treat.Cut{Hz: 200, Slope: 24}, Expander: treat.UsualExpander}})
		case "Music/Bed":
			do(&reel.AddPoint{Track: id, At: 30000, DB: &db})
		case "Muted":
			do(&reel.SetTrack{Track: id, Mute: &yes})
		}
	}
	return r, func(s reel.Source) (sound.Reader, error) { return sounds[s.Recording], nil }, clips
}

// bundled are the files of an archive, their samples as floats, a slice a channel.
func bundled(t *testing.T, r *reel.Reel, open func(reel.Source) (sound.Reader, error), parts []Part, s Spec) map[string][][]float32 {
	t.Helper()
	var all bytes.Buffer
	if err := Bundle(context.Background(), &all, open, parts, s); err != nil {
		t.Fatal(err)
	}
	z, err := zip.NewReader(bytes.NewReader(all.Bytes()), int64(all.Len()))
	if err != nil {
		t.Fatal(err)
	}
	out := map[string][][]float32{}
	for _, f := range z.File {
		in, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		b, err := io.ReadAll(in)
		if err != nil {
			t.Fatal(err)
		}
		path := filepath.Join(t.TempDir(), "part")
		if err := os.WriteFile(path, b, 0o600); err != nil {
			t.Fatal(err)
		}
		v := outside.Floats(outside.FFmpeg(t, "-i", path, "-f", "f32le", "-ar", "48000", "-ac", "2", "-"))
		sides := make([][]float32, 2)
		for i, x := range v {
			sides[i%2] = append(sides[i%2], x)
		}
		out[f.Name] = sides
	}
	return out
}

// The files of tracks, and those of roles, add up to the mix within 1e-6: as ffmpeg
// reads them.
func TestStemsAddUp(t *testing.T) {
	r, open, _ := several(t)
	spec := Spec{From: 1000, To: 110000, Rate: 48000, Channels: 2, Bits: 32, File: WAV}
	whole := bundled(t, r, open, []Part{{Name: "mix", From: spec.From, To: spec.To, reel: r}}, spec)["mix.wav"]
	for each, names := range map[Each][]string{OfTrack: {"Voice.wav", "voice (2).wav", "Music-Bed.wav"}, OfRole: {"Dialogue.wav", "Music.wav"}} {
		parts, err := Parts(r, each, spec.From, spec.To, nil, 0)
		if err != nil {
			t.Fatal(err)
		}
		files := bundled(t, r, open, parts, spec)
		for _, n := range names {
			if files[n] == nil {
				t.Fatalf("%s is missing of %d files of each %s", n, len(files), each)
			}
		}
		if len(files) != len(names) {
			t.Fatalf("%d files of each %s, not %d", len(files), each, len(names))
		}
		for ch := range whole {
			for i, want := range whole[ch] {
				var sum float64
				for _, f := range files {
					sum += float64(f[ch][i])
				}
				if math.Abs(sum-float64(want)) > 1e-6 {
					t.Fatalf("each %s: sample %d adds up to %g, not %g", each, i, sum, want)
				}
			}
		}
	}
}

// Clips are written as they are in their place; with handles as their recordings go on,
// as far as they do.
func TestClipsAsFiles(t *testing.T) {
	r, open, clips := several(t)
	spec := Spec{From: 0, To: r.Length(), Rate: 48000, Channels: 2, Bits: 32, File: WAV}
	parts, err := Parts(r, OfClip, 0, r.Length(), clips[2:4], 0)
	if err != nil || len(parts) != 2 || parts[0].Name != "001 one" || parts[1].Name != "002 one" {
		t.Fatalf("%+v %v", parts, err)
	}
	files := bundled(t, r, open, parts, spec)
	if n := len(files["001 one.wav"][0]); n != 60000 {
		t.Errorf("a clip of 60000 samples became %d", n)
	}
	parts, err = Parts(r, OfClip, 0, r.Length(), clips[2:4], 30000)
	if err != nil {
		t.Fatal(err)
	}
	// The first begins at 5000 of the reel: no more than that is before it.
	if parts[0].From != 0 || parts[0].To != 5000+60000+30000 {
		t.Errorf("with handles from %d to %d", parts[0].From, parts[0].To)
	}
	src, _ := open(reel.Source{Recording: "b"})
	want := make([]float32, 95000)
	if err := src.ReadAt(want, 0, 15000); err != nil {
		t.Fatal(err)
	}
	for i, x := range bundled(t, r, open, parts, spec)["001 one.wav"][0] {
		if x != want[i] {
			t.Fatalf("with handles sample %d is %g, not %g", i, x, want[i])
		}
	}
}

// MP3, Opus and AAC, alone and in an archive, as ffmpeg reads them: as long as the span
// and as loud.
func TestCodedFiles(t *testing.T) {
	r, open, _ := several(t)
	for _, file := range []File{MP3, Opus, AAC} {
		spec := Spec{From: 0, To: 96000, Rate: 48000, Channels: 2, Bits: 24, File: file}
		if err := spec.Check(); err != nil {
			t.Fatal(err)
		}
		parts, err := Parts(r, OfRole, 0, 96000, nil, 0)
		if err != nil {
			t.Fatal(err)
		}
		coded, plain := bundled(t, r, open, parts, spec), Spec{From: 0, To: 96000, Rate: 48000, Channels: 2, Bits: 32, File: WAV}
		for name, want := range bundled(t, r, open, parts, plain) {
			got := coded[strings.TrimSuffix(name, ".wav")+"."+file.Ending()]
			if got == nil {
				t.Fatalf("%s of %s is missing", file, name)
			}
			if n := len(got[0]) - len(want[0]); n < -100 || n > 4000 {
				t.Errorf("%s of %s is %d samples longer", file, name, n)
			}
			if db := 10 * math.Log10(sumSquares(got[0])/sumSquares(want[0])); math.Abs(db) > 2 { // of noise the top octave is left out
				t.Errorf("%s of %s is %.2f dB louder", file, name, db)
			}
		}
	}
	if (Spec{To: 1, Channels: 2, File: MP3, Kbits: 9}).Check() == nil || (Spec{To: 1, Channels: 2, Bits: 16, File: "wma"}).Check() == nil {
		t.Error("9 kbit/s, or a kind that is not known, was taken")
	}
}

func sumSquares(v []float32) (sum float64) {
	for _, x := range v {
		sum += float64(x) * float64(x)
	}
	return sum
}

func TestPlainNames(t *testing.T) {
	for name, want := range map[string]string{
		"a/b\\c:d": "a-b-c-d", "  ..": "untitled", "": "untitled", "Ω — été": "Ω — été", "x\x00y\n": "x-y-", strings.Repeat("é", 200): strings.Repeat("é", 90), "../../etc": "-..-etc",
	} {
		if got := PlainName(name); got != want {
			t.Errorf("%q became %q, not %q", name, got, want)
		}
	}
}

func TestPartsOfNothing(t *testing.T) {
	r, _, _ := several(t)
	for _, each := range []Each{OfTrack, OfRole, OfClip, "scene"} {
		if _, err := Parts(r, each, 150000, 160000, nil, 0); err == nil {
			t.Errorf("each %s of nothing was taken", each)
		}
	}
}
