package api

import (
	"context"
	"crypto/rand"
	"net/http"
	"sync"

	"blendseam/core/reel"
	"blendseam/server/answer"
	"blendseam/store"
)

// trials are reels as edits would leave them, kept for a while so that they
// can be heard before they are made.
type trials struct {
	mu    sync.Mutex
	reels map[string]*reel.Reel
	order []string
}

// mostTrials bounds what is kept.
const mostTrials = 32

func (t *trials) put(r *reel.Reel) string {
	t.mu.Lock()
	defer t.mu.Unlock()
	name := rand.Text()
	if t.reels == nil {
		t.reels = map[string]*reel.Reel{}
	}
	t.reels[name] = r
	if t.order = append(t.order, name); len(t.order) > mostTrials {
		delete(t.reels, t.order[0])
		t.order = t.order[1:]
	}
	return name
}

func (t *trials) get(name string) *reel.Reel {
	t.mu.Lock()
	defer t.mu.Unlock()
	return t.reels[name]
}

// heard is the reel that a request for sound means: as it is, as it was before
// the last step, or as an edit would leave it.
func (s *API) heard(ctx context.Context, r *http.Request, v store.Version) (*reel.Reel, error) {
	q := r.URL.Query()
	if name := q.Get("trial"); name != "" {
		if at := s.trials.get(name); at != nil {
			return at, nil
		}
		return nil, answer.Bad("That trial has expired. Try it again.")
	}
	if q.Get("before") != "" {
		at, _, err := s.Store.BeforeLast(ctx, v.ID)
		return at, err
	}
	return v.Reel, nil
}
