// Package live tells those who watch a reel what happens to it, here and
// through other servers, as server-sent events.
package live

import (
	"maps"
	"sync"
)

// event is something those who watch a reel are told.
type event struct {
	name string
	data any
}

// Hub passes events on to those who watch.
type Hub struct {
	mu   sync.Mutex
	ears map[int64]map[chan event]bool
	told map[int64]int64 // the newest revision that the watchers of a reel were told of
}

// NewHub is a hub that nobody listens to.
func NewHub() *Hub { return &Hub{ears: map[int64]map[chan event]bool{}, told: map[int64]int64{}} }

// backlog is how many events a slow watcher may lag behind before it is cut
// off; it then comes again and catches up from the journal.
const backlog = 256

// listen adds a watcher who knows a reel as it is at a revision.
func (h *Hub) listen(reel, revision int64) (chan event, func()) {
	ear := make(chan event, backlog)
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.ears[reel] == nil {
		h.ears[reel] = map[chan event]bool{}
		h.told[reel] = revision
	}
	h.ears[reel][ear] = true
	return ear, func() {
		h.mu.Lock()
		defer h.mu.Unlock()
		h.drop(reel, ear)
	}
}

func (h *Hub) drop(reel int64, ear chan event) {
	if delete(h.ears[reel], ear); len(h.ears[reel]) == 0 {
		delete(h.ears, reel)
		delete(h.told, reel)
	}
}

// watched are the reels that someone watches, and the revision they were told.
func (h *Hub) watched() map[int64]int64 {
	h.mu.Lock()
	defer h.mu.Unlock()
	return maps.Clone(h.told)
}

// Tell tells those who watch a reel.
func (h *Hub) Tell(reel int64, name string, data any) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.send(reel, event{name, data})
}

// publishChange tells of a revision, once.
func (h *Hub) publishChange(reel, revision int64, e event) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if _, watched := h.told[reel]; !watched || h.told[reel] >= revision {
		return
	}
	// One that came between, through another server, is told first by the one
	// who follows; what is told out of turn is taken by the page as a gap.
	h.told[reel] = revision
	h.send(reel, e)
}

// TellAll tells those who watch any reel.
func (h *Hub) TellAll(name string, data any) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for reel := range h.ears {
		h.send(reel, event{name, data})
	}
}

func (h *Hub) send(reel int64, e event) {
	for ear := range h.ears[reel] {
		select {
		case ear <- e:
		default:
			h.drop(reel, ear)
			close(ear)
		}
	}
}
