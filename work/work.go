// Package work is what outlives a request: measuring the seams of reels,
// listening to the room through them, taking files in, making damaged
// recordings again and cleaning up. Each part is made of what it needs and no
// more; what it finds is told as news, and kept within bounds.
package work

import (
	"context"
	"sync"

	"blendseam/core/mix"
	"blendseam/store"
)

// News is where what happens is told to those who watch.
type News interface {
	// Tell tells those who watch a reel.
	Tell(reel int64, name string, data any)
	// TellAll tells those who watch any reel.
	TellAll(name string, data any)
}

// Reels are read by their ids.
type Reels interface {
	// Load is a reel as it is now.
	Load(ctx context.Context, id int64) (store.Version, error)
	// Accepted are the prints of the seams of a reel that were accepted.
	Accepted(ctx context.Context, id int64) (map[string]bool, error)
}

// Opener gives the sound of sources at a sample rate.
type Opener func(rate int) mix.Open

// Crew runs what goes on in the background until it is told to go home.
type Crew struct {
	ctx    context.Context
	cancel context.CancelFunc
	all    sync.WaitGroup
}

// NewCrew is a crew that is at work until it is closed.
func NewCrew() *Crew {
	c := &Crew{}
	c.ctx, c.cancel = context.WithCancel(context.Background())
	return c
}

// Go starts something that ends with the context it is given.
func (c *Crew) Go(do func(ctx context.Context)) { c.all.Go(func() { do(c.ctx) }) }

// Context ends when the crew is closed.
func (c *Crew) Context() context.Context { return c.ctx }

// Close ends all that goes on and waits for it.
func (c *Crew) Close() {
	c.cancel()
	c.all.Wait()
}
