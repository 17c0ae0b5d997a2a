package server

import (
	"encoding/json"
	"fmt"
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
}

func newHub() *hub { return &hub{ears: map[int64]map[chan event]bool{}} }

// backlog is how many events a slow watcher may lag behind before it is cut
// off; it then comes again and catches up from the journal.
const backlog = 256

func (h *hub) listen(reel int64) (chan event, func()) {
	ear := make(chan event, backlog)
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.ears[reel] == nil {
		h.ears[reel] = map[chan event]bool{}
	}
	h.ears[reel][ear] = true
	return ear, func() {
		h.mu.Lock()
		defer h.mu.Unlock()
		delete(h.ears[reel], ear)
	}
}

func (h *hub) publish(reel int64, e event) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for ear := range h.ears[reel] {
		select {
		case ear <- e:
		default:
			delete(h.ears[reel], ear)
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
	ear, hush := s.hub.listen(v.ID)
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
	for _, m := range missed {
		if !send(event{"change", changed{m.Revision, m.Change, m.Outcome, v.Undo, v.Redo}}) {
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
