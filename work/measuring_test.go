package work

import (
	"context"
	"log/slog"
	"testing"

	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/core/timecode"
	"blendseam/store"
)

// measured keeps which seams those who watch are told the verdict of.
type measured map[Pair]int

func (m measured) Tell(_ int64, name string, data any) {
	if name == "measured" {
		for _, s := range data.(Measured).Seams {
			m[Pair{s.Left, s.Right}]++
		}
	}
}
func (measured) TellAll(string, any) {}

// threeClips are three clips in a row with nothing measured, and what is told of them.
func threeClips(t *testing.T) (*Measuring, store.Version, measured) {
	t.Helper()
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
	v := make([]float32, 200_000)
	for i := range v {
		v[i] = float32(i%101)/1000 - 0.05
	}
	track := do(&reel.AddTrack{Name: "A", Role: reel.Dialogue})
	src := do(&reel.AddSource{Source: reel.Source{Recording: "a", Name: "a", Right: -1, Length: int64(len(v)), StartTC: -1}})
	for i := range int64(3) {
		do(&reel.Place{Source: src, Track: track, Start: i * 30_000, Offset: 10_000 + i*50_000, Length: 30_000})
	}
	news := measured{}
	open := func(int) mix.Open {
		return func(reel.Source) (sound.Reader, error) { return sound.Memory{v}, nil }
	}
	m := NewMeasuring(NewCrew(), noReels{}, open, news, slog.New(slog.DiscardHandler))
	return m, store.Version{ID: 1, Revision: 5, Reel: r}, news
}

// A seam that was told of without a verdict, and that somebody looks at before its
// turn comes, is told of all the same: once.
func TestLookedAtBeforeMeasured(t *testing.T) {
	m, version, news := threeClips(t)
	m.Listed(version, nil)
	seams := version.Reel.Seams()
	if _, err := m.Judged(context.Background(), 1, version.Reel, seams[1]); err != nil {
		t.Fatal(err)
	}
	for range 2 {
		if err := m.measure(context.Background(), version, &watched{version.Revision}); err != nil {
			t.Fatal(err)
		}
	}
	for _, s := range seams {
		if n := news[Pair{s.Left, s.Right}]; n != 1 {
			t.Errorf("the verdict of seam %d–%d was told %d times", s.Left, s.Right, n)
		}
	}
}

// What is found out while somebody reads a later list is told of that one: news of
// an earlier revision may come before the list does.
func TestToldOfTheListThatWasRead(t *testing.T) {
	m, v, news := threeClips(t)
	later := store.Version{ID: 1, Revision: v.Revision + 1, Reel: v.Reel}
	m.Listed(v, nil)
	m.printed(later) // somebody reads the next revision …
	for _, s := range v.Reel.Seams() {
		m.listed(later, s, m.printed(later).prints[Pair{s.Left, s.Right}], nil)
	}
	for _, now := range []store.Version{v, later} { // … and has it after this is measured
		clear(news)
		if err := m.measure(context.Background(), now, &watched{now.Revision}); err != nil {
			t.Fatal(err)
		}
	}
	for _, s := range v.Reel.Seams() {
		if n := news[Pair{s.Left, s.Right}]; n != 1 {
			t.Errorf("the verdict of seam %d–%d was told %d times for the later list", s.Left, s.Right, n)
		}
	}
}
