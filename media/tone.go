package media

import (
	"errors"
	"slices"
	"sync"

	"blendseam/core/reel"
	"blendseam/core/roomtone"
	"blendseam/core/sound"
)

// Sound is what a source of a reel sounds like: a recording, channel 0 its left
// side or its only one, or room tone that is grown of one. Tone is grown when
// it is first heard, so that opening a reel with many beds costs nothing.
func (l *Library) Sound(src reel.Source, rate int) (sound.Reader, error) {
	if src.Missing() {
		return nothing{src}, nil
	}
	if !src.Bed.Grown() {
		c, err := l.Copy(src.Recording, rate)
		if err != nil {
			return nil, err
		}
		return Pick(c, src.Left, src.Right), nil
	}
	t := tone{tones: &l.tones, src: src, rate: rate}
	t.src.ID, t.src.Name, t.src.Unlisted = 0, "", false // what is grown does not hang on them
	if src.Bed.Room == "" {
		c, err := l.Copy(src.Recording, rate)
		if err != nil {
			return nil, err
		}
		t.of = c
	}
	return t, nil
}

// nothing is the sound of a source that no recording is known of yet.
type nothing struct{ src reel.Source }

// Channels implements sound.Reader.
func (n nothing) Channels() int {
	if n.src.Right >= 0 {
		return 2
	}
	return 1
}

// Len implements sound.Reader.
func (n nothing) Len() int64 { return n.src.Length }

// ReadAt implements sound.Reader.
func (n nothing) ReadAt(dst []float32, _ int, _ int64) error {
	clear(dst)
	return nil
}

// tone is a bed that is grown when it is read. It implements sound.Reader.
type tone struct {
	tones *tones
	src   reel.Source
	rate  int
	of    *Copy
}

// Channels implements sound.Reader.
func (t tone) Channels() int {
	if t.src.Right >= 0 {
		return 2
	}
	return 1
}

// Len implements sound.Reader.
func (t tone) Len() int64 { return t.src.Length }

// ReadAt implements sound.Reader.
func (t tone) ReadAt(dst []float32, ch int, from int64) error {
	bed, err := t.tones.get(t)
	if errors.Is(err, roomtone.ErrSilent) {
		clear(dst) // its swatch is digital silence: so is what is grown of it
		return nil
	}
	if err != nil {
		return err
	}
	return bed.ReadAt(dst, ch, from)
}

// tones keeps beds that were heard lately ready.
type tones struct {
	mu    sync.Mutex
	beds  map[toneKey]*roomtone.Bed
	order []toneKey // the one heard last at the end
	bytes int
}

type toneKey struct {
	src  reel.Source
	rate int
}

// mostToneBytes bounds the textures that are kept ready.
const mostToneBytes = 96 << 20

// forget lets go of all beds: what one was grown of was made again.
func (t *tones) forget() {
	t.mu.Lock()
	defer t.mu.Unlock()
	clear(t.beds)
	t.order, t.bytes = nil, 0
}

func (t *tones) get(one tone) (*roomtone.Bed, error) {
	key := toneKey{one.src, one.rate}
	t.mu.Lock()
	bed := t.beds[key]
	if bed != nil {
		if t.order[len(t.order)-1] != key {
			t.order = append(slices.DeleteFunc(t.order, func(k toneKey) bool { return k == key }), key)
		}
		t.mu.Unlock()
		return bed, nil
	}
	t.mu.Unlock()
	var of sound.Reader
	if one.of != nil {
		of = one.of
	}
	bed, err := roomtone.Grow(one.src, one.rate, of)
	if err != nil {
		return nil, err
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	if have := t.beds[key]; have != nil {
		return have, nil // another was quicker
	}
	if t.beds == nil {
		t.beds = map[toneKey]*roomtone.Bed{}
	}
	t.beds[key], t.order, t.bytes = bed, append(t.order, key), t.bytes+bed.Bytes()
	for t.bytes > mostToneBytes && len(t.order) > 1 {
		t.bytes -= t.beds[t.order[0]].Bytes()
		delete(t.beds, t.order[0])
		t.order = t.order[1:]
	}
	return bed, nil
}
