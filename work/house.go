package work

import (
	"context"
	"errors"
	"log/slog"
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
	jobsKept   = 30             // days that a job without a file stays on the list
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

// CleanFiles removes the files of jobs whose time is over, and what workers that died
// left of theirs. It tells how many files and bytes went.
func CleanFiles(ctx context.Context, st *store.Store, files *Files) (n int, bytes int64, err error) {
	stale, err := st.StaleFiles(ctx)
	for _, j := range stale {
		size, err := files.Remove(j.ID)
		if err == nil {
			err = st.FileGone(ctx, j.ID)
		}
		if err != nil {
			return n, bytes, err
		}
		n, bytes = n+1, bytes+size
	}
	if err != nil {
		return n, bytes, err
	}
	swept, err := files.Sweep(time.Now().Add(-fileGrace), func(id int64) bool {
		_, err := st.Job(ctx, id)
		return !errors.Is(err, store.ErrNoJob)
	})
	if err == nil {
		err = st.ForgetJobs(ctx, time.Now().AddDate(0, 0, -jobsKept))
	}
	return n, bytes + swept, err
}

// House cleans up in the background.
type House struct {
	Store   *store.Store
	Library *media.Library
	Files   *Files
	Log     *slog.Logger
	Days    int // that removed reels are kept, 0 for ever
}

// Keep cleans up for as long as the context lasts.
func (h *House) Keep(ctx context.Context) {
	for wait := 10 * time.Minute; ; wait = houseEvery {
		select {
		case <-ctx.Done():
			return
		case <-time.After(wait):
		}
		done, err := Clean(ctx, h.Store, h.Library, h.Days)
		if err == nil {
			err = h.Store.ForgetRequests(ctx, time.Now().Add(-store.KeepRequests))
		}
		files, freed, ferr := CleanFiles(ctx, h.Store, h.Files)
		if freed > 0 {
			h.Log.Info("files of exports whose time was over were deleted", "files", files, "bytes", freed)
		}
		err = errors.Join(err, ferr)
		if err != nil && ctx.Err() == nil {
			h.Log.Error("cleaning up failed", "error", err)
		}
		for _, name := range done.Reels {
			h.Log.Info("a removed reel was deleted for good", "name", name)
		}
		if done.Recordings > 0 {
			h.Log.Info("recordings that nothing needs were deleted", "recordings", done.Recordings, "bytes", done.Bytes)
		}
	}
}
