package api

import (
	"context"
	"fmt"

	"blendseam/core/level"
	"blendseam/core/measure"
	"blendseam/core/reel"
	"blendseam/core/treat"
	"blendseam/server/answer"
)

// TreatmentRequest is a treatment that is looked at, of a clip or of a track.
type TreatmentRequest struct {
	Clip   reel.ID        `json:"clip,omitempty"`
	Track  reel.ID        `json:"track,omitempty"`
	Does   treat.Settings `json:"does"`
	At     int64          `json:"at,omitempty" doc:"a place of the reel, around which is listened"`
	Listen bool           `json:"listen,omitempty" doc:"spectra and room too"`
}

// postTreatment tells what a treatment does. Nothing is changed.
func (s *API) postTreatment(ctx context.Context, in *struct {
	OfReel
	Body TreatmentRequest
}) (level.Look, error) {
	q := in.Body
	if err := q.Does.Check(); err != nil {
		return level.Look{}, answer.Bad(answer.UpperFirst(err.Error()) + ".")
	}
	v, err := s.Store.Load(ctx, in.Reel)
	if err != nil {
		return level.Look{}, err
	}
	t := reel.Treatment{Clip: q.Clip, Track: q.Track, Does: q.Does}
	if was, ok := v.Reel.TreatmentOf(t.On()); ok {
		t.ID, t.Alone = was.ID, was.Alone
	}
	if !q.Listen {
		return level.Response(t, v.Reel.Props.SampleRate), nil
	}
	return level.LookAt(ctx, v.Reel, s.opener(v.Reel.Props.SampleRate), t, q.At)
}

// ToneRequest is which clips are brought to the tone of another.
type ToneRequest struct {
	Clips     []reel.ID `json:"clips" maxItems:"500"`
	Reference reel.ID   `json:"reference,omitempty" doc:"the clip to match to; without it the first of them, or for one alone the clip before it on its track"`
	Amount    *float64  `json:"amount,omitempty" doc:"of the difference that is made up for, 0 to 1; all of it without"`
}

// ToneProposal is what would bring clips to the tone of another.
type ToneProposal struct {
	Revision  int64           `json:"revision"`
	Reference reel.ID         `json:"reference"`
	Hz        []float64       `json:"hz" doc:"the middles of the third octaves"`
	Rows      []level.ToneRow `json:"rows"`
	Words     string          `json:"words"`
	Edit      *Edit           `json:"edit,omitempty" doc:"none where nothing changes"`
	Anyway    *Edit           `json:"anyway,omitempty" doc:"the edit with the tones that are less certain than their size too; none without such tones"`
}

// postTone listens to clips and tells which tone would make them sound like another.
func (s *API) postTone(ctx context.Context, in *struct {
	OfReel
	Body ToneRequest
}) (ToneProposal, error) {
	out := ToneProposal{Rows: []level.ToneRow{}, Hz: measure.BandCentres[:]}
	q := in.Body
	if len(q.Clips) == 0 || len(q.Clips) > mostPeaked {
		return out, answer.Bad(fmt.Sprintf("Name from 1 to %d clips to match.", mostPeaked))
	}
	v, err := s.Store.Load(ctx, in.Reel)
	if err != nil {
		return out, err
	}
	amount := 1.0
	if q.Amount != nil {
		amount = *q.Amount
	}
	m, err := level.MatchTone(ctx, v.Reel, s.opener(v.Reel.Props.SampleRate), q.Clips, q.Reference, amount)
	if err != nil {
		return out, err
	}
	out.Revision, out.Reference, out.Words = v.Revision, m.Reference.ID, m.Words()
	out.Rows = append(out.Rows, m.Rows...)
	if m.Edit != nil {
		if out.Edit, err = written(m.Edit); err != nil {
			return out, err
		}
	}
	if m.Anyway != nil {
		out.Anyway, err = written(m.Anyway)
	}
	return out, err
}
