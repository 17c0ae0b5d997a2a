package server

import (
	"encoding/json"
	"fmt"
	"maps"
	"net/http"
	"sync"
	"time"

	"blendseam/store"
)

// event is something those who watch a reel are told.
type event struct {
	name string
	data any
}

// hub passes events on to those who watch.
type hub struct {
	mu   sync.Mutex
	ears map[int64]map[chan event]bool
	told map[int64]int64 // the newest revision that the watchers of a reel were told of
}

func newHub() *hub { return &hub{ears: map[int64]map[chan event]bool{}, told: map[int64]int64{}} }

// backlog is how many events a slow watcher may lag behind before it is cut
// off; it then comes again and catches up from the journal.
const backlog = 256

// listen adds a watcher who knows a reel as it is at a revision.
func (h *hub) listen(reel, revision int64) (chan event, func()) {
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

func (h *hub) drop(reel int64, ear chan event) {
	if delete(h.ears[reel], ear); len(h.ears[reel]) == 0 {
		delete(h.ears, reel)
		delete(h.told, reel)
	}
}

// watched are the reels that someone watches, and the revision they were told.
func (h *hub) watched() map[int64]int64 {
	h.mu.Lock()
	defer h.mu.Unlock()
	return maps.Clone(h.told)
}

func (h *hub) publish(reel int64, e event) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.send(reel, e)
}

// publishChange tells of a revision, once.
func (h *hub) publishChange(reel, revision int64, e event) {
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

// publishAll tells the watchers of all reels.
func (h *hub) publishAll(e event) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for reel := range h.ears {
		h.send(reel, e)
	}
}

func (h *hub) send(reel int64, e event) {
	for ear := range h.ears[reel] {
		select {
		case ear <- e:
		default:
			h.drop(reel, ear)
			close(ear)
		}
	}
}

// getEvents streams what happens to a reel: first what the watcher missed
// since its revision, then everything as it comes.
func (s *Server) getEvents(w http.ResponseWriter, r *http.Request) {
	v, err := s.version(r)
	var since int64
	if err == nil {
		since, err = queryInt(r, "since", v.Revision)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	ear, hush := s.hub.listen(v.ID, v.Revision)
	defer hush()
	var missed []store.Result
	if missed, err = s.store.Since(r.Context(), v.ID, since); err != nil {
		s.fail(w, r, err)
		return
	}
	rc := http.NewResponseController(w)
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	send := func(e event) bool {
		text, err := json.Marshal(e.data)
		if err == nil {
			_, err = fmt.Fprintf(w, "event: %s\ndata: %s\n\n", e.name, text)
		}
		return err == nil && rc.Flush() == nil
	}
	if _, err := fmt.Fprint(w, "retry: 1000\n\n"); err != nil || rc.Flush() != nil {
		return
	}
	if !send(event{"database", map[string]bool{"away": s.store.Away()}}) {
		return
	}
	for _, m := range missed {
		if !send(s.missed(m, v)) {
			return
		}
	}
	beat := time.NewTicker(20 * time.Second)
	defer beat.Stop()
	for {
		select {
		case e, ok := <-ear:
			if !ok || !send(e) {
				return
			}
		case <-beat.C:
			if _, err := fmt.Fprint(w, ": still here\n\n"); err != nil || rc.Flush() != nil {
				return
			}
		case <-r.Context().Done():
			return
		case <-s.ctx.Done():
			return
		}
	}
}
