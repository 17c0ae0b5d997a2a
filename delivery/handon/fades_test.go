package handon

import (
	"archive/zip"
	"bytes"
	"context"
	"io"
	"math"
	"math/rand/v2"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"blendseam/core/conform"
	"blendseam/core/gain"
	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/core/timecode"
	"blendseam/media/wav"
	"blendseam/outside"
)

// faded is a reel of all kinds of fades and blends on two tracks, mono and stereo: one
// clip is nothing but fades, one blend is louder than full scale.
func faded(t *testing.T) (*reel.Reel, mix.Open) {
	t.Helper()
	rng := rand.New(rand.NewPCG(5, 5))
	r := &reel.Reel{NextID: 1, Props: reel.Props{Name: "faded", SampleRate: 48000, FrameRate: timecode.Rate25, StartFrame: 90000}}
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
	source := func(name string, channels int, level float64) reel.ID {
		v := make(sound.Memory, channels)
		for ch := range v {
			v[ch] = make([]float32, 300000)
			for k := range v[ch] {
				v[ch][k] = float32(sound.Quantise(level*(2*rng.Float64()-1), 24)) / (1 << 23)
			}
		}
		sounds[name] = v
		return do(&reel.AddSource{Source: reel.Source{Recording: name, Name: name, Right: channels*2 - 3, Length: 300000, StartTC: -1}})
	}
	mono, stereo, loud := source("mono", 1, 0.3), source("stereo", 2, 0.3), source("loud", 1, 0.9)
	one, two := do(&reel.AddTrack{Name: "one", Role: reel.Dialogue}), do(&reel.AddTrack{Name: "two", Role: reel.Music})
	clip := func(src, track reel.ID, start, length int64, name string) reel.ID {
		return do(&reel.Place{Source: src, Track: track, Start: start, Offset: 100000, Length: length, Name: name})
	}
	a, b, c := clip(mono, one, 0, 50000, "a"), clip(stereo, one, 50000, 40000, "b"), clip(mono, one, 90000, 20000, "c")
	d, e := clip(loud, one, 110000, 30000, "d"), clip(loud, one, 140000, 30000, "e")
	f, g := clip(stereo, two, 0, 5000, "f"), clip(mono, two, 180000, 40000, "g")
	h := clip(stereo, one, 210000, 40000, "h")
	db := 3.0
	do(&reel.SetClip{Clip: d, GainDB: &db})
	do(&reel.SetClip{Clip: e, GainDB: &db})
	db = -7
	do(&reel.SetClip{Clip: b, GainDB: &db})
	do(&reel.SetBlend{Left: a, Right: b, Before: 3000, After: 2000, Law: gain.ConstantPower, Lean: 0.3})
	do(&reel.SetBlend{Left: b, Right: c, Before: 4000, After: 4000, Law: gain.Matched, Lean: gain.Even})
	do(&reel.SetBlend{Left: c, Right: d, Before: 500, After: 600, Law: gain.ConstantGain, Lean: gain.Even})
	do(&reel.SetBlend{Left: d, Right: e, Before: 5000, After: 100, Law: gain.ConstantPower, Lean: gain.Even, Out: reel.Side{Shape: gain.QuarterSine, Bend: 0.7}, In: reel.Side{Shape: gain.Linear, Bend: 0.5}})
	do(&reel.BlendOver{Left: g, Right: h, Law: gain.ConstantGainEased, Lean: 0.6})
	for _, fade := range []reel.SetFade{
		{Clip: a, End: reel.Head, Fade: reel.Fade{Length: 9000, Shape: gain.Smooth, Bend: gain.Even}}, {Clip: h, End: reel.Tail, Fade: reel.Fade{Length: 7000, Shape: gain.Linear, Bend: gain.Even}},
		{Clip: f, End: reel.Head, Fade: reel.Fade{Length: 2000, Shape: gain.QuarterSine, Bend: 0.4}}, {Clip: f, End: reel.Tail, Fade: reel.Fade{Length: 3000, Shape: gain.QuarterSine, Bend: gain.Even}},
	} {
		do(&fade)
	}
	return r, func(s reel.Source) (sound.Reader, error) { return sounds[s.Recording], nil }
}

