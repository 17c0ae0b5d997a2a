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
	sides := 1
	if src.Right >= 0 {
		sides = 2
	}
	nothing := sound.Silence{Sides: sides, N: src.Length}
	if src.Missing() {
		return nothing, nil
	}
	t := tone{tones: &l.tones, src: src, rate: rate}
	t.src.ID, t.src.Name, t.src.Unlisted = 0, "", false // what is grown does not hang on them
	if src.Bed.Grown() && src.Bed.Room != "" {
		return t, nil
	}
	c, err := l.Copy(src.Recording, rate)
	if errors.Is(err, ErrNoCopy) && IsHash(src.Recording) {
		return nothing, l.absent(src.Recording, rate)
	}
	if err != nil {
		return nil, err
	}
	if !src.Bed.Grown() {
		return Pick(c, src.Left, src.Right), nil
	}
	t.of = c
	return t, nil
}

// absent takes note of a recording that was asked for and has no copy: where its file is
// there, the copy is lost and is made again; else nobody has it, and it is silent.
func (l *Library) absent(hash string, rate int) error {
	if l.OriginalSize(hash) > 0 {
		return l.spoiled(l.copyFolder(hash, rate), &Damaged{Hash: hash, Rate: rate, What: "its samples are gone"})
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	l.missed[hash] = true
	return nil
}

// Gone reports whether a source is of a recording that is not in the library, neither its
// file nor a copy of it: nobody has it until it is imported again.
func (l *Library) Gone(src reel.Source, rate int) bool {
	if src.Recording == "" || !IsHash(src.Recording) || src.Bed.Room != "" || l.OriginalSize(src.Recording) > 0 {
		return false
	}
	var err error
	if src.Shows() {
		_, err = l.Frames(src.Recording)
	} else {
		_, err = l.Copy(src.Recording, rate)
	}
	return errors.Is(err, ErrNoCopy)
}

// WasMissed reports whether a recording was silent since it was last asked, as nobody had it.
func (l *Library) WasMissed(hash string) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	missed := l.missed[hash]
	delete(l.missed, hash)
	return missed
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
