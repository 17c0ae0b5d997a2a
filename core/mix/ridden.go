package mix

import (
	"blendseam/core/gain"
	"blendseam/core/sound"
)

// ridden is a sound whose gain goes along a line.
type ridden struct {
	sound.Reader
	ride gain.Ride
}

func (r ridden) rest() { rest(r.Reader) }

// ReadAt implements sound.Reader.
func (r ridden) ReadAt(dst []float32, ch int, from int64) error {
	err := r.Reader.ReadAt(dst, ch, from)
	if err == nil {
		r.ride.Apply(dst, from)
	}
	return err
}
