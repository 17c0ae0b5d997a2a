package media

import (
	"errors"

	"blendseam/core/reel"
	"blendseam/core/roomtone"
	"blendseam/core/sound"
)

// tone names a bed that is kept ready.
type tone struct {
	recording   string
	left, right int
	bed         reel.Bed
	rate        int
}

// mostTones bounds the beds that are kept ready, each of a few megabytes.
const mostTones = 48

// Sound is what a source of a reel sounds like: a recording, channel 0 its left
// side or its only one, or room tone that is grown of one.
func (l *Library) Sound(src reel.Source, rate int) (sound.Reader, error) {
	if !src.Bed.Grown() {
		c, err := l.Copy(src.Recording, rate)
		if err != nil {
			return nil, err
		}
		return Pick(c, src.Left, src.Right), nil
	}
	key := tone{src.Recording, src.Left, src.Right, src.Bed, rate}
	l.mu.Lock()
	have := l.tones[key]
	l.mu.Unlock()
	if have != nil {
		return have, nil
	}
	var of sound.Reader
	if src.Bed.Room == "" {
		c, err := l.Copy(src.Recording, rate)
		if err != nil {
			return nil, err
		}
		of = c
	}
	bed, err := roomtone.Grow(src, rate, of)
	if errors.Is(err, roomtone.ErrSilent) {
		return sound.Memory{{0}}, nil // its swatch fell silent since: so does what was grown of it
	}
	if err != nil {
		return nil, err
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.tones == nil || len(l.tones) >= mostTones {
		l.tones = map[tone]*roomtone.Bed{}
	}
	l.tones[key] = bed
	return bed, nil
}
