package work

import (
	"context"
	"sync"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"

	"blendseam/core/reel"
	"blendseam/core/roomtone"
)

// Continuity listens to the room through whole reels. What it found of
// stretches is kept by the print of all that sounds in them, so that an edit
// renders anew only what it touched.
type Continuity struct {
	open Opener
	one  sync.Mutex // one reel at a time: listening leaves a core to those who play
	kept *lru.Cache[string, roomtone.Piece]
}

// breath is left between pieces that have to be rendered, so that those who play
// are served first.
const breath = 4 * time.Millisecond

// mostPieces bounds them: some four hours, at 2 kB each.
const mostPieces = 4000

// NewContinuity listens to what is opened.
func NewContinuity(open Opener) *Continuity {
	c := &Continuity{open: open}
	c.kept, _ = lru.New[string, roomtone.Piece](mostPieces) // it fails for sizes below one
	return c
}

// Forget has all be listened to again: a recording that was silent is there now.
func (c *Continuity) Forget() { c.kept.Purge() }

// Of is the room through a whole reel, and its holes.
func (c *Continuity) Of(ctx context.Context, r *reel.Reel) (roomtone.Continuity, error) {
	c.one.Lock()
	defer c.one.Unlock()
	rate := r.Props.SampleRate
	per, length := int64(roomtone.PieceSeconds)*int64(rate), r.Length()
	printer := roomtone.NewPrinter(r)
	pieces := make([]roomtone.Piece, 0, length/per+1)
	for at := int64(0); at < length; at += per {
		to := min(at+per, length)
		print := printer.Print(at, to)
		p, ok := c.kept.Get(print)
		if !ok {
			var err error
			if p, err = roomtone.Listen(ctx, r, c.open(rate), at, to); err != nil {
				return roomtone.Continuity{}, err
			}
			c.kept.Add(print, p)
			time.Sleep(breath)
		}
		pieces = append(pieces, p)
	}
	hole := r.Props.Limits.Full().Hole
	least := hole.Hear
	if least < 0 {
		least = hole.Mend
	}
	return roomtone.Join(pieces, rate, length, max(int64(least*float64(rate)/1000), 1)), nil
}

// HolesIn are the holes of a reel that lie in a span of it, as far as they do.
func (c *Continuity) HolesIn(ctx context.Context, r *reel.Reel, from, to int64) ([][2]int64, error) {
	all, err := c.Of(ctx, r)
	out := [][2]int64{}
	for _, h := range all.Holes {
		if a, b := max(h[0], from), min(h[1], to); a < b {
			out = append(out, [2]int64{a, b})
		}
	}
	return out, err
}
