package work

import (
	"context"
	"io"
	"log/slog"
	"math/rand/v2"
	"testing"
	"time"

	"blendseam/core/mix"
	"blendseam/core/reel/reeltest"
	"blendseam/store"
)

// told keeps what those who watch are told of the seams.
type told chan Patch

func (c told) Tell(_ int64, name string, data any) {
	if name == "seams" {
		c <- data.(Patch)
	}
}
func (told) TellAll(string, any) {}

// noReels has nothing stored.
type noReels struct{}

func (noReels) Load(context.Context, int64) (store.Version, error)       { return store.Version{}, io.EOF }
func (noReels) Accepted(context.Context, int64) (map[string]bool, error) { return nil, nil }

// A version whose seams were read by somebody before its news went out is told
// all the same, from the list that was told last.
func TestReadBeforeTold(t *testing.T) {
	news, crew := make(told, 8), NewCrew()
	silent := func(int) mix.Open { return nil }
	m := NewMeasuring(crew, noReels{}, silent, news, slog.New(slog.DiscardHandler))
	rng := rand.New(rand.NewPCG(14, 3))
	first := store.Version{ID: 1, Revision: 1, Reel: reeltest.Blank(2, 2, 480_000)}
	for range 30 {
		if next, err := reeltest.Edit(rng, first.Reel).Apply(first.Reel); err == nil {
			first.Reel = next.Reel
		}
	}
	if len(first.Reel.Seams()) == 0 {
		t.Fatal("no seams to tell of")
	}
	m.Listed(first, nil)
	for rev := int64(3); rev < 9; rev += 2 { // others are between: news may pass each other
		v := store.Version{ID: 1, Revision: rev, Reel: first.Reel}
		m.Listed(v, nil)
		m.Changed(v)
		select {
		case p := <-news:
			if p.From != rev-2 || p.Revision != rev || len(p.Now)+len(p.Gone) != 0 {
				t.Fatalf("at revision %d: %+v", rev, p)
			}
		case <-time.After(10 * time.Second):
			t.Fatalf("revision %d is not told", rev)
		}
	}
}
