package roomtone

import (
	"context"
	"math"
	"slices"

	"blendseam/core/floor"
	"blendseam/core/gain"
	"blendseam/core/measure"
	"blendseam/core/mix"
	"blendseam/core/reel"
)

// Room is what is known of the room at a place: as it is heard on its track,
// with the gain of its clip but without that of the track.
type Room struct {
	Level float64       // dBFS above 188 Hz; measure.Silence when there is none
	Bands measure.Bands // dBFS
	Known bool          // the bands were measured
	// Estimated says that it is heard in one short pause alone, or in none: then
	// Level is that of the quietest moment, which may be speech dying away.
	Estimated bool
	// Gated says that the recording is digital silence between its words.
	Gated bool
}

// roomOf is the room of a source around a place of it, with a gain.
func (e *Ear) roomOf(src reel.Source, at int64, gainDB float64) (Room, error) {
	out := Room{Level: measure.Silence}
	r, err := e.Room(src, at)
	if err != nil {
		return out, err
	}
	switch r.State {
	case floor.Gated:
		out.Gated = true
		return out, nil
	case floor.NotKnown:
		reach := int64(floor.Reach * float64(e.rate))
		p, _, err := e.Powers(src, at-reach, at+reach)
		if err != nil {
			return out, err
		}
		out.Level, out.Estimated = quietestMoment(p), true
	default:
		out.Level, out.Estimated = r.Level, r.Uncertain > leastSure
		c, err := e.Colour(src, r)
		if err != nil {
			return out, err
		}
		if out.Known = c.Segments > 0; out.Known {
			out.Bands = c.Bands
		}
	}
	if out.Level > measure.Silence {
		out.Level += gainDB
	}
	for k := range out.Bands {
		out.Bands[k] += gainDB
	}
	return out, nil
}

// leastSure is the uncertainty of a room from which on its level is said to be
// estimated, in dB: it was heard in one short pause alone.
const leastSure = 1.2

// quietestMoment is the level that one frame in a hundred does not reach, in
// dBFS; of those that sound.
func quietestMoment(p floor.Powers) float64 {
	var all []float64
	for _, v := range p.Total() {
		if v > silence {
			all = append(all, v)
		}
	}
	if len(all) == 0 {
		return measure.Silence
	}
	slices.Sort(all)
	return measure.Level(all[len(all)/100])
}

// BesideStrike is the room around a struck span, of its own recording, without
// the gains of its clip and track.
func BesideStrike(r *reel.Reel, open mix.Open, s reel.Strike) (Room, error) {
	c, _ := r.Clip(s.Clip)
	src, _ := r.Source(c.Source)
	return NewEar(r.Props.SampleRate, open).roomOf(src, (s.From+s.To)/2, 0)
}

// Beside are the rooms before and after a place on a track: of the clips that
// lie next to it, no further off than so many seconds. Room.Level is Silence on
// a side without one.
func Beside(r *reel.Reel, open mix.Open, track reel.ID, from, to int64, seconds float64) (before, after Room, err error) {
	far := int64(seconds * float64(r.Props.SampleRate))
	before.Level, after.Level = measure.Silence, measure.Silence
	for _, c := range r.OnTrack(track) {
		if c.End() <= from && from-c.End() <= far {
			if before, err = roomAt(r, open, c, c.End()); err != nil {
				return
			}
		}
		if c.Start >= to && c.Start-to <= far {
			after, err = roomAt(r, open, c, c.Start)
			return
		}
	}
	return
}

// roomAt is the room of a clip at a place of the reel.
func roomAt(r *reel.Reel, open mix.Open, c reel.Clip, at int64) (Room, error) {
	src, _ := r.Source(c.Source)
	return NewEar(r.Props.SampleRate, open).roomOf(src, at-c.Start+c.Offset, c.GainDB)
}

// soundsToItsEdge reports whether a clip is more than 10 dB over its room right
// to its head or tail.
func soundsToItsEdge(r *reel.Reel, open mix.Open, c reel.Clip, room Room, tail bool, n int64) (bool, error) {
	src, _ := r.Source(c.Source)
	from := c.Offset
	if tail {
		from = c.Offset + c.Length - n
	}
	p, _, err := NewEar(r.Props.SampleRate, open).Powers(src, from, from+n)
	return len(p) > 0 && measure.Level(average(p.Total()))+c.GainDB > room.Level+10, err
}

// SceneRoom is the room of a scene: the mean of the rooms of the dialogue clips
// that sound in a span, with the gains of their tracks.
func SceneRoom(ctx context.Context, r *reel.Reel, open mix.Open, from, to int64) (Room, error) {
	out := Room{Level: measure.Silence}
	var power, weight float64
	var bands [len(measure.BandCentres)]float64
	for _, c := range r.Clips {
		t, _ := r.Track(c.Track)
		if t.Role != reel.Dialogue || t.Mute || c.Start >= to || c.End() <= from {
			continue
		}
		if err := ctx.Err(); err != nil {
			return out, err
		}
		one, err := roomAt(r, open, c, (max(from, c.Start)+min(to, c.End()))/2)
		if err != nil {
			return out, err
		}
		if one.Level <= measure.Silence {
			continue
		}
		out.Estimated = out.Estimated || one.Estimated
		w := float64(min(c.End(), to) - max(c.Start, from))
		power += w * math.Pow(10, (one.Level+t.GainDB)/10)
		if one.Known {
			for k, l := range one.Bands {
				bands[k] += w * math.Pow(10, (l+t.GainDB)/10)
			}
			out.Known = true
		}
		weight += w
	}
	if weight > 0 {
		out.Level = measure.Level(power / weight)
		for k, p := range bands {
			out.Bands[k] = measure.Level(p / weight)
		}
	}
	return out, nil
}

// clampGain is a gain that a clip can have.
func clampGain(db float64) float64 {
	return math.Round(min(max(db, gain.MinDB), gain.MaxDB)*10) / 10
}