// played plays an audio decision list that has cuts, gains and straight fades alone, by
// its text, with what ffmpeg reads of its files.
func played(t *testing.T, archive []byte, n int64) (left, right []float64, list string) {
	t.Helper()
	z, err := zip.NewReader(bytes.NewReader(archive), int64(len(archive)))
	if err != nil {
		t.Fatal(err)
	}
	dir, files, channels := t.TempDir(), map[string][2][]float32{}, map[string]int{}
	for _, f := range z.File {
		in, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		b, err := io.ReadAll(in)
		if err != nil {
			t.Fatal(err)
		}
		if strings.HasSuffix(f.Name, ".adl") {
			list = string(b)
			continue
		}
		path := filepath.Join(dir, "x.wav")
		if err := os.WriteFile(path, b, 0o600); err != nil {
			t.Fatal(err)
		}
		w, err := wav.NewReader(bytes.NewReader(b), int64(len(b)))
		if err != nil {
			t.Fatal(err)
		}
		v := outside.Floats(outside.FFmpeg(t, "-i", path, "-f", "f32le", "-"))
		var sides [2][]float32
		for i := 0; i < len(v); i += w.Channels {
			sides[0], sides[1] = append(sides[0], v[i]), append(sides[1], v[i+w.Channels-1])
		}
		channels[f.Name] = w.Channels
		files[f.Name] = sides
	}
	left, right = make([]float64, n), make([]float64, n)
	stamp := regexp.MustCompile(`(\d\d)\.(\d\d)\.(\d\d)\.(\d\d)/(\d{4})`)
	times := func(line string) (out []int64) {
		for _, m := range stamp.FindAllStringSubmatch(line, -1) {
			var v [5]int64
			for i := range v {
				v[i], _ = strconv.ParseInt(m[i+1], 10, 64)
			}
			out = append(out, (v[0]*3600+v[1]*60+v[2])*48000+v[3]*1920+v[4])
		}
		return out
	}
	index, zero := map[string]string{}, map[string]int64{}
	var events [][]string // the lines of each
	for _, line := range strings.Split(list, "\r\n") {
		line = strings.TrimSpace(line)
		switch {
		case strings.HasPrefix(line, "(Index)"):
			fields := strings.Split(line, "\t")
			place, err := url.Parse(strings.TrimPrefix(strings.Trim(fields[3], `"`), "URL:"))
			if err != nil {
				t.Fatal(err)
			}
			index[fields[1]], zero[fields[1]] = strings.TrimPrefix(place.Path, "/"), times(line)[0]
		case strings.HasPrefix(line, "(Entry)"):
			events = append(events, []string{line})
		case strings.HasPrefix(line, "("), strings.HasPrefix(line, "<"):
			if len(events) > 0 {
				events[len(events)-1] = append(events[len(events)-1], line)
			}
		}
	}
	for _, lines := range events {
		fields := strings.Split(lines[0], "\t")
		of, ok := files[index[fields[4]]]
		if !ok {
			t.Fatalf("%q is not in the archive", index[fields[4]])
		}
		if wide := fields[5] == "1~2"; wide != (channels[index[fields[4]]] == 2) {
			t.Errorf("%s has %d channels, and the list says %s", index[fields[4]], channels[index[fields[4]]], fields[5])
		}
		at := times(lines[0])
		by, in, out := 1.0, int64(0), int64(0)
		for _, l := range lines[1:] {
			switch {
			case strings.HasPrefix(l, "(Gain)"):
				f := strings.Split(l, "\t")
				db, err := strconv.ParseFloat(f[2], 64)
				if err != nil {
					t.Fatal(err)
				}
				by = math.Pow(10, db/20)
			case strings.HasPrefix(l, "(Infade)"), strings.HasPrefix(l, "(Outfade)"):
				if !strings.Contains(l, "\tLIN\t") {
					t.Fatalf("a curve is told: %s", l)
				}
				if strings.HasPrefix(l, "(In") {
					in = times(l)[0]
				} else {
					out = times(l)[0]
				}
			}
		}
		begin := int64(3600) * 48000
		for k := at[1]; k < at[2]; k++ {
			g, src := by, at[0]-zero[fields[4]]+k-at[1]
			if done := k - at[1]; done < in {
				g *= float64(done) / float64(in)
			}
			if rest := at[2] - k; rest < out {
				g *= float64(rest) / float64(out)
			}
			left[k-begin] += g * float64(of[0][src])
			right[k-begin] += g * float64(of[1][src])
		}
	}
	return left, right, list
}

