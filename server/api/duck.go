package api

import (
	"context"

	"blendseam/core/level"
	"blendseam/core/reel"
)

// DuckRequest is which track is to go down under speech, and how.
type DuckRequest struct {
	Track reel.ID       `json:"track,omitempty" doc:"without it all ducks that no longer follow the speech"`
	Like  *reel.Ducking `json:"like,omitempty" doc:"in samples; without it as it was done last, or what is usual"`
}

// DuckProposal is what would lower a track under speech.
type DuckProposal struct {
	Revision int64          `json:"revision"`
	Speech   []reel.Stretch `json:"speech" doc:"what it would go down under, pauses bridged; of one track"`
	Edit     *Edit          `json:"edit"`
}

// postDuck listens for speech on the dialogue tracks.
func (s *API) postDuck(ctx context.Context, in *struct {
	OfReel
	Body DuckRequest
}) (DuckProposal, error) {
	v, err := s.Store.Load(ctx, in.Reel)
	if err != nil {
		return DuckProposal{}, err
	}
	open := s.opener(v.Reel.Props.SampleRate)
	if in.Body.Track == 0 {
		all, err := level.UpdateDucks(ctx, v.Reel, open)
		if err != nil {
			return DuckProposal{}, err
		}
		out := DuckProposal{Revision: v.Revision, Speech: []reel.Stretch{}}
		out.Edit, err = written(all)
		return out, err
	}
	like := reel.UsualDuck(v.Reel.Props)
	if t, ok := v.Reel.Track(in.Body.Track); ok && t.Duck != (reel.Ducking{}) {
		like = t.Duck
	}
	if in.Body.Like != nil {
		like = *in.Body.Like
	}
	e, err := level.Duck(ctx, v.Reel, open, in.Body.Track, like)
	if err != nil {
		return DuckProposal{}, err
	}
	out := DuckProposal{Revision: v.Revision, Speech: append([]reel.Stretch{}, e.Speech...)}
	out.Edit, err = written(e)
	return out, err
}

// Speech is where something is said in a reel.
type Speech struct {
	Revision int64          `json:"revision"`
	Speech   []reel.Stretch `json:"speech"`
	Stale    []reel.ID      `json:"stale" doc:"tracks whose duck no longer follows it"`
}

func (s *API) getSpeech(ctx context.Context, in *OfReel) (Speech, error) {
	v, err := s.Store.Load(ctx, in.Reel)
	if err != nil {
		return Speech{}, err
	}
	said, err := level.Speech(ctx, v.Reel, s.opener(v.Reel.Props.SampleRate), level.Whole)
	out := Speech{Revision: v.Revision, Speech: append([]reel.Stretch{}, said...), Stale: []reel.ID{}}
	for _, e := range level.Stale(v.Reel, said) {
		out.Stale = append(out.Stale, e.Track)
	}
	return out, err
}
