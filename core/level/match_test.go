package level

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"os/exec"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"blendseam/core/gain"
	"blendseam/core/reel"
	"blendseam/core/seam"
	"blendseam/core/sound"
	"blendseam/core/timecode"
	"blendseam/outside"
)

const rate = 48000

// recorded is one of the demo's field recordings.
func recorded(t *testing.T, name string) []float32 {
	raw := outside.Run(t, nil, "ffmpeg", "-v", "error", "-i", "../../demo/sound/"+name+".flac", "-ac", "1", "-ar", fmt.Sprint(rate), "-f", "f32le", "-")
	v := make([]float32, len(raw)/4)
	if err := binary.Read(bytes.NewReader(raw), binary.LittleEndian, v); err != nil {
		t.Fatal(err)
	}
	return v
}

// ebur128 is ffmpeg's integrated loudness of a mono sound that is heard on both
// sides, in LUFS to a tenth.
func ebur128(t *testing.T, v []float32, db float64) float64 {
	var raw bytes.Buffer
	if err := binary.Write(&raw, binary.LittleEndian, v); err != nil {
		t.Fatal(err)
	}
	cmd := exec.Command("ffmpeg", "-hide_banner", "-f", "f32le", "-ar", fmt.Sprint(rate), "-ac", "1", "-channel_layout", "mono", "-i", "pipe:0",
		"-af", fmt.Sprintf("volume=%gdB:precision=double,pan=stereo|c0=c0|c1=c0,ebur128", db), "-f", "null", "-")
	cmd.Stdin = &raw
	out, err := cmd.CombinedOutput()
	if err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	m := regexp.MustCompile(`I:\s+(-?[\d.]+) LUFS`).FindAllSubmatch(out, -1)
	if m == nil {
		t.Fatalf("%s", out)
	}
	lufs, _ := strconv.ParseFloat(string(m[len(m)-1][1]), 64)
	return lufs
}

// said is what is said in a recording, found in another way than core does: the
// tenths of a second within 22 dB of the loudest, and those beside them.
func said(v []float32) []float32 {
	const tenth = rate / 10
	power := make([]float64, len(v)/tenth)
	most := 0.0
	for k := range power {
		for _, x := range v[k*tenth : (k+1)*tenth] {
			power[k] += float64(x) * float64(x)
		}
		most = max(most, power[k])
	}
	loud := func(k int) bool { return k >= 0 && k < len(power) && power[k] > most*math.Pow(10, -2.2) }
	var out []float32
	for k := range power {
		if loud(k-1) || loud(k) || loud(k+1) {
			out = append(out, v[k*tenth:(k+1)*tenth]...)
		}
	}
	return out
}

// stretchOf is a clip of some seconds of a sound, at a gain.
type stretchOf = struct {
	of           string
	from, length float64
	db           float64
}

// cut is a reel of stretches of recordings, one after the other, each with a gain.
func cut(t *testing.T, sounds map[string]sound.Memory, clips []stretchOf) (*reel.Reel, []reel.ID) {
	r := &reel.Reel{NextID: 1, Props: reel.Props{Name: "t", SampleRate: rate, FrameRate: timecode.Rate25}}
	do := func(e reel.Edit) reel.ID {
		done, err := e.Apply(r)
		if err != nil {
			t.Fatal(err)
		}
		if r = done.Reel; len(done.Made) > 0 {
			return done.Made[0]
		}
		return 0
	}
	track := do(&reel.AddTrack{Name: "A", Role: reel.Dialogue})
	sources := map[string]reel.ID{}
	var ids []reel.ID
	at := int64(0)
	for _, c := range clips {
		if sources[c.of] == 0 {
			sources[c.of] = do(&reel.AddSource{Source: reel.Source{Recording: c.of, Name: c.of, Right: -1, Length: sounds[c.of].Len(), StartTC: -1}})
		}
		n := int64(c.length * rate)
		id := do(&reel.Place{Source: sources[c.of], Track: track, Start: at, Offset: int64(c.from * rate), Length: n})
		do(&reel.Gain{Clips: []reel.ID{id}, ToDB: &c.db})
		ids, at = append(ids, id), at+n
	}
	return r, ids
}

