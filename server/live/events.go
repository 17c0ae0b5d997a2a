package live

import (
	"encoding/json"
	"fmt"
	"net/http"
	"time"

	"blendseam/server/answer"
	"blendseam/store"
)

// Events streams what happens to a reel: first what the watcher missed
// since its revision, then everything as it comes.
func (s *Live) Events(w http.ResponseWriter, r *http.Request) {
	var v store.Version
	id, err := answer.PathInt(r, "reel")
	if err == nil {
		v, err = s.store.Load(r.Context(), id)
	}
	var since int64
	if err == nil {
		since, err = answer.QueryInt(r, "since", v.Revision)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	ear, hush := s.listen(v.ID, v.Revision)
	defer hush()
	var missed []store.Result
	if missed, err = s.store.Since(r.Context(), v.ID, since); err != nil {
		s.Fail(w, r, err)
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
		case <-s.crew.Context().Done():
			return
		}
	}
}
