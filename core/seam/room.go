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
	own := airOf(r)
	lowered += own.through(m.rate, m.treated[c.ID].Does)
	if t := m.treated[c.Track]; t.ID != 0 && !m.treated[c.ID].Alone {
		before := m.beforeTrack(c, at)
		own.level += before
		lowered += own.through(m.rate, t.Does)
		own.level -= before
	}
	return max(own.level+m.onTrack(c, at), measure.Silence), lowered
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

// through filters the room, then lowers it as an expander does once it has settled, by
// so many dB.
func (a *roomAir) through(rate int, s treat.Settings) (lowered float64) {
	if s.None() {
		return 0
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
	down := s.Expander.SteadyDB(a.level)
	a.level += down
	return -down
}

// Before is the level of a clip's room at a place of its source where the expander of
// a treatment, of the clip or of its track, hears it; not ok where it is not known.
func (m *Meter) Before(c reel.Clip, of reel.Treatment, at int64) (db float64, ok bool, err error) {
	src, _ := m.r.Source(c.Source)
	r, err := m.ear.Room(src, at)
	if err != nil || r.State != floor.Heard {
		return 0, false, err
	}
	of.Does.Expander = treat.Expander{}
	own := airOf(r)
	if of.Clip != 0 {
		own.through(m.rate, of.Does)
		return own.level, true, nil
	}
	own.through(m.rate, m.treated[c.ID].Does)
	own.level += m.beforeTrack(c, at)
	own.through(m.rate, of.Does)
	return own.level, true, nil
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
