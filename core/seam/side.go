package seam

import (
	"math"

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
	near, air := part(sideReach), part(roomReach)
	room, knownRoom := m.rooms[air]
	if !knownRoom || room.bands == nil && airs {
		v, err := m.material(c, air.from, air.to)
		if err != nil {
			return nil, err
		}
		room = roomOf{floor: measure.Floor(measure.Frames(m.rate, v...))}
		if airs {
			room.bands = &measure.Bands{}
			if quiet := m.spec.Quiet(v[0], 3); len(quiet) > 0 {
				*room.bands, room.heard = m.spec.Of(v[0], quiet), true
			}
		}
		m.rooms[air] = room
	}
	s := &Side{Voice: measure.NoLoudness, Room: room.floor, known: room.heard}
	if room.heard {
		s.bands = *room.bands
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
		voice = m.loud(v, role == reel.Dialogue)
		m.voice[said] = voice
	}
	for i := range v {
		v[i] = nearest(v[i], near.to-near.from, outgoing)
	}
	s.Peak, s.RMS = measure.Peak(v...), measure.RMS(v...)
	if talks {
		s.Voice, s.Voiced = voice.lufs, voice.found
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

// A voice stands out of the room by so much, in dB, and is there for so long,
// in seconds, that its level can be told.
const (
	voiceOver  = 10.0
	leastVoice = 0.5
)

// loud is the gated loudness of a stretch. Of speech only what stands out of
// the room is listened to: the gate would leave the rest out all the same.
func (m *Meter) loud(v [][]float32, speech bool) loudness {
	tenth := m.rate / 10
	l := measure.NewLoudness(m.rate, len(v))
	if !speech {
		if len(v[0]) > 0 {
			l.Add(v)
		}
	} else {
		frames := measure.Frames(m.rate, v...)
		limit := math.Pow(10, (max(measure.Floor(frames), hushed)+voiceOver)/10)
		voiced := make([]bool, len(v[0])/tenth)
		n := 0
		for i, p := range frames {
			if at := i * int(m.seconds(measure.FrameSeconds)) / tenth; p > limit && at < len(voiced) {
				voiced[at] = true
				n++
			}
		}
		if float64(n)*measure.FrameSeconds < leastVoice {
			return loudness{lufs: measure.NoLoudness}
		}
		part := make([][]float32, len(v))
		for k := range voiced {
			if !voiced[k] && (k == 0 || !voiced[k-1]) && (k+1 == len(voiced) || !voiced[k+1]) {
				l.Skip(1)
				continue
			}
			for i := range v {
				part[i] = v[i][k*tenth : (k+1)*tenth]
			}
			l.Add(part)
		}
	}
	out := loudness{lufs: l.Integrated()}
	if len(v) == 1 { // the other side is the same
		out.lufs += 3.0103
	}
	out.found = out.lufs > measure.NoLoudness+3.02
	return out
}
