package live

import (
	"context"
	"time"

	"blendseam/store"
)

// Another server may work on the same database. While someone watches a reel
// here, its revision is asked for, and what was done elsewhere is told as if it
// had been done here.

// followEvery is how often it is asked.
const followEvery = 300 * time.Millisecond

// Follow runs for as long as the context lasts.
func (s *Live) Follow(ctx context.Context) {
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(followEvery):
		}
		watched := s.watched()
		ids := make([]int64, 0, len(watched))
		for id := range watched {
			ids = append(ids, id)
		}
		now, err := s.store.Revisions(ctx, ids)
		if err != nil {
			continue // it is told when the database goes and comes
		}
		for id, told := range watched {
			if now[id] > told {
				s.catchUp(ctx, id, told)
			}
		}
	}
}

// catchUp tells those who watch a reel what was done after a revision.
func (s *Live) catchUp(ctx context.Context, id, told int64) {
	missed, err := s.store.Since(ctx, id, told)
	if err != nil {
		return
	}
	v, err := s.store.Load(ctx, id)
	if err != nil {
		return
	}
	for _, m := range missed {
		if m.Revision > v.Revision {
			break
		}
		s.publishChange(id, m.Revision, s.missed(m, v))
	}
	s.measure(v)
}

// missed is a change that a watcher has missed, as it is told.
func (s *Live) missed(m store.Result, v store.Version) event {
	if m.Whole {
		return event{"reload", map[string]int64{"revision": m.Revision}}
	}
	return event{"change", Changed{m.Revision, m.Change, m.Outcome, v.Undo, v.Redo}}
}
