package live

import (
	"blendseam/core/reel"
	"blendseam/server/answer"
	"blendseam/store"
	"blendseam/work"
)

// Live tells of changes of reels.
type Live struct {
	*answer.Answers
	*Hub
	store   *store.Store
	crew    *work.Crew
	measure func(store.Version)
}

// New tells of reels through a hub. measure is called for each reel that has
// changed.
func New(a *answer.Answers, hub *Hub, st *store.Store, crew *work.Crew, measure func(store.Version)) *Live {
	return &Live{a, hub, st, crew, measure}
}

// Changed is what an edit, undo or redo did, as sent to its maker and to all
// who watch the reel.
type Changed struct {
	Revision int64        `json:"revision"`
	Change   reel.Change  `json:"change"`
	Outcome  reel.Outcome `json:"outcome"`
	Undo     string       `json:"undo"`
	Redo     string       `json:"redo"`
}

// Change tells all who watch a reel what was done to it.
func (s *Live) Change(res store.Result) Changed {
	out := Changed{res.Revision, res.Change, res.Outcome, res.Undo, res.Redo}
	if !res.Change.Empty() && !res.Again {
		s.publishChange(res.ID, res.Revision, event{"change", out})
		s.measure(res.Version)
	}
	return out
}
