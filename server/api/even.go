package api

import (
	"context"
	"fmt"

	"blendseam/core/level"
	"blendseam/core/reel"
	"blendseam/server/answer"
)

// EvenRequest is which clips are to be evened out, and to what.
type EvenRequest struct {
	Name     string    `json:"name,omitempty" doc:"under which progress is told as the event “even”"`
	Clips    []reel.ID `json:"clips" maxItems:"5000"`
	LUFS     *float64  `json:"lufs,omitempty" doc:"the target; without it the middle of what they are"`
	PerTrack bool      `json:"perTrack,omitempty" doc:"each track to its own middle"`
}

// EvenedOut is what would become of each clip.
type EvenedOut struct {
	Revision int64       `json:"revision"`
	Rows     []EvenedRow `json:"rows"`
}

// EvenedRow is a clip with the edit that brings it to the others.
type EvenedRow struct {
	level.EvenRow
	Edit *Edit `json:"edit,omitempty" doc:"none where nothing changes"`
}

// mostEven bounds the clips that are evened out at a time.
const mostEven = 5000

// postEvenOut listens to clips and tells the gain that brings each to the others.
func (s *API) postEvenOut(ctx context.Context, in *struct {
	OfReel
	Body EvenRequest
}) (EvenedOut, error) {
	out := EvenedOut{Rows: []EvenedRow{}}
	q := in.Body
	if len(q.Clips) == 0 || len(q.Clips) > mostEven || len(q.Name) > maxSearchName {
		return out, answer.Bad(fmt.Sprintf("Name from 1 to %d clips to even out.", mostEven))
	}
	v, err := s.Store.Load(ctx, in.Reel)
	if err != nil {
		return out, err
	}
	rows, err := level.EvenOut(ctx, v.Reel, s.opener(v.Reel.Props.SampleRate), q.Clips, level.Even{LUFS: q.LUFS, PerTrack: q.PerTrack}, s.progress(v.ID, "even", q.Name))
	if err != nil {
		return out, err
	}
	out.Revision = v.Revision
	for _, row := range rows {
		one := EvenedRow{EvenRow: row}
		if row.ByDB != 0 {
			if one.Edit, err = written(&reel.Gain{Clips: []reel.ID{row.Clip}, ToDB: &row.ToDB}); err != nil {
				return out, err
			}
		}
		out.Rows = append(out.Rows, one)
	}
	return out, nil
}
