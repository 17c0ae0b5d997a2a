package level

import (
	"context"
	"fmt"
	"math"

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
// A clip in which less than half a second is said is left as it is.
func MatchTo(ctx context.Context, r *reel.Reel, open mix.Open, clips []reel.ID, lufs float64, progress func(float64)) (Matched, error) {
	out := Matched{LUFS: lufs}
	if !(lufs >= leastLUFS && lufs <= mostLUFS) {
		return out, &reel.Refusal{Reason: "Loudness goes from −60 to 0 LUFS.", Possible: "Speech is at −23 LUFS by EBU R 128."}
	}
	m := seam.New(r, open)
	done := &reel.Together{}
	for i, id := range clips {
		c, ok := r.Clip(id)
		if !ok {
			continue
		}
		row := Row{Clip: id, Name: c.Name, ToDB: c.GainDB}
		voice, err := m.Voice(ctx, c)
		if err != nil {
			return out, err
		}
		switch to := math.Round(10*(c.GainDB+lufs-voice.LUFS)) / 10; {
		case !voice.Known:
			row.Why = "no speech to measure"
		case to > gain.MaxDB || to < gain.MinDB:
			row.Before, row.Why = voice.LUFS, fmt.Sprintf("it would need %s", reel.Decibels(to))
		default:
			row.Before, row.ToDB, row.ByDB = voice.LUFS, to, math.Round(10*(to-c.GainDB))/10
			if row.ByDB != 0 {
				done.Edits = append(done.Edits, &reel.Gain{Clips: []reel.ID{id}, ToDB: &to})
			}
		}
		out.Rows = append(out.Rows, row)
		progress(float64(i+1) / float64(len(clips)))
	}
	if len(done.Edits) > 0 {
		done.Label = fmt.Sprintf("match loudness to %s", LUFS(lufs))
		out.Edit = done
	}
	return out, nil
}

// MatchLike brings clips to the loudness of another, or of one of them.
func MatchLike(ctx context.Context, r *reel.Reel, open mix.Open, clips []reel.ID, reference reel.ID, progress func(float64)) (Matched, error) {
	c, ok := r.Clip(reference)
	if !ok {
		return Matched{}, &reel.Refusal{Reason: "The clip to match to is gone."}
	}
	voice, err := seam.New(r, open).Voice(ctx, c)
	if err != nil {
		return Matched{}, err
	}
	if !voice.Known {
		return Matched{}, &reel.Refusal{Reason: fmt.Sprintf("“%s” has %.1f s of speech, too little to measure.", c.Name, voice.Seconds), Possible: "Match to another clip, or type a loudness."}
	}
	var others []reel.ID
	for _, id := range clips {
		if id != reference {
			others = append(others, id)
		}
	}
	return MatchTo(ctx, r, open, others, min(max(voice.LUFS, leastLUFS), mostLUFS), progress)
}

// LUFS writes a loudness.
func LUFS(v float64) string {
	if v < 0 {
		return fmt.Sprintf("−%.1f LUFS", -v)
	}
	return fmt.Sprintf("%.1f LUFS", v)
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
