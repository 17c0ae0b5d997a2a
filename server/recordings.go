package server

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"time"

	"blendseam/media"
)

// damages are the recordings that were found damaged. Each is made again from
// its original; meanwhile, and where that is damaged too, whoever asks for its
// sound is told.
type damages struct {
	mu   sync.Mutex
	busy map[media.Part]bool
	lost map[media.Part]string // by name, those that only the file itself can bring back
}

// mend makes a damaged recording again, once at a time.
func (s *Server) mend(d *media.Damaged) {
	part := media.Part{Hash: d.Hash, Rate: d.Rate}
	s.damages.mu.Lock()
	defer s.damages.mu.Unlock()
	if s.damages.busy == nil {
		s.damages.busy, s.damages.lost = map[media.Part]bool{}, map[media.Part]string{}
	}
	if s.damages.busy[part] || s.ctx.Err() != nil {
		return
	}
	s.damages.busy[part] = true
	s.work.Go(func() {
		name := s.nameOf(s.ctx, part)
		s.log.Warn("a recording is damaged and is made again", "name", name, "hash", d.Hash, "rate", d.Rate, "found", d.What)
		err := s.remake(part, name)
		s.damages.mu.Lock()
		delete(s.damages.busy, part)
		delete(s.damages.lost, part)
		if err != nil && s.ctx.Err() == nil {
			s.damages.lost[part] = name
		}
		s.tellLost()
		s.damages.mu.Unlock()
		if err != nil {
			s.log.Error("a recording could not be made again", "name", name, "hash", d.Hash, "error", err)
			return
		}
		s.log.Info("a recording was made again", "name", name, "hash", d.Hash)
		s.ledger.forget()
		s.hub.publishAll(event{"media", map[string]any{"recording": d.Hash, "whole": true}})
	})
}

// remakeAgain is how long what keeps a recording from being made again may
// take to pass, such as a full disk.
const remakeAgain = 30 * time.Second

// remake makes a recording again, as often as it takes unless its original is
// damaged too.
func (s *Server) remake(part media.Part, name string) error {
	for {
		err := s.library.Remake(s.ctx, part, name)
		var lost *media.Damaged
		if err == nil || errors.As(err, &lost) || s.ctx.Err() != nil {
			return err
		}
		s.log.Error("a recording is not made again yet", "name", name, "error", err)
		s.notices.set("damaged", fmt.Sprintf("The recording “%s” is damaged on the disk. Making it again failed; trying again. See the server's log.", name))
		s.hub.publishAll(event{"notices", s.notices.list()})
		select {
		case <-s.ctx.Done():
			return s.ctx.Err()
		case <-time.After(remakeAgain):
		}
	}
}

// tellLost keeps the notice of damaged recordings. The lock is held.
func (s *Server) tellLost() {
	text := ""
	for _, name := range s.damages.lost {
		text = fmt.Sprintf("The recording “%s” is damaged on the disk.", name)
	}
	switch n := len(s.damages.lost); {
	case n == 1:
		text += " Import the file again to repair it."
	case n > 1:
		text = fmt.Sprintf("%d recordings are damaged on the disk. Import the files again to repair them: see the server's log.", n)
	}
	s.notices.set("damaged", text)
	s.hub.publishAll(event{"notices", s.notices.list()})
}

// repaired takes note that the file of a recording came again: what else of it
// was lost can be made from that now.
func (s *Server) repaired(hash string) {
	s.damages.mu.Lock()
	var rest []*media.Damaged
	for part := range s.damages.lost {
		if part.Hash == hash {
			delete(s.damages.lost, part)
			rest = append(rest, &media.Damaged{Hash: part.Hash, Rate: part.Rate, What: "it was lost"})
		}
	}
	if len(rest) > 0 {
		s.tellLost()
	}
	s.damages.mu.Unlock()
	for _, d := range rest {
		if s.library.Whole(media.Part{Hash: d.Hash, Rate: d.Rate}) != nil {
			s.mend(d)
		}
	}
}

// nameOf is what a recording is called.
func (s *Server) nameOf(ctx context.Context, p media.Part) string {
	if p.Rate > 0 {
		if rec, ok, err := s.store.Recording(ctx, p.Hash, p.Rate); err == nil && ok {
			return rec.FileName
		}
	} else if pic, ok, err := s.store.Picture(ctx, p.Hash); err == nil && ok {
		return pic.FileName
	}
	return p.Hash[:12]
}

// CheckAll looks through all reels and recordings, as after an unclean end, and
// tells the log what is not as it must be. Recordings that are damaged are made
// again; reels are left as they are.
func (s *Server) CheckAll(ctx context.Context) error {
	found := 0
	ids, err := s.store.Reels(ctx)
	if err != nil {
		return err
	}
	for _, id := range ids {
		wrong, err := s.store.VerifyReel(ctx, id, false)
		if err != nil {
			return err
		}
		for _, f := range wrong {
			found++
			s.log.Error("a reel is not what its journal says; blendseam verify --repair mends it", "reel", f.Reel, "name", f.Name, "found", f.What)
		}
	}
	parts, err := s.library.Parts()
	if err != nil {
		return err
	}
	for _, p := range parts {
		began := time.Now()
		err := s.library.Check(ctx, p)
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
	s.log.Info("all reels and recordings were looked through", "reels", len(ids), "recordings", len(parts), "wrong", found)
	return nil
}
