package seam

import (
	"math"

	"blendseam/core/floor"
	"blendseam/core/measure"
	"blendseam/core/reel"
	"blendseam/core/roomtone"
)

// edgeOf is where a clip's source is cut at its tail, or at its head.
func edgeOf(c reel.Clip, outgoing bool) int64 {
	if outgoing {
		return c.Offset + c.Length
	}
	return c.Offset
}

// onTrack is what the gains of a clip and its track add to a level at a place of
// the clip's source, in dB: those of their rides too.
func (m *Meter) onTrack(c reel.Clip, at int64) float64 {
	t, _ := m.r.Track(c.Track)
	return roomtone.OnTrack(c, t) + m.rides[c.ID].DB(at) + m.rides[t.ID].DB(at-c.Offset+c.Start) + m.rides[-t.ID].DB(at-c.Offset+c.Start)
}

// room is a side with what is known of its room: heard in the recording around
// the edge, handles included, as it sounds on the track.
func (m *Meter) room(c reel.Clip, outgoing bool) (*Side, error) {
	src, _ := m.r.Source(c.Source)
	r, err := m.ear.Room(src, edgeOf(c, outgoing))
	if err != nil {
		return nil, err
	}
	s := &Side{Voice: measure.NoLoudness, Room: r.Level, Known: r.State != floor.NotKnown, Gated: r.State == floor.Gated, Unsure: r.Uncertain}
	if s.Room > measure.Silence {
		s.Room = max(s.Room+m.onTrack(c, edgeOf(c, outgoing)), measure.Silence)
	}
	return s, nil
}

func (m *Meter) colour(c reel.Clip, outgoing bool) (roomtone.Colour, error) {
	src, _ := m.r.Source(c.Source)
	r, err := m.ear.Room(src, edgeOf(c, outgoing))
	if err != nil {
		return roomtone.Colour{}, err
	}
	return m.ear.Colour(src, r)
}

// power of a level in dBFS; none of silence.
func power(db float64) float64 {
	if db <= measure.Silence {
		return 0
	}
	return math.Pow(10, db/10)
}