// Recorded voices of different levels are brought to the loudness of one of them:
// by ffmpeg's ebur128 of what is said, each is within 0.3 LU of it.
func TestMatchAgainstFFmpeg(t *testing.T) {
	sounds := map[string]sound.Memory{"warden": {recorded(t, "warden take 3")}, "grower": {recorded(t, "grower take 2")}}
	open := func(s reel.Source) (sound.Reader, error) { return sounds[s.Recording], nil }
	clips := []struct {
		of           string
		from, length float64
		db           float64
	}{{"warden", 1.9, 5.7, -3}, {"grower", 1.7, 6.6, 9.5}, {"warden", 9, 7.8, -14}, {"grower", 9.6, 7.4, 0}, {"warden", 17, 6, 4}}
	r, ids := cut(t, sounds, clips)
	got, err := MatchLike(context.Background(), r, open, ids, ids[0])
	if err != nil || got.Edit == nil || len(got.Rows) != len(ids)-1 {
		t.Fatalf("%+v %v", got, err)
	}
	done, err := got.Edit.Apply(r)
	if err != nil {
		t.Fatal(err)
	}
	loud := func(i int, c reel.Clip) float64 {
		return ebur128(t, said(sounds[clips[i].of][0][c.Offset:c.Offset+c.Length]), c.GainDB)
	}
	first, _ := done.Reel.Clip(ids[0])
	want := loud(0, first)
	for i, id := range ids[1:] {
		was, _ := r.Clip(id)
		is, _ := done.Reel.Clip(id)
		t.Logf("%s: %.1f LUFS, %+.1f dB, %.1f LUFS; the reference %.1f", got.Rows[i].Name, loud(i+1, was), got.Rows[i].ByDB, loud(i+1, is), want)
		if math.Abs(loud(i+1, is)-want) > 0.35 { // ffmpeg prints tenths
			t.Errorf("clip %d is at %.1f LUFS, the reference at %.1f", i+1, loud(i+1, is), want)
		}
	}
	if back, err := reel.Diff(r, done.Reel).Invert().Apply(done.Reel); err != nil || !reel.Diff(back, r).Empty() {
		t.Error("it is not taken back whole")
	}
	again, err := MatchLike(context.Background(), done.Reel, open, ids, ids[0])
	if err != nil || again.Edit != nil || !strings.Contains(again.Words(), "already") {
		t.Errorf("matched again: %+v %v", again, err)
	}
}

func TestMatchWithoutSpeech(t *testing.T) {
	sounds := map[string]sound.Memory{"warden": {recorded(t, "warden take 3")}, "silence": {make([]float32, 10*rate)}}
	open := func(s reel.Source) (sound.Reader, error) { return sounds[s.Recording], nil }
	r, ids := cut(t, sounds, []struct {
		of           string
		from, length float64
		db           float64
	}{{"warden", 1.9, 5.7, 0}, {"silence", 0, 5, 0}, {"warden", 1.9, 0.1, 0}, {"warden", 1.9, 5.7, gain.MinDB}})
	ctx := context.Background()
	var no *reel.Refusal
	for _, id := range ids[1:] {
		if _, err := MatchLike(ctx, r, open, ids, id); !errors.As(err, &no) || no.Possible == "" {
			t.Errorf("clip %d served as a reference: %v", id, err)
		}
	}
	got, err := MatchTo(ctx, r, open, append(ids, 999), -23)
	if err != nil || len(got.Rows) != 4 || len(got.Edit.Edits) != 1 {
		t.Fatalf("%+v %v", got, err)
	}
	for _, row := range got.Rows[1:] {
		if row.Why == "" || row.ByDB != 0 {
			t.Errorf("%+v", row)
		}
	}
	if w := got.Words(); !strings.Contains(w, "3 left: no speech") {
		t.Error(w)
	}
	for _, lufs := range []float64{math.NaN(), 1, -61, math.Inf(-1)} {
		if _, err := MatchTo(ctx, r, open, ids, lufs); !errors.As(err, &no) {
			t.Errorf("to %g: %v", lufs, err)
		}
	}
	stop, cancel := context.WithCancel(ctx)
	cancel()
	if _, err := MatchTo(stop, r, open, ids, -23); !errors.Is(err, context.Canceled) {
		t.Errorf("it went on: %v", err)
	}
}

