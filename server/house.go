package server

import (
	"context"
	"slices"
	"time"

	"blendseam/media"
	"blendseam/store"
)

// What is no longer used goes by itself: reels that were removed long enough
// ago, recordings that neither a reel nor a version nor a step needs, and what
// stopped imports left.

const (
	houseEvery = time.Hour
	fileGrace  = 24 * time.Hour // a file younger than this is never taken for unused
)

// OldEnough is the time before which what was removed may go, by the days that
// it is kept; the beginning of time when it is kept for ever.
func OldEnough(days int, now time.Time) time.Time {
	if days <= 0 {
		return time.Time{}
	}
	return now.AddDate(0, 0, -days)
}

// Cleaned is what Clean removed.
type Cleaned struct {
	Reels      []string // names
	Recordings int
	Bytes      int64
}

// Clean removes what is no longer used. With days 0 only what stopped imports
// left goes.
func Clean(ctx context.Context, st *store.Store, library *media.Library, days int) (Cleaned, error) {
	var out Cleaned
	now := time.Now()
	since := OldEnough(days, now)
	gone, err := st.Purge(ctx, since)
	for _, e := range gone {
		out.Reels = append(out.Reels, e.Props.Name)
	}
	if err != nil {
		return out, err
	}
	needed, err := st.AllListed(ctx)
	if err != nil {
		return out, err
	}
	parts, err := library.Parts()
	if err != nil {
		return out, err
	}
	if days > 0 && slices.ContainsFunc(parts, func(p media.Part) bool { return !needed[p.Hash] }) {
		if needed, err = st.Needed(ctx, since); err != nil {
			return out, err
		}
	}
	hashes, bytes, err := library.Sweep(needed, now.Add(-fileGrace), func(hash string) bool {
		if days <= 0 {
			return false
		}
		listed, err := st.Listed(ctx, hash) // imported again since it was asked?
		return err == nil && !listed
	})
	out.Recordings, out.Bytes = len(hashes), bytes
	for _, hash := range hashes {
		if err := st.Forget(ctx, hash); err != nil {
			return out, err
		}
	}
	return out, err
}

// KeepHouse cleans up in the background for as long as the server runs.
func (s *Server) KeepHouse() {
	s.work.Go(func() {
		wait := 10 * time.Minute
		for {
			select {
			case <-s.ctx.Done():
				return
			case <-time.After(wait):
			}
			wait = houseEvery
			done, err := Clean(s.ctx, s.store, s.library, s.removedDays)
			if err == nil {
				err = s.store.ForgetRequests(s.ctx, time.Now().Add(-store.KeepRequests))
			}
			if err != nil && s.ctx.Err() == nil {
				s.log.Error("cleaning up failed", "error", err)
			}
			for _, name := range done.Reels {
				s.log.Info("a removed reel was deleted for good", "name", name)
			}
			if done.Recordings > 0 {
				s.log.Info("recordings that nothing needs were deleted", "recordings", done.Recordings, "bytes", done.Bytes)
			}
		}
	})
}

// CheckInBackground looks through all reels and recordings.
func (s *Server) CheckInBackground() {
	s.work.Go(func() {
		if err := s.CheckAll(s.ctx); err != nil && s.ctx.Err() == nil {
			s.log.Error("reels and recordings could not be looked through", "error", err)
		}
	})
}
