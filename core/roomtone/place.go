package roomtone

import (
	"context"
	"math"

	"blendseam/core/gain"
	"blendseam/core/measure"
	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/sound"
)

// Room is what is known of the room at a place: as it is heard on its track,
// with the gain of its clip but without that of the track.
type Room struct {
	Level float64       // dBFS; measure.Silence when there is none
	Bands measure.Bands // dBFS
	Known bool          // the bands were measured
}

// airReach is how far from a place its room is listened to, in seconds.
const airReach = 3.0

// roomIn measures the room in parts of a clip's material, in the time of its
// source. The level is that of the first channel or of both together.
func roomIn(r sound.Reader, rate int, gainDB float64, parts ...[2]int64) (Room, error) {
	out := Room{Level: measure.Silence}
	spec := measure.NewSpectrum(rate)
	var frames []float64
	var best measure.Bands
	quietest := math.Inf(1)
	for _, p := range parts {
		n := p[1] - p[0]
		if n < int64(float64(rate)*measure.FrameSeconds) {
			continue
		}
		var chans [][]float32
		for ch := range min(r.Channels(), 2) {
			v := make([]float32, n)
			if err := r.ReadAt(v, ch, p[0]); err != nil {
				return out, err
			}
			centre(v)
			chans = append(chans, v)
		}
		frames = append(frames, measure.Frames(rate, chans...)...)
		if at := spec.Quiet(chans[0], 6); len(at) > 0 {
			b := spec.Of(chans[0], at)
			var sum float64
			for _, l := range b {
				sum += math.Pow(10, l/10)
			}
			if sum < quietest {
				quietest, best, out.Known = sum, b, true
			}
		}
	}
	if len(frames) == 0 {
		return out, nil
	}
	out.Level = Air(frames)
	if out.Level > measure.Silence {
		out.Level += gainDB
	}
	for k := range best {
		out.Bands[k] = best[k] + gainDB
	}
	return out, nil
}

// BesideStrike is the room around a struck span, of its own recording, without
// the gains of its clip and track. What else is struck of it is room as well.
func BesideStrike(r *reel.Reel, open mix.Open, s reel.Strike) (Room, error) {
	c, _ := r.Clip(s.Clip)
	src, _ := r.Source(c.Source)
	own, err := open(src)
	if err != nil {
		return Room{}, err
	}
	n := int64(airReach * float64(r.Props.SampleRate))
	from, to := s.Reach()
	return roomIn(own, r.Props.SampleRate, 0, [2]int64{max(from-n, 0), from}, [2]int64{to, min(to+n, src.Length)})
}

// Beside are the rooms before and after a place on a track: of the clips that
// lie next to it, no further off than so many seconds. Room.Level is Silence on
// a side without one.
func Beside(r *reel.Reel, open mix.Open, track reel.ID, from, to int64, seconds float64) (before, after Room, err error) {
	n, far := int64(airReach*float64(r.Props.SampleRate)), int64(seconds*float64(r.Props.SampleRate))
	before.Level, after.Level = measure.Silence, measure.Silence
	for _, c := range r.OnTrack(track) {
		if c.End() <= from && from-c.End() <= far {
			if before, err = roomAt(r, open, c, c.End()-n, c.End()); err != nil {
				return
			}
		}
		if c.Start >= to && c.Start-to <= far {
			after, err = roomAt(r, open, c, c.Start, c.Start+n)
			return
		}
	}
	return
}

// roomAt is the room of a clip in a span of the reel.
func roomAt(r *reel.Reel, open mix.Open, c reel.Clip, from, to int64) (Room, error) {
	own, err := mix.Material(r, c, open)
	if err != nil {
		return Room{}, err
	}
	from, to = max(from, c.Start), min(to, c.End())
	return roomIn(own, r.Props.SampleRate, c.GainDB, [2]int64{from - c.Start + c.Offset, to - c.Start + c.Offset})
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
		one, err := roomAt(r, open, c, from, min(to, max(from, c.Start)+int64(2*airReach*float64(r.Props.SampleRate))))
		if err != nil {
			return out, err
		}
		if one.Level <= measure.Silence {
			continue
		}
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
