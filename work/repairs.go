package work

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"sync"
	"time"

	"blendseam/media"
	"blendseam/store"
)

// Repairs makes recordings that were found damaged again from their originals.
// Meanwhile, and where that is damaged too, whoever asks for their sound is told.
type Repairs struct {
	store   *store.Store
	library *media.Library
	notices *Notices
	news    News
	crew    *Crew
	log     *slog.Logger
	anew    func(recording string) // it was made again

	mu   sync.Mutex
	busy map[media.Part]bool
	lost map[media.Part]string // by name, those that only the file itself can bring back
}

// NewRepairs repairs what the library finds damaged. anew is told of each
// recording that was made again.
func NewRepairs(crew *Crew, st *store.Store, library *media.Library, notices *Notices, news News, log *slog.Logger, anew func(recording string)) *Repairs {
	return &Repairs{store: st, library: library, notices: notices, news: news, crew: crew, log: log, anew: anew, busy: map[media.Part]bool{}, lost: map[media.Part]string{}}
}

// Mend makes a damaged recording again, once at a time.
func (p *Repairs) Mend(d *media.Damaged) {
	part := media.Part{Hash: d.Hash, Rate: d.Rate}
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.busy[part] || p.crew.Context().Err() != nil {
		return
	}
	p.busy[part] = true
	p.crew.Go(func(ctx context.Context) {
		name := p.nameOf(ctx, part)
		p.log.Warn("a recording is damaged and is made again", "name", name, "hash", d.Hash, "rate", d.Rate, "found", d.What)
		err := p.remake(ctx, part, name)
		p.mu.Lock()
		delete(p.busy, part)
		delete(p.lost, part)
		if err != nil && ctx.Err() == nil {
			p.lost[part] = name
		}
		p.tellLost()
		p.mu.Unlock()
		if err != nil {
			p.log.Error("a recording could not be made again", "name", name, "hash", d.Hash, "error", err)
			return
		}
		p.log.Info("a recording was made again", "name", name, "hash", d.Hash)
		p.anew(d.Hash)
		p.news.TellAll("media", map[string]any{"recording": d.Hash, "whole": true})
	})
}

// remakeAgain is how long what keeps a recording from being made again may
// take to pass, such as a full disk.
const remakeAgain = 30 * time.Second

// remake makes a recording again, as often as it takes unless its original is
// damaged too.
func (p *Repairs) remake(ctx context.Context, part media.Part, name string) error {
	for {
		err := p.library.Remake(ctx, part, name)
		var lost *media.Damaged
		if err == nil || errors.As(err, &lost) || ctx.Err() != nil {
			return err
		}
		p.log.Error("a recording is not made again yet", "name", name, "error", err)
		p.notices.Set("damaged", fmt.Sprintf("The recording “%s” is damaged on the disk. Making it again failed; trying again. See the server's log.", name))
		p.news.TellAll("notices", p.notices.List())
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(remakeAgain):
		}
	}
}

// tellLost keeps the notice of damaged recordings. The lock is held.
func (p *Repairs) tellLost() {
	text := ""
	for _, name := range p.lost {
		text = fmt.Sprintf("The recording “%s” is damaged on the disk.", name)
	}
	switch n := len(p.lost); {
	case n == 1:
		text += " Import the file again to repair it."
	case n > 1:
		text = fmt.Sprintf("%d recordings are damaged on the disk. Import the files again to repair them: see the server's log.", n)
	}
	p.notices.Set("damaged", text)
	p.news.TellAll("notices", p.notices.List())
}

// Returned takes note that the file of a recording came again: what else of it
// was lost can be made from that now.
func (p *Repairs) Returned(hash string) {
	p.mu.Lock()
	var rest []*media.Damaged
	for part := range p.lost {
		if part.Hash == hash {
			delete(p.lost, part)
			rest = append(rest, &media.Damaged{Hash: part.Hash, Rate: part.Rate, What: "it was lost"})
		}
	}
	if len(rest) > 0 {
		p.tellLost()
	}
	p.mu.Unlock()
	for _, d := range rest {
		if p.library.Whole(media.Part{Hash: d.Hash, Rate: d.Rate}) != nil {
			p.Mend(d)
		}
	}
}

// nameOf is what a recording is called.
func (p *Repairs) nameOf(ctx context.Context, part media.Part) string {
	if part.Rate > 0 {
		if rec, ok, err := p.store.Recording(ctx, part.Hash, part.Rate); err == nil && ok {
			return rec.FileName
		}
	} else if pic, ok, err := p.store.Picture(ctx, part.Hash); err == nil && ok {
		return pic.FileName
	}
	return part.Hash[:12]
}
