package level

import (
	"context"
	"fmt"
	"math"
	"slices"

	"blendseam/core/gain"
	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/seam"
)

// Row is one clip that is brought to a loudness.
type Row struct {
	Clip   reel.ID `json:"clip"`
	Name   string  `json:"name"`
	Before float64 `json:"before"`        // LUFS, of what is said; 0 when it is not known
	ByDB   float64 `json:"byDB"`          // what its gain changes by
	ToDB   float64 `json:"toDB"`          // what it becomes
	Why    string  `json:"why,omitempty"` // why it is left as it is
}

// Matched are clips that are brought to one loudness of speech.
type Matched struct {
	LUFS float64        // the target
	Rows []Row          // in the order asked for
	Edit *reel.Together // nil where nothing changes
}

// The loudness that can be asked for, in LUFS.
const (
	leastLUFS = -60.0
	mostLUFS  = 0.0
)

// MatchTo brings clips to a loudness, in LUFS, measured on what is said alone.
// A clip in which less than half a second is said is left as it is, and one that
// cannot be altered.
func MatchTo(ctx context.Context, r *reel.Reel, open mix.Open, clips []reel.ID, lufs float64) (Matched, error) {
	return match(ctx, seam.New(r, open), r, clips, lufs)
}

// MatchLike brings clips to the loudness of another, or of one of them. Without a
// reference that is the first of them or, for one alone, the clip before it on its track.
func MatchLike(ctx context.Context, r *reel.Reel, open mix.Open, clips []reel.ID, reference reel.ID) (Matched, error) {
	if reference == 0 {
		var err error
		if reference, err = like(r, clips); err != nil {
			return Matched{}, err
		}
	}
	c, ok := r.Clip(reference)
	if !ok {
		return Matched{}, &reel.Refusal{Reason: "The clip to match to is gone."}
	}
	const way = "Match to another clip, or type a loudness."
	if why := mute(r, c); why != "" {
		return Matched{}, &reel.Refusal{Reason: fmt.Sprintf("“%s” cannot be matched to: %s.", c.Name, why), Possible: way}
	}
	m := seam.New(r, open)
	voice, err := m.Voice(ctx, c)
	if err != nil {
		return Matched{}, err
	}
	if !voice.Known {
		return Matched{}, &reel.Refusal{Reason: fmt.Sprintf("“%s” has %.1f s of speech, too little to measure.", c.Name, voice.Seconds), Possible: way}
	}
	others := slices.DeleteFunc(slices.Clone(clips), func(id reel.ID) bool { return id == reference })
	return match(ctx, m, r, others, min(max(voice.LUFS, leastLUFS), mostLUFS))
}

// like is the clip that others are matched to where none is named.
func like(r *reel.Reel, clips []reel.ID) (reel.ID, error) {
	var first reel.Clip
	n := 0
	for _, id := range clips {
		if c, ok := r.Clip(id); ok {
			if n++; n == 1 || c.Start < first.Start {
				first = c
			}
		}
	}
	if n != 1 {
		return first.ID, nil
	}
	var before reel.Clip
	for _, c := range r.OnTrack(first.Track) {
		if c.Start < first.Start {
			before = c
		}
	}
	if before.ID == 0 {
		return 0, &reel.Refusal{Reason: fmt.Sprintf("No clip before “%s” on its track.", first.Name), Possible: "Select several clips: all match the first."}
	}
	return before.ID, nil
}

// mute is why nothing can be heard of a clip, empty where it can.
func mute(r *reel.Reel, c reel.Clip) string {
	switch src, _ := r.Source(c.Source); {
	case src.Shows():
		return "it is a picture"
	case src.Missing():
		return "missing media"
	}
	return ""
}

func match(ctx context.Context, m *seam.Meter, r *reel.Reel, clips []reel.ID, lufs float64) (Matched, error) {
	out := Matched{LUFS: lufs}
	if !(lufs >= leastLUFS && lufs <= mostLUFS) {
		return out, &reel.Refusal{Reason: "Loudness goes from −60 to 0 LUFS.", Possible: "EBU R 128 asks for −23 LUFS."}
	}
	done := &reel.Together{Label: "match loudness to " + LUFS(lufs)}
	for _, id := range clips {
		c, ok := r.Clip(id)
		if !ok {
			continue
		}
		row := Row{Clip: id, Name: c.Name, ToDB: c.GainDB}
		if row.Why = mute(r, c); row.Why == "" {
			if t, _ := r.Track(c.Track); t.Locked {
				row.Why = t.Name + " is locked"
			}
		}
		if row.Why == "" {
			voice, err := m.Voice(ctx, c)
			if err != nil {
				return out, err
			}
			row.set(c, voice, lufs)
		}
		if to := row.ToDB; row.ByDB != 0 {
			done.Edits = append(done.Edits, &reel.Gain{Clips: []reel.ID{id}, ToDB: &to})
		}
		out.Rows = append(out.Rows, row)
	}
	if len(done.Edits) > 0 {
		out.Edit = done
	}
	return out, nil
}

// set is the gain that brings a voice to a loudness, to a tenth of a dB.
func (row *Row) set(c reel.Clip, voice seam.Voice, lufs float64) {
	if !voice.Known {
		row.Why = "no speech to measure"
		return
	}
	row.Before = voice.LUFS
	to := math.Round(10*(c.GainDB+lufs-voice.LUFS)) / 10
	if gain.CheckDB(to) != nil {
		row.Why = "it would need " + reel.Decibels(to)
		return
	}
	row.ToDB, row.ByDB = to, math.Round(10*(to-c.GainDB))/10
}

// LUFS writes a loudness.
func LUFS(v float64) string { return signed(v, "LUFS") }

// signed writes a level with its sign, to a tenth.
func signed(v float64, unit string) string {
	v = math.Round(10*v) / 10
	sign := ""
	if v > 0 {
		sign = "+"
	} else if v < 0 {
		sign = "−"
	}
	return fmt.Sprintf("%s%.1f %s", sign, math.Abs(v), unit)
}

// Words tell what was matched, in a line or two.
func (m Matched) Words() string {
	changed, left := 0, 0
	text := ""
	for _, row := range m.Rows {
		switch {
		case row.Why != "":
			left++
		case row.ByDB != 0:
			if changed++; changed <= 3 {
				text += fmt.Sprintf(" “%s” %s.", row.Name, reel.Decibels(row.ByDB))
			}
		}
	}
	out := fmt.Sprintf("At %s already.", LUFS(m.LUFS))
	if changed > 0 {
		out = fmt.Sprintf("Matched to %s:%s", LUFS(m.LUFS), text)
	}
	if changed > 3 {
		out += fmt.Sprintf(" %d more.", changed-3)
	}
	if left > 0 {
		out += fmt.Sprintf(" %d left: %s.", left, why(m.Rows))
	}
	return out
}

// why is the first reason of those that were left.
func why(rows []Row) string {
	for _, row := range rows {
		if row.Why != "" {
			return row.Why
		}
	}
	return ""
}
