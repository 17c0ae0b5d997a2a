package work

import (
	"context"
	"sync"

	lru "github.com/hashicorp/golang-lru/v2"

	"blendseam/core/reel"
	"blendseam/core/roomtone"
	"blendseam/core/sound"
)

// Quiet finds the quiet stretches of parts of recordings, and keeps them once
// they are found: a recording never changes. It keeps the synthetic rooms too.
type Quiet struct {
	open func(src reel.Source, rate int) (sound.Reader, error)
	kept *lru.Cache[part, roomtone.Found]

	mu    sync.Mutex
	rooms map[int][]roomtone.Sample // by rate
}

// part is a stretch of what is heard of a source.
type part struct {
	heard    string
	rate     int
	from, to int64
}

// mostFound bounds what is kept, at some 40 kB each.
const mostFound = 500

// NewQuiet looks through what is opened.
func NewQuiet(open func(src reel.Source, rate int) (sound.Reader, error)) *Quiet {
	q := &Quiet{open: open, rooms: map[int][]roomtone.Sample{}}
	q.kept, _ = lru.New[part, roomtone.Found](mostFound) // it fails for sizes below one
	return q
}

// Forget has all be looked through again: a recording that was silent is there now.
func (q *Quiet) Forget() { q.kept.Purge() }

// Find looks for the quiet stretches of a part of a source, or remembers them.
// Progress is 0…1.
func (q *Quiet) Find(ctx context.Context, src reel.Source, rate int, from, to int64, progress func(float64)) (roomtone.Found, error) {
	k := part{src.Heard(), rate, from, to}
	if have, ok := q.kept.Get(k); ok {
		return have, nil
	}
	reader, err := q.open(src, rate)
	if err != nil {
		return roomtone.Found{}, err
	}
	found, err := roomtone.Find(ctx, reader, rate, from, to, progress)
	if err == nil {
		q.kept.Add(k, found)
	}
	return found, err
}

// Finder widens what is asked for to a grid, so that many gaps of one recording
// are filled after few searches of it.
func (q *Quiet) Finder(r *reel.Reel) roomtone.Finder {
	rate := r.Props.SampleRate
	grid := 30 * int64(rate)
	return func(ctx context.Context, src reel.Source, from, to int64) (roomtone.Found, error) {
		return q.Find(ctx, src, rate, max(from, 0)/grid*grid, min((to/grid+1)*grid, src.Length), func(float64) {})
	}
}

// Rooms are the synthetic rooms at a rate, measured once.
func (q *Quiet) Rooms(rate int) []roomtone.Sample {
	q.mu.Lock()
	defer q.mu.Unlock()
	if q.rooms[rate] == nil {
		q.rooms[rate] = roomtone.Library(rate)
	}
	return q.rooms[rate]
}