// What is told of how loud somebody speaks, over stretches of four recordings at
// random, against ffmpeg's ebur128 of what is said.
func TestVoiceOfManyStretches(t *testing.T) {
	sounds := map[string]sound.Memory{}
	names := []string{"warden take 3", "warden take 5", "grower take 2", "grower take 4"}
	for _, name := range names {
		sounds[name] = sound.Memory{recorded(t, name)}
	}
	open := func(s reel.Source) (sound.Reader, error) { return sounds[s.Recording], nil }
	rng := rand.New(rand.NewPCG(8, 15))
	var off []float64
	for _, name := range names {
		of := sounds[name]
		for range 12 {
			length := 3 + 6*rng.Float64()
			from := rng.Float64() * (float64(of.Len())/rate - length - 0.1)
			r, ids := cut(t, sounds, []struct {
				of           string
				from, length float64
				db           float64
			}{{name, from, length, 0}})
			c, _ := r.Clip(ids[0])
			voice, err := seam.New(r, open).Voice(context.Background(), c)
			if err != nil {
				t.Fatal(err)
			}
			if !voice.Known || voice.Seconds < 1 {
				continue // mostly pause: by level alone the test would hear the room
			}
			off = append(off, math.Abs(voice.LUFS-ebur128(t, said(of[0][c.Offset:c.Offset+c.Length]), 0)))
		}
	}
	slices.Sort(off)
	t.Logf("%d stretches: median %.2f LU off, 90%% within %.2f, at most %.2f", len(off), off[len(off)/2], off[len(off)*9/10], off[len(off)-1])
	if len(off) < 24 || off[len(off)/2] > 0.15 || off[len(off)*9/10] > 0.3 {
		t.Errorf("off by %.2f", off)
	}
}

// Without a reference the first counts, or the clip before one alone; what cannot
// be heard or altered is left, with its reason, and does not stop the others.
func TestMatchTellsWhatItLeaves(t *testing.T) {
	ctx := context.Background()
	sounds := map[string]sound.Memory{"warden": {recorded(t, "warden take 3")}}
	open := func(s reel.Source) (sound.Reader, error) {
		if sounds[s.Recording] == nil {
			return nil, fmt.Errorf("no sound of “%s”", s.Recording)
		}
		return sounds[s.Recording], nil
	}
	r, ids := cut(t, sounds, []struct {
		of           string
		from, length float64
		db           float64
	}{{"warden", 1.9, 5.7, 0}, {"warden", 1.9, 5.7, 9}, {"warden", 1.9, 5.7, -6}})
	alone, err := MatchLike(ctx, r, open, ids[2:], 0)
	if err != nil || len(alone.Rows) != 1 || alone.Rows[0].ByDB != 15 {
		t.Errorf("like the one before: %+v %v", alone, err)
	}
	all, err := MatchLike(ctx, r, open, []reel.ID{ids[2], ids[1], ids[0]}, 0)
	if err != nil || len(all.Rows) != 2 || all.Rows[0].ByDB != 6 || all.Rows[1].ByDB != -9 {
		t.Errorf("like the first: %+v %v", all, err)
	}
	var no *reel.Refusal
	if _, err := MatchLike(ctx, r, open, ids[:1], 0); !errors.As(err, &no) || no.Possible == "" {
		t.Errorf("nothing is before the first: %v", err)
	}
	// One clip is of a recording that nobody has, one on a locked track.
	whole := *r
	whole.Sources = append(slices.Clone(r.Sources), reel.Source{ID: 900, Name: "lost", Right: -1, Length: 10 * rate, StartTC: -1})
	whole.Tracks = append(slices.Clone(r.Tracks), reel.Track{ID: 901, Name: "B", Role: reel.Dialogue, Locked: true})
	whole.Clips = append(slices.Clone(r.Clips), reel.Clip{ID: 902, Track: r.Tracks[0].ID, Source: 900, Name: "lost", Start: 60 * rate, Length: rate, FadeIn: reel.NoFade, FadeOut: reel.NoFade})
	held := r.Clips[1]
	held.ID, held.Track = 903, 901
	whole.Clips, whole.NextID = append(whole.Clips, held), 904
	if err := whole.Check(); err != nil {
		t.Fatal(err)
	}
	got, err := MatchLike(ctx, &whole, open, append(ids, 902, 903), 0)
	if err != nil || len(got.Rows) != 4 || got.Rows[2].Why != "missing media" || got.Rows[3].Why != "B is locked" {
		t.Fatalf("%+v %v", got, err)
	}
	if _, err := got.Edit.Apply(&whole); err != nil {
		t.Errorf("what is proposed cannot be done: %v", err)
	}
	if _, err := MatchLike(ctx, &whole, open, ids, 902); !errors.As(err, &no) || !strings.Contains(no.Reason, "missing media") {
		t.Errorf("matched to what nobody has: %v", err)
	}
}
