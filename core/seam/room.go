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
	var lowered float64
	s.Room, lowered = m.heardAs(c, r, edgeOf(c, outgoing))
	// Only pauses that outlast its hold and release sink all the way.
	s.Unsure = math.Hypot(s.Unsure, lowered/2)
	return s, nil
}

// heardAs is how loud a room of a clip's source is on its track at a place of the
// source, in dBFS; and by how much of that expanders lower it once they have settled.
func (m *Meter) heardAs(c reel.Clip, r *floor.Room, at int64) (db, lowered float64) {
	if r.Level <= measure.Silence {
		return r.Level, 0
	}
	level := r.Level
	bands := r.Bands
	through := func(t reel.Treatment) {
		if t.ID == 0 {
			return
		}
		var was, is float64
		for b := range bands {
			low, high := floor.Octave(m.rate, b)
			was += bands[b]
			bands[b] *= t.Does.PowerOver(m.rate, low, high)
			is += bands[b]
		}
		if was > 0 {
			level += 10 * math.Log10(max(is/was, 1e-15))
		}
		down := t.Does.Expander.SteadyDB(level)
		level, lowered = level+down, lowered-down
	}
	through(m.treated[c.ID])
	t, _ := m.r.Track(c.Track)
	if own := m.treated[t.ID]; own.ID != 0 && !m.treated[c.ID].Alone {
		// A track is treated after the gains of its clips, before its own.
		before := t
		before.GainDB = 0
		on := roomtone.OnTrack(c, before) + m.rides[c.ID].DB(at)
		level += on
		through(own)
		level -= on
	}
	return max(level+m.onTrack(c, at), measure.Silence), lowered
}

func (m *Meter) colour(c reel.Clip, outgoing bool) (roomtone.Colour, error) {
	src, _ := m.r.Source(c.Source)
	r, err := m.ear.Room(src, edgeOf(c, outgoing))
	if err != nil {
		return roomtone.Colour{}, err
	}
	out, err := m.ear.Colour(src, r)
	if err != nil || out.Segments == 0 {
		return out, err
	}
	for _, t := range m.treatments(c) {
		for k, db := range t.Does.Response(m.rate, measure.BandCentres[:]) {
			out.Bands[k] += db
		}
	}
	return out, nil
}

// treatments are those that a clip goes through on its track, in their order.
func (m *Meter) treatments(c reel.Clip) (out []reel.Treatment) {
	own := m.treated[c.ID]
	if own.ID != 0 {
		out = append(out, own)
	}
	if t := m.treated[c.Track]; t.ID != 0 && !own.Alone {
		out = append(out, t)
	}
	return out
}

// power of a level in dBFS; none of silence.
func power(db float64) float64 {
	if db <= measure.Silence {
		return 0
	}
	return math.Pow(10, db/10)
}
