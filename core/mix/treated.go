package mix

import (
	"errors"
	"sync"

	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/core/treat"
)

// acts reports whether a treatment does anything to what is heard.
func acts(t reel.Treatment) bool { return t.ID != 0 && !t.Off && !t.Does.None() }

// treated is a sound as a treatment leaves it.
type treated struct {
	sound.Reader
	channels int
	shift    int64 // from the places of the reader to those of the stream
	mu       sync.Mutex
	stream   *treat.Stream
}

// treatedSound treats a sound in its own time.
func treatedSound(of sound.Reader, s treat.Settings, rate int) *treated {
	n := min(of.Channels(), 2)
	return &treated{Reader: of, channels: n, stream: treat.NewStream(s, rate, n, func(dst [][]float32, from int64) (bool, error) {
		if from >= of.Len() || from+int64(len(dst[0])) <= 0 {
			return true, nil
		}
		for ch := range dst {
			if err := of.ReadAt(dst[ch], ch, from); err != nil {
				return false, err
			}
		}
		return false, nil
	})}
}

// Channels implements sound.Reader.
func (t *treated) Channels() int { return t.channels }

// ReadAt implements sound.Reader.
func (t *treated) ReadAt(dst []float32, ch int, from int64) error {
	t.mu.Lock()
	defer t.mu.Unlock()
	return t.stream.One(dst, ch, from+t.shift)
}

// rest lets a sound that is treated go of what it keeps.
func (t *treated) rest() {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.stream.Rest()
}

// rest lets a sound go of what it keeps to be read from again soon, if it does: a reel may
// have thousands of clips that are treated, of which few sound at a time.
func rest(of sound.Reader) {
	if r, ok := of.(interface{ rest() }); ok {
		r.rest()
	}
}

// onTrack is what a clip plays as its track treats it, in the time of its source, the
// gains of the clip that are left to put on its two sides, and those of the track.
// Where the track is not treated that is the sound itself.
func onTrack(r *reel.Reel, c reel.Clip, own sound.Reader) (of sound.Reader, clip, track [2]float64) {
	t, _ := r.Track(c.Track)
	track[0], track[1] = trackGains(t)
	clip[0], clip[1] = c.Gains(reel.Track{})
	how, _ := r.TreatmentOf(t.ID)
	if apart, _ := r.TreatmentOf(c.ID); !acts(how) || apart.Alone && !apart.Off {
		return own, clip, track
	}
	n := 2
	if own.Channels() == 1 && clip[0] == clip[1] {
		n = 1
	}
	shift := c.Start - c.Offset
	out := &treated{Reader: own, channels: n, shift: shift}
	out.stream = treat.NewStream(how.Does, r.Props.SampleRate, n, func(dst [][]float32, from int64) (bool, error) {
		for ch, g := range []float32{float32(clip[0]), float32(clip[1])}[:n] {
			if err := own.ReadAt(dst[ch], min(ch, own.Channels()-1), from-shift); err != nil {
				return false, err
			}
			for i := range dst[ch] {
				dst[ch][i] *= g
			}
		}
		return false, nil
	})
	return out, [2]float64{1, 1}, track
}

// OnTrack is what a clip plays on its track, without fades and blends and the rides of
// the track, in the time of its source; and the gains to put on its two sides.
func OnTrack(r *reel.Reel, c reel.Clip, open Open) (of sound.Reader, left, right float64, err error) {
	own, err := Material(r, c, open)
	if err != nil {
		return nil, 0, 0, err
	}
	of, clip, track := onTrack(r, c, own)
	return of, clip[0] * track[0], clip[1] * track[1], nil
}

// treatment is what a lane goes through before the gain and the rides of its track.
type treatment struct {
	stream *treat.Stream
	mono   bool // both of its sides are the same everywhere
}

func (t *treatment) channels() int {
	if t.mono {
		return 1
	}
	return 2
}

// through puts a lane through the treatment of its track.
func (m *Mix) through(l *lane, how treat.Settings, rate int) {
	t := l.treated
	t.mono = true
	for i := range l.voices {
		v := &l.voices[i]
		t.mono = t.mono && v.left == v.right && v.reader.Channels() == 1
	}
	n := t.channels()
	own := *l // its voices alone, as they are before the treatment
	own.treated, own.heard = nil, nil
	desk := newDesk() // of its own, as lanes are treated beside each other
	t.stream = treat.NewStream(how, rate, n, func(dst [][]float32, from int64) (bool, error) {
		silent := true
		for at := 0; at < len(dst[0]); at += Block {
			end := min(at+Block, len(dst[0]))
			var right []float32
			if clear(dst[0][at:end]); n == 2 {
				right = dst[1][at:end]
				clear(right)
			}
			sounding := own.sounding(from+int64(at), from+int64(end))
			own.plays(sounding)
			for _, v := range sounding {
				silent = false
				if err := desk.add(v, &own, dst[0][at:end], right, from+int64(at)); err != nil {
					return false, err
				}
			}
		}
		return silent, nil
	})
}

// treatBefore makes the pieces of treated lanes that a block needs and that are not
// there yet, beside each other: it is most of the work.
func (m *Mix) treatBefore(from, to int64) error {
	var wait []*treatment
	for i := range m.lanes {
		if t := m.lanes[i].treated; t != nil && !t.stream.Has(from, to) {
			wait = append(wait, t)
		}
	}
	if len(wait) < 2 {
		return nil // one is made when it is read
	}
	errs := make([]error, len(wait))
	var all sync.WaitGroup
	for i, t := range wait {
		all.Go(func() { errs[i] = t.stream.Prepare(from, to) })
	}
	all.Wait()
	return errors.Join(errs...)
}
