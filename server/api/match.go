package api

import (
	"context"
	"fmt"

	"blendseam/core/level"
	"blendseam/core/reel"
	"blendseam/server/answer"
)

// MatchRequest is what clips are to be brought to: a loudness, or that of a clip.
type MatchRequest struct {
	Clips     []reel.ID `json:"clips" maxItems:"500"`
	Reference reel.ID   `json:"reference,omitempty" doc:"the clip to match to; without it and without a loudness the first of them, or for one alone the clip before it on its track"`
	LUFS      *float64  `json:"lufs,omitempty" doc:"or the loudness to match to"`
}

// MatchProposal is what would bring clips to one loudness of speech.
type MatchProposal struct {
	Revision int64       `json:"revision"`
	LUFS     float64     `json:"lufs" doc:"what they are matched to"`
	Rows     []level.Row `json:"rows"`
	Words    string      `json:"words"`
	Edit     *Edit       `json:"edit,omitempty" doc:"none where nothing changes"`
}

// postMatch listens to clips and tells which gains would bring them to one
// loudness, measured on what is said alone.
func (s *API) postMatch(ctx context.Context, in *struct {
	OfReel
	Body MatchRequest
}) (MatchProposal, error) {
	out := MatchProposal{Rows: []level.Row{}}
	q := in.Body
	if len(q.Clips) == 0 || len(q.Clips) > mostPeaked {
		return out, answer.Bad(fmt.Sprintf("Name from 1 to %d clips to match.", mostPeaked))
	}
	if q.Reference != 0 && q.LUFS != nil {
		return out, answer.Bad("Match to a clip or to a loudness, not to both.")
	}
	v, err := s.Store.Load(ctx, in.Reel)
	if err != nil {
		return out, err
	}
	open := s.opener(v.Reel.Props.SampleRate)
	var m level.Matched
	if q.LUFS != nil {
		m, err = level.MatchTo(ctx, v.Reel, open, q.Clips, *q.LUFS)
	} else {
		m, err = level.MatchLike(ctx, v.Reel, open, q.Clips, q.Reference)
	}
	if err != nil {
		return out, err
	}
	out.Revision, out.LUFS, out.Words = v.Revision, m.LUFS, m.Words()
	out.Rows = append(out.Rows, m.Rows...)
	if m.Edit != nil {
		out.Edit, err = written(m.Edit)
	}
	return out, err
}