// A list whose curved fades are in files sounds as the reel, played by its text alone; the
// files last as long as they are needed, and the list is taken over like any other.
func TestFadesInFiles(t *testing.T) {
	ctx := context.Background()
	r, open := faded(t)
	var file bytes.Buffer
	lost, err := Write(ctx, &file, r, conform.Choice{Fades: conform.FadesCurved}, open, time.Now(), nil)
	if err != nil || len(lost) != 0 {
		t.Fatal(lost, err)
	}
	n := r.Length()
	left, right, list := played(t, file.Bytes(), n)
	m, err := mix.New(r, open, mix.Options{})
	if err != nil {
		t.Fatal(err)
	}
	l, rr := make([]float32, n), make([]float32, n)
	if err := m.Render(ctx, l, rr, 0); err != nil {
		t.Fatal(err)
	}
	top := 0.0
	for k := range l {
		top = max(top, math.Abs(float64(l[k])))
		if math.Abs(float64(l[k])-left[k]) > 1e-6 || math.Abs(float64(rr[k])-right[k]) > 1e-6 {
			t.Fatalf("sample %d plays %g, %g and is %g, %g", k, left[k], right[k], l[k], rr[k])
		}
	}
	if top <= 1 {
		t.Fatalf("the loudest is %g: nothing was beyond full scale", top)
	}
	for name, want := range map[string]int{"(Entry)": 15, "/Fades/": 8, "(Infade)": 1, "(Outfade)": 2, "NAME\t\"c\"": 1, "NAME\t\"f\"": 0} {
		if got := strings.Count(list, name); got != want {
			t.Errorf("%s stands %d times in the list, not %d:\n%s", name, got, want, list)
		}
	}
}

// Only fades that a list has no word for become files where that is wanted; else all are
// told, and said to be near. So is the fade of a clip that is nothing but fades, one of
// which is told.
func TestLeaningFadesInFiles(t *testing.T) {
	r, open := faded(t)
	for which, want := range map[conform.Fades]struct{ files, lost int }{conform.FadesTold: {0, 3}, conform.FadesLean: {5, 1}} {
		var file bytes.Buffer
		lost, err := Write(context.Background(), &file, r, conform.Choice{Fades: which}, open, time.Now(), nil)
		if err != nil || len(lost) != want.lost {
			t.Errorf("%q loses %q %v", which, lost, err)
		}
		z, err := zip.NewReader(bytes.NewReader(file.Bytes()), int64(file.Len()))
		if err != nil {
			t.Fatal(err)
		}
		n := 0
		for _, f := range z.File {
			if strings.HasPrefix(f.Name, "Fades/") {
				n++
			}
		}
		if n != want.files {
			t.Errorf("%q has %d files of fades, not %d", which, n, want.files)
		}
		if all := Loses(r, conform.Choice{Fades: which}); len(all) != want.lost {
			t.Errorf("%q is said to lose %q", which, all)
		}
	}
	if conform.Fades("all").Check() == nil {
		t.Error("an unknown choice was taken")
	}
}
