package work

import (
	"context"
	"sync"
	"time"
)

// A few files are decoded at a time. One that makes no progress gives up its
// place to the others while it is waited for.

// idleTurn is how long a place is kept without progress.
const idleTurn = 5 * time.Second

// turn is a place among those that are decoded.
type turn struct {
	mu    sync.Mutex
	slots chan struct{}
	timer *time.Timer
	given bool // the place went back
}

// wait waits for a place.
func (m *Imports) wait(ctx context.Context) (*turn, error) {
	select {
	case m.slots <- struct{}{}:
	case <-ctx.Done():
		return nil, ctx.Err()
	}
	t := &turn{slots: m.slots}
	t.timer = time.AfterFunc(idleTurn, t.end)
	return t, nil
}

// sign tells that there is progress.
func (t *turn) sign() {
	t.mu.Lock()
	defer t.mu.Unlock()
	if !t.given {
		t.timer.Reset(idleTurn)
	}
}

// end gives the place back. It may be called again.
func (t *turn) end() {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.timer.Stop()
	if !t.given {
		t.given = true
		<-t.slots
	}
}
