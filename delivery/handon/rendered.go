package handon

import (
	"context"
	"fmt"
	"math"
	"slices"
	"sync"

	"blendseam/core/gain"
	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/sound"
)

// ownFile is the sound of what has a file of its own.
type ownFile struct {
	folder string     // in the archive, with a slash
	reel   *reel.Reel // of its clips alone
	silent []reel.ID  // of these
	from   int64      // place in the reel of its first sample
	length int64
	held   bool
	down   float64 // dB that it is written lower, as integers would not hold it
}

// opened gives the sound of what was made as it is rendered, and of all else as it is.
func opened(made map[reel.ID]ownFile, open mix.Open) mix.Open {
	return func(src reel.Source) (sound.Reader, error) {
		f, ok := made[src.ID]
		if !ok {
			return open(src)
		}
		m, err := mix.New(f.reel, opened(made, open), mix.Options{Silent: f.silent})
		if err != nil {
			return nil, err
		}
		return &rendered{mix: m, of: f, channels: 1 + max(src.Right, 0)}, nil
	}
}

// rendered is what is rendered of a reel as a sound.
type rendered struct {
	mu       sync.Mutex
	mix      *mix.Mix
	of       ownFile
	channels int
	other    []float32
}

// Channels implements sound.Reader.
func (r *rendered) Channels() int { return r.channels }

// Len implements sound.Reader.
func (r *rendered) Len() int64 { return r.of.length }

// ReadAt implements sound.Reader.
func (r *rendered) ReadAt(dst []float32, ch int, from int64) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.other = slices.Grow(r.other[:0], len(dst))[:len(dst)]
	sides := [][]float32{dst, r.other}
	err := r.mix.Render(context.Background(), sides[ch], sides[1-ch], r.of.from+from)
	if r.of.down != 0 {
		by := float32(gain.FromDB(-r.of.down))
		for i := range dst {
			dst[i] *= by
		}
	}
	return err
}

// hold has what integers would not hold written lower, and its clip play it louder by as
// much.
func hold(r *reel.Reel, made map[reel.ID]ownFile, open mix.Open) error {
	if open == nil {
		return nil
	}
	for i := range r.Clips {
		c := &r.Clips[i]
		f, ok := made[c.Source]
		if !ok || f.held {
			continue
		}
		src, _ := r.Source(c.Source)
		in, err := opened(made, open)(src)
		if err == nil {
			f.down, err = under(in)
		}
		if err != nil {
			return fmt.Errorf("“%s”: %w", c.Name, err)
		}
		f.held = true
		made[c.Source], c.GainDB = f, f.down
	}
	return nil
}

// under is by how many dB a sound has to come down to be held by integers, 0 where it
// does not.
func under(in sound.Reader) (float64, error) {
	top, v := 0.0, make([]float32, 1<<16)
	for at := int64(0); at < in.Len(); at += int64(len(v)) {
		for ch := range in.Channels() {
			part := v[:min(int64(len(v)), in.Len()-at)]
			if err := in.ReadAt(part, ch, at); err != nil {
				return 0, err
			}
			for _, x := range part {
				top = max(top, math.Abs(float64(x)))
			}
		}
	}
	if top <= 1-1.0/(1<<23) {
		return 0, nil
	}
	return math.Ceil(gain.ToDB(top)*100)/100 + 0.01, nil
}
