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
	parts    chan [][]float32
	finished chan bool
}

// newTeller measures a span as it is written, where its file tells of that; else it does
// nothing.
func newTeller(s Spec) *teller {
	t := &teller{whole: s.Bits != 32}
	if !s.measured || s.File != WAV {
		return t
	}
	t.of, t.peak = measure.NewLoudness(s.rate(), s.Channels), measure.NewTruePeak(s.Channels)
	t.parts, t.finished = make(chan [][]float32, 16), make(chan bool)
	go func() {
		for v := range t.parts {
			t.of.Add(v)
			t.peak.Add(v)
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
	own := make([][]float32, len(v))
	for ch := range v {
		own[ch] = append([]float32(nil), v[ch]...)
		if t.whole { // integers hold no more
			for i, x := range own[ch] {
				own[ch][i] = min(max(x, -1), 1)
			}
		}
	}
	t.parts <- own
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
