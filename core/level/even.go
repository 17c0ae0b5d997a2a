package level

import (
	"context"
	"fmt"
	"slices"
	"sort"

	"blendseam/core/gain"
	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/seam"
	"blendseam/core/sound"
)

// EvenRow is one clip that is brought to the loudness of the others.
type EvenRow struct {
	Row
	Track  reel.ID `json:"track"`
	Start  int64   `json:"start"`
	After  float64 `json:"after"` // LUFS
	To     float64 `json:"to"`    // LUFS, what it is brought to
	PeakDB float64 `json:"peak"`  // dBFS with the new gain; −200 for silence
	Over   bool    `json:"over"`  // it would reach full scale
}

// Even is how clips are brought to one loudness.
type Even struct {
	LUFS     *float64 // the target; without it the middle of what they are
	PerTrack bool     // each track, a voice, to its own
}

// EvenOut brings the speech of clips to one loudness: over all of them, or track by
// track. Clips in which too little is said to measure are left as they are, with the
// reason. Progress goes from 0 to 1.
func EvenOut(ctx context.Context, r *reel.Reel, open mix.Open, clips []reel.ID, e Even, progress func(float64)) ([]EvenRow, error) {
	if e.LUFS != nil && !(*e.LUFS >= leastLUFS && *e.LUFS <= mostLUFS) {
		return nil, &reel.Refusal{Reason: "Loudness goes from −60 to 0 LUFS.", Possible: "EBU R 128 asks for −23 LUFS."}
	}
	m := seam.New(r, open)
	var rows []EvenRow
	voices := map[reel.ID]seam.Voice{}
	for i, id := range clips {
		progress(0.9 * float64(i) / float64(len(clips)))
		c, ok := r.Clip(id)
		if !ok {
			continue
		}
		t, _ := r.Track(c.Track)
		row := EvenRow{Row: Row{Clip: id, Name: c.Name, ToDB: c.GainDB}, Track: c.Track, Start: c.Start, PeakDB: silentPeak}
		if row.Why = mute(r, c); row.Why == "" && t.Locked {
			row.Why = t.Name + " is locked"
		}
		if row.Why == "" {
			voice, err := m.Voice(ctx, c)
			if err != nil {
				return nil, err
			}
			if !voice.Known {
				row.Why = "no speech to measure"
			}
			row.Before, voices[id] = voice.LUFS, voice
		}
		rows = append(rows, row)
	}
	target := targets(rows, voices, e)
	for i := range rows {
		row := &rows[i]
		if row.Why != "" {
			continue
		}
		c, _ := r.Clip(row.Clip)
		row.To = target(row.Track)
		if row.set(c, voices[row.Clip], row.To); row.Why != "" {
			continue
		}
		row.After = row.Before + row.ByDB
		if err := row.peak(ctx, r, c, open); err != nil {
			return nil, err
		}
		progress(0.9 + 0.1*float64(i+1)/float64(len(rows)))
	}
	sort.SliceStable(rows, func(i, j int) bool { return rows[i].Start < rows[j].Start })
	return rows, nil
}

// silentPeak stands for no peak at all, in dBFS.
const silentPeak = -200.0

// peak is how high a clip would come with its new gain.
func (row *EvenRow) peak(ctx context.Context, r *reel.Reel, c reel.Clip, open mix.Open) error {
	var reader sound.Reader
	reader, err := mix.Material(r, c, open)
	if err != nil {
		return err
	}
	sides, err := Peaks(ctx, reader, c.Offset, c.Length)
	if err != nil {
		return err
	}
	c.GainDB = row.ToDB
	if row.PeakDB = max(ClipPeak(c, sides), silentPeak); row.PeakDB != row.PeakDB {
		return fmt.Errorf("“%s” has samples that are no numbers", c.Name)
	}
	row.Over = row.PeakDB >= 0
	return nil
}

// targets tells what each track is brought to: what is asked for, or the middle of
// what its clips, or all clips, are, weighed by how long is spoken in each.
func targets(rows []EvenRow, voices map[reel.ID]seam.Voice, e Even) func(reel.ID) float64 {
	of := func(on func(EvenRow) bool) float64 {
		var known []seam.Voice
		var whole float64
		for _, row := range rows {
			if v := voices[row.Clip]; row.Why == "" && on(row) {
				known = append(known, v)
				whole += v.Seconds
			}
		}
		slices.SortFunc(known, func(a, b seam.Voice) int {
			if a.LUFS < b.LUFS {
				return -1
			}
			return 1
		})
		part := 0.0
		for _, v := range known {
			if part += v.Seconds; 2*part >= whole {
				return min(max(v.LUFS, leastLUFS), mostLUFS)
			}
		}
		return gain.MinDB
	}
	if e.LUFS != nil {
		return func(reel.ID) float64 { return *e.LUFS }
	}
	if !e.PerTrack {
		all := of(func(EvenRow) bool { return true })
		return func(reel.ID) float64 { return all }
	}
	by := map[reel.ID]float64{}
	return func(track reel.ID) float64 {
		if _, known := by[track]; !known {
			by[track] = of(func(row EvenRow) bool { return row.Track == track })
		}
		return by[track]
	}
}
