package seam

import (
	"math"

	"blendseam/core/floor"
	"blendseam/core/measure"
	"blendseam/core/reel"
	"blendseam/core/roomtone"
	"blendseam/core/treat"
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
	var unsure float64
	s.Room, unsure, err = m.heardAs(c, r, edgeOf(c, outgoing))
	s.Unsure = math.Hypot(s.Unsure, unsure)
	return s, err
}

// heardAs returns how loud a room of a clip's source sounds on its track at a place of
// the source, in dBFS above 188 Hz, and the standard uncertainty in dB that expanders add.
func (m *Meter) heardAs(c reel.Clip, r *floor.Room, at int64) (db, unsure float64, err error) {
	if r.Level <= measure.Silence {
		return r.Level, 0, nil
	}
	own := airOf(r)
	own.filtered(m.rate, m.treated[c.ID].Does)
	own.level += m.beforeTrack(c, at)
	if t := m.treated[c.Track]; t.ID != 0 && !m.treated[c.ID].Alone {
		own.filtered(m.rate, t.Does)
	}
	own.level += m.onTrack(c, at) - m.beforeTrack(c, at)
	if m.expands(c) {
		lowered, by, err := m.expanded(c, r, at)
		if err != nil {
			return 0, 0, err
		}
		own.level, unsure = own.level-lowered, by
	}
	return max(own.level, measure.Silence), unsure, nil
}

// beforeTrack is what a clip's gains add before the treatment of its track, in dB.
func (m *Meter) beforeTrack(c reel.Clip, at int64) float64 {
	t, _ := m.r.Track(c.Track)
	t.GainDB = 0
	return roomtone.OnTrack(c, t) + m.rides[c.ID].DB(at)
}

// roomAir is a room on its way through treatments: its level in dBFS, and how that is
// spread over its bands.
type roomAir struct {
	level float64
	bands [floor.Bands]float64
}

func airOf(r *floor.Room) roomAir { return roomAir{r.Level, r.Bands} }

// filtered passes the room through the filters of a treatment.
func (a *roomAir) filtered(rate int, s treat.Settings) {
	if s.None() {
		return
	}
	var was, is float64
	for b := range a.bands {
		low, high := floor.Octave(rate, b)
		was += a.bands[b]
		a.bands[b] *= s.PowerOver(rate, low, high)
		is += a.bands[b]
	}
	if was > 0 {
		a.level += 10 * math.Log10(max(is/was, 1e-15))
	}
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
