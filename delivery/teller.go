package delivery

import (
	"blendseam/core/measure"
	"blendseam/media/wav"
)

// teller measures what is written, beside the writing, for the fields that tell of it.
type teller struct {
	whole    bool // the file holds integers
	of       *measure.Loudness
	peak     *measure.TruePeak
	parts    chan heardPart
	free     chan [][]float32 // those that were measured, to be filled again
	finished chan bool
}

// heardPart are samples, or so many of nothing.
type heardPart struct {
	v      [][]float32
	silent int
}

// newTeller measures a span as it is written, where its file tells of that; else it does
// nothing.
func newTeller(s Spec) *teller {
	t := &teller{whole: s.Bits != 32}
	if !s.measured || s.File != WAV {
		return t
	}
	t.of, t.peak = measure.NewLoudness(s.rate(), s.Channels), measure.NewTruePeak(s.Channels)
	t.parts, t.free, t.finished = make(chan heardPart, 16), make(chan [][]float32, 18), make(chan bool)
	go func() {
		for p := range t.parts {
			if p.v == nil {
				t.of.Silence(p.silent)
				t.peak.Silence(p.silent)
				continue
			}
			t.of.Add(p.v)
			t.peak.Add(p.v)
			t.free <- p.v
		}
		close(t.finished)
	}()
	return t
}

// add measures a copy of samples.
func (t *teller) add(v [][]float32) {
	if t.of == nil {
		return
	}
	var own [][]float32
	select {
	case own = <-t.free:
	default:
		own = make([][]float32, len(v))
	}
	for ch := range v {
		own[ch] = append(own[ch][:0], v[ch]...)
		if t.whole { // integers hold no more
			hold(own[ch])
		}
	}
	t.parts <- heardPart{v: own}
}

// silence measures so many samples of nothing.
func (t *teller) silence(n int) {
	if t.of != nil {
		t.parts <- heardPart{silent: n}
	}
}

// hold brings what is beyond full scale to it.
func hold(v []float32) {
	for i, x := range v {
		if x > 1 {
			v[i] = 1
		} else if x < -1 {
			v[i] = -1
		}
	}
}

// loudness is what was measured; not ok where nothing was.
func (t *teller) loudness() (wav.Loudness, bool) {
	if t.of == nil {
		return wav.Loudness{}, false
	}
	close(t.parts)
	<-t.finished
	return wav.Loudness{LUFS: t.of.Integrated(), Range: t.of.Range(), TruePeak: t.peak.DB(), Momentary: t.of.Momentary(), ShortTerm: t.of.ShortTerm()}, true
}
