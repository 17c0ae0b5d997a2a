package work

import (
	"context"
	"errors"
	"log/slog"
	"time"

	"blendseam/media"
	"blendseam/store"
)

// CheckAll looks through all reels and recordings, as after an unclean end, and
// tells the log what is not as it must be. Recordings that are damaged are made
// again; reels are left as they are.
func CheckAll(ctx context.Context, st *store.Store, library *media.Library, log *slog.Logger) error {
	found := 0
	ids, err := st.Reels(ctx)
	if err != nil {
		return err
	}
	for _, id := range ids {
		wrong, err := st.VerifyReel(ctx, id, false)
		if err != nil {
			return err
		}
		for _, f := range wrong {
			found++
			log.Error("a reel is not what its journal says; blendseam verify --repair mends it", "reel", f.Reel, "name", f.Name, "found", f.What)
		}
	}
	parts, err := library.Parts()
	if err != nil {
		return err
	}
	for _, p := range parts {
		began := time.Now()
		err := library.Check(ctx, p)
		select { // half of the time is left to those who work
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(time.Since(began)):
		}
		var d *media.Damaged
		if errors.As(err, &d) {
			found++
			continue // it is being made again
		}
		if err != nil && !errors.Is(err, media.ErrNoCopy) {
			return err
		}
	}
	log.Info("all reels and recordings were looked through", "reels", len(ids), "recordings", len(parts), "wrong", found)
	return nil
}
