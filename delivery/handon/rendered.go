package handon

import (
	"context"
	"fmt"
	"math"
	"sync"

	"blendseam/core/conform"
	"blendseam/core/gain"
	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/sound"
)

// opened gives the sound of what was made as it is rendered, and of all else as it is.
func opened(ctx context.Context, made map[reel.ID]conform.Own, open mix.Open) mix.Open {
	return func(src reel.Source) (sound.Reader, error) {
		f, ok := made[src.ID]
		if !ok {
			return open(src)
		}
		m, err := mix.New(f.Reel, opened(ctx, made, open), mix.Options{Silent: f.Silent})
		if err != nil {
			return nil, err
		}
		return &rendered{ctx: ctx, mix: m, of: f, channels: 1 + max(src.Right, 0)}, nil
	}
}

// rendered is what is rendered of a reel as a sound. Both sides come of one rendering.
type rendered struct {
	ctx      context.Context
	mu       sync.Mutex
	mix      *mix.Mix
	of       conform.Own
	channels int
	from     int64 // of what was rendered last
	sides    [2][]float32
}

// Channels implements sound.Reader.
func (r *rendered) Channels() int { return r.channels }

// Len implements sound.Reader.
func (r *rendered) Len() int64 { return r.of.Length }

// ReadAt implements sound.Reader.
func (r *rendered) ReadAt(dst []float32, ch int, from int64) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	if from != r.from || len(dst) != len(r.sides[0]) {
		for i := range r.sides {
			if cap(r.sides[i]) < len(dst) {
				r.sides[i] = make([]float32, len(dst))
			}
			r.sides[i] = r.sides[i][:len(dst)]
		}
		if err := r.mix.Render(r.ctx, r.sides[0], r.sides[1], r.of.From+from); err != nil {
			r.sides[0] = r.sides[0][:0] // it is not there
			return err
		}
		r.from = from
	}
	copy(dst, r.sides[ch])
	return nil
}

// hold is by how many dB what was made is written lower, as integers would not hold it.
// Its clips play it louder by as much. Told is how many samples were listened to.
func hold(r *reel.Reel, made map[reel.ID]conform.Own, open mix.Open, told func(int64)) (map[reel.ID]float64, error) {
	down, heard := map[reel.ID]float64{}, int64(0)
	for i := range r.Clips {
		c := &r.Clips[i]
		if _, ok := made[c.Source]; !ok {
			continue
		}
		src, _ := r.Source(c.Source)
		in, err := open(src)
		var db float64
		if err == nil {
			db, err = under(in, func(n int64) { told(heard + n) })
		}
		if err != nil {
			return nil, fmt.Errorf("“%s”: %w", c.Name, err)
		}
		heard += in.Len()
		down[c.Source], c.GainDB = db, db
	}
	return down, nil
}

// under is by how many dB a sound has to come down to be held by integers, 0 where it
// does not.
func under(in sound.Reader, told func(int64)) (float64, error) {
	top, v := 0.0, make([]float32, 1<<16)
	for at := int64(0); at < in.Len(); at += int64(len(v)) {
		part := v[:min(int64(len(v)), in.Len()-at)]
		for ch := range in.Channels() {
			if err := in.ReadAt(part, ch, at); err != nil {
				return 0, err
			}
			for _, x := range part {
				top = max(top, math.Abs(float64(x)))
			}
		}
		told(at + int64(len(part)))
	}
	if top <= 1-1.0/(1<<23) {
		return 0, nil
	}
	return math.Ceil(gain.ToDB(top)*100)/100 + 0.01, nil
}
