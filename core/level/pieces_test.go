package level

import (
	"context"
	"math"
	"slices"
	"testing"

	"blendseam/core/measure"
	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/core/treat"
)

// shelf keeps things, and counts how often something was put on it.
type shelf[T any] struct {
	things map[string]T
	put    int
}

func (s *shelf[T]) Get(name string) (T, bool) { t, ok := s.things[name]; return t, ok }
func (s *shelf[T]) Add(name string, t T) bool {
	if s.things == nil {
		s.things = map[string]T{}
	}
	s.things[name], s.put = t, s.put+1
	return false
}

// plainly measures a reel in one go, without pieces and without memory.
func plainly(t *testing.T, r *reel.Reel, open mix.Open, end int64) (integrated, loudRange, truePeak float64) {
	m, err := mix.New(r, open, mix.Options{})
	if err != nil {
		t.Fatal(err)
	}
	v := [][]float32{make([]float32, end), make([]float32, end)}
	if err := m.Render(context.Background(), v[0], v[1], 0); err != nil {
		t.Fatal(err)
	}
	l, p := measure.NewLoudness(rate, 2), measure.NewTruePeak(2)
	l.Add(v)
	p.Add(v)
	return l.Integrated(), l.Range(), p.Lap()
}

// What is put together of pieces that are remembered is what is measured in one go;
// and after an edit only that is listened to again which it alters.
func TestLoudnessFromMemory(t *testing.T) {
	v := recorded(t, "warden take 3")
	sounds := map[string]sound.Memory{"v": {v}, "n": {noise(60*rate, 0.05, 9)}}
	open := func(s reel.Source) (sound.Reader, error) { return sounds[s.Recording], nil }
	var list []stretchOf
	for range 8 {
		list = append(list, stretchOf{"v", 0, 20, 0})
	}
	r, ids := cut(t, sounds, list)
	do := func(e reel.Edit) {
		t.Helper()
		done, err := e.Apply(r)
		if err != nil {
			t.Fatalf("%T: %v", e, err)
		}
		r = done.Reel
	}
	end := r.Length()
	pieces, phrases := &shelf[Piece]{}, &shelf[Phrase]{}
	check := func(what string, mostPieces int) {
		t.Helper()
		was := pieces.put
		got, err := Measure(context.Background(), r, open, reel.Stretch{To: end}, Memory{pieces, phrases}, func(float64) {})
		if err != nil {
			t.Fatal(err)
		}
		fresh, err := Measure(context.Background(), r, open, reel.Stretch{To: end}, Memory{}, func(float64) {})
		if err != nil {
			t.Fatal(err)
		}
		i, lr, tp := plainly(t, r, open, end)
		if math.Abs(got.Integrated-i) > 1e-6 || math.Abs(got.Range-lr) > 1e-6 || math.Abs(got.TruePeak-tp) > 1e-6 {
			t.Errorf("%s: %.7f LUFS, %.7f LU, %.7f dBTP; in one go %.7f, %.7f, %.7f", what, got.Integrated, got.Range, got.TruePeak, i, lr, tp)
		}
		if got.Peak != fresh.Peak || !slices.Equal(got.Places, fresh.Places) || !slices.Equal(got.Course, fresh.Course) || got.RMS != fresh.RMS {
			t.Errorf("%s: what is remembered differs from what is heard", what)
		}
		if n := pieces.put - was; n > mostPieces {
			t.Errorf("%s: %d pieces listened to, of at most %d", what, n, mostPieces)
		}
	}
	check("at first", 100)
	check("again", 0)
	down, level, yes := -6.0, 3.0, true
	do(&reel.Gain{Clips: ids[3:4], ByDB: &down})
	check("a clip lower", 4)
	do(&reel.AddPoint{Clip: ids[6], At: 5 * rate, DB: &down})
	do(&reel.AddPoint{Clip: ids[6], At: 9 * rate, DB: &level})
	check("a ride on a clip", 4)
	c, _ := r.Clip(ids[0])
	do(&reel.AddPoint{Track: c.Track, At: 30 * rate, DB: &down})
	check("a ride on the track", 100)
	tone := treat.Settings{HighShelf: treat.Shelf{Hz: 2000, DB: -9}, Expander: treat.UsualExpander}
	do(&reel.Treat{Clips: ids[1:2], Does: &tone})
	check("a treatment", 100)
	was := pieces.put
	do(&reel.Gain{Clips: ids[7:], ByDB: &down})
	check("the last clip lower", pieces.put-was+4)
	do(&reel.SetTrack{Track: c.Track, Mute: &yes})
	check("muted", 100)
}
