package seam

import (
	"blendseam/core/floor"
	"blendseam/core/measure"
	"blendseam/core/reel"
)

// side measures what a clip sounds like next to a seam, away from the join.
// Voices and the colour of rooms are told where two clips meet alone.
func (m *Meter) side(c reel.Clip, outgoing bool, role reel.Role, cut bool) (*Side, error) {
	talks := cut && (role == reel.Dialogue || role == reel.Music)
	airs := cut && (role == reel.Dialogue || role == reel.RoomTone)
	from, to := m.full(c)
	if to-from < m.seconds(0.1) { // too short to have more than fades
		from, to = c.Start, c.End()
	}
	// A short clip is the same stretch to both of its seams: what is known of
	// it is not read again.
	part := func(seconds float64) stretch {
		n := m.seconds(seconds)
		if outgoing {
			return stretch{c.ID, max(from, to-n), to}
		}
		return stretch{c.ID, from, min(to, from+n)}
	}
	near := part(sideReach)
	s, err := m.room(c, outgoing)
	if err != nil {
		return nil, err
	}
	if airs {
		if s.colour, err = m.colour(c, outgoing); err != nil {
			return nil, err
		}
	}
	said := part(voiceReach)
	voice, knownVoice := m.voice[said]
	read := near
	if talks && !knownVoice {
		read = said
	}
	v, err := m.material(c, read.from, read.to)
	if err != nil {
		return nil, err
	}
	if talks && !knownVoice {
		var over []bool
		if role == reel.Dialogue {
			if over, err = m.voiced(c, said, outgoing); err != nil {
				return nil, err
			}
		}
		voice = m.loud(v, over)
		m.voice[said] = voice
	}
	for i := range v {
		v[i] = nearest(v[i], near.to-near.from, outgoing)
	}
	s.Peak, s.RMS = measure.Peak(v...), measure.RMS(v...)
	if talks {
		s.Voice, s.Voiced, s.Said = voice.lufs, voice.found, voice.seconds
	}
	return s, nil
}

// nearest is the part of a side that lies next to the seam.
func nearest(v []float32, n int64, outgoing bool) []float32 {
	k := min(int(n), len(v))
	if outgoing {
		return v[len(v)-k:]
	}
	return v[:k]
}

// leastVoice is how long a voice is there at least so that its level can be
// told, in seconds.
const leastVoice = 0.5

// voiced tells for each tenth of a second of a stretch whether something is
// said in it.
func (m *Meter) voiced(c reel.Clip, part stretch, outgoing bool) ([]bool, error) {
	src, _ := m.r.Source(c.Source)
	room, err := m.ear.Room(src, edgeOf(c, outgoing))
	if err != nil {
		return nil, err
	}
	p, first, err := m.ear.Powers(src, part.from-c.Start+c.Offset, part.to-c.Start+c.Offset)
	if err != nil {
		return nil, err
	}
	out := make([]bool, (part.to-part.from)/int64(m.rate/10))
	hop := int64(floor.Hop(m.rate))
	for t, db := range room.Over(p) {
		at := (first+int64(t))*hop - (part.from - c.Start + c.Offset)
		if k := at / int64(m.rate/10); db >= floor.SpeechOver && at >= 0 && k < int64(len(out)) {
			out[k] = true
		}
	}
	return out, nil
}

// loud is the gated loudness of a stretch; of speech, of what is said in it.
func (m *Meter) loud(v [][]float32, voiced []bool) loudness {
	l := measure.NewLoudness(m.rate, len(v))
	out := loudness{lufs: measure.NoLoudness, seconds: float64(len(v[0])) / float64(m.rate)}
	if voiced == nil {
		if len(v[0]) > 0 {
			l.Add(v)
		}
	} else {
		n := 0
		for _, on := range voiced {
			if on {
				n++
			}
		}
		if out.seconds = float64(n) / 10; out.seconds < leastVoice {
			return out
		}
		m.listen(l, v, voiced, 0, len(voiced), true)
	}
	out.lufs = sided(l.Integrated(), len(v))
	out.found = out.lufs > measure.NoLoudness+sameSides
	return out
}
