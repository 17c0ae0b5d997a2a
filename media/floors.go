package media

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"sync"

	"blendseam/core/floor"
	"blendseam/media/disk"
)

// floors are the floor tracks of a working copy: by them the room is heard
// without its samples being read. A copy from before there were any gets them
// when one is first asked for.
type floors struct {
	mu   sync.Mutex
	fs   disk.FS
	rate int
	kept map[int][]floor.Frame // what could not be written
}

// Floor implements floor.Track.
func (c *Copy) Floor(ch int, from, to int64) ([]floor.Frame, error) {
	if ch < 0 || ch >= len(c.Files) {
		return nil, fmt.Errorf("there is no channel %d", ch+1)
	}
	from, to = max(from, 0), min(to, floor.Count(c.floor.rate, c.n))
	if from >= to {
		return nil, nil
	}
	b := make([]byte, (to-from)*floor.Bands)
	f, err := os.Open(floorFile(c.dir, ch))
	if errors.Is(err, os.ErrNotExist) {
		return c.makeFloor(ch, from, to)
	}
	if err == nil {
		_, err = f.ReadAt(b, from*floor.Bands)
		_ = f.Close()
	}
	if err != nil && c.short != nil {
		return nil, c.short(err)
	}
	return floor.Decode(b), err
}

// makeFloor makes the floor track of a channel, keeps it, and gives a part.
func (c *Copy) makeFloor(ch int, from, to int64) ([]floor.Frame, error) {
	c.floor.mu.Lock()
	defer c.floor.mu.Unlock()
	if have, ok := c.floor.kept[ch]; ok {
		return have[from:to], nil
	}
	a := floor.NewAnalyser(c.floor.rate)
	v := make([]float32, 1<<16)
	for at := int64(0); at < c.n; at += int64(len(v)) {
		part := v[:min(int64(len(v)), c.n-at)]
		if err := c.ReadAt(part, ch, at); err != nil {
			return nil, err
		}
		a.Add(part)
	}
	frames := a.Take()
	if err := c.keepFloor(ch, frames); err != nil { // as where the disk is full: it serves all the same
		if c.floor.kept == nil {
			c.floor.kept = map[int][]floor.Frame{}
		}
		c.floor.kept[ch] = frames
	}
	return frames[from:to], nil
}

// keepFloor writes a floor track beside its copy and into its list.
func (c *Copy) keepFloor(ch int, frames []floor.Frame) error {
	name := floorFile(c.dir, ch)
	b := floor.Encode(frames)
	if err := disk.Put(c.floor.fs, name, b); err != nil {
		return err
	}
	s, err := readSums(c.dir)
	if err != nil {
		return nil // it has no list yet; what makes one lists this as well
	}
	t := newTally()
	t.add(b)
	s.Files[filepath.Base(name)] = t.sum()
	return s.write(c.floor.fs, c.dir)
}
