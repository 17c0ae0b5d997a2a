package seam

import (
	"context"
	"math"

	"blendseam/core/gain"
	"blendseam/core/measure"
	"blendseam/core/mix"
	"blendseam/core/reel"
)

// wordOver is how far over the room sound counts as a word, in dB.
const wordOver = 12.0

// quiet is how far a clip's material stays near the room from a place in its
// source on, at most so many samples; backwards when ahead is false. The level
// of the room is that of the clip as it sounds on its track.
func (m *Meter) quiet(c reel.Clip, from int64, ahead bool, most int64, room float64) (int64, error) {
	reader, err := mix.Material(m.r, c, m.open)
	if err != nil {
		return 0, err
	}
	t, _ := m.r.Track(c.Track)
	level := gain.FromDB(c.GainDB) * gain.FromDB(t.GainDB)
	limit := math.Pow(10, (max(room, hushed)+wordOver)/10) / (level * level)
	frame := m.seconds(0.01)
	v := make([]float32, frame)
	for done := int64(0); done < most; done += frame {
		at := from + done
		if !ahead {
			at = from - done - frame
		}
		for ch := range reader.Channels() {
			if err := reader.ReadAt(v, ch, at); err != nil {
				return 0, err
			}
			if p := measure.Frames(int(float64(frame)/measure.FrameSeconds), v); len(p) > 0 && p[0] > limit {
				return done, nil
			}
		}
	}
	return most, nil
}

// floorOf is the level of the room at a clip's head, as it sounds on its
// track.
func (m *Meter) floorOf(c reel.Clip) (float64, error) {
	from, to := m.full(c)
	v, err := m.sound(context.Background(), c.Track, from, min(to, from+m.seconds(roomReach)), 0)
	if err != nil {
		return 0, err
	}
	return measure.Floor(measure.Frames(m.rate, v...)), nil
}
