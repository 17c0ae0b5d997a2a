package server

import (
	"time"

	"blendseam/store"
)

// Another server may work on the same database. While someone watches a reel
// here, its revision is asked for, and what was done elsewhere is told as if it
// had been done here.

// followEvery is how often it is asked.
const followEvery = 300 * time.Millisecond

// follow runs until the server is closed.
func (s *Server) follow() {
	for {
		select {
		case <-s.ctx.Done():
			return
		case <-time.After(followEvery):
		}
		watched := s.hub.watched()
		ids := make([]int64, 0, len(watched))
		for id := range watched {
			ids = append(ids, id)
		}
		now, err := s.store.Revisions(s.ctx, ids)
		if err != nil {
			continue // it is told when the database goes and comes
		}
		for id, told := range watched {
			if now[id] > told {
				s.catchUp(id, told)
			}
		}
	}
}

// catchUp tells those who watch a reel what was done after a revision.
func (s *Server) catchUp(id, told int64) {
	missed, err := s.store.Since(s.ctx, id, told)
	if err != nil {
		return
	}
	v, err := s.store.Load(s.ctx, id)
	if err != nil {
		return
	}
	for _, m := range missed {
		if m.Revision > v.Revision {
			break
		}
		s.hub.publishChange(id, m.Revision, s.missed(m, v))
	}
	s.ledger.want(v)
}

// missed is a change that a watcher has missed, as it is told.
func (s *Server) missed(m store.Result, v store.Version) event {
	if m.Whole {
		return event{"reload", map[string]int64{"revision": m.Revision}}
	}
	return event{"change", changed{m.Revision, m.Change, m.Outcome, v.Undo, v.Redo}}
}
