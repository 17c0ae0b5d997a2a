package level

import (
	"context"

	"blendseam/core/gain"
	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/seam"
)

// Whole is all of a reel.
var Whole = reel.Stretch{To: reel.Farthest}

// Speech are the stretches in which something is said on the dialogue tracks of a
// reel, as far as they are heard, to a tenth of a second: in the clips that sound in
// a span.
func Speech(ctx context.Context, r *reel.Reel, open mix.Open, span reel.Stretch) ([]reel.Stretch, error) {
	m := seam.New(r, open)
	var out []reel.Stretch
	for _, t := range r.Order() {
		if t.Role != reel.Dialogue || t.Mute {
			continue
		}
		for _, c := range r.OnTrack(t.ID) {
			if c.End() <= span.From || c.Start >= span.To {
				continue
			}
			if src, _ := r.Source(c.Source); src.Missing() || src.Bed.Grown() || c.GainDB <= gain.MinDB {
				continue
			}
			said, err := m.Speech(ctx, c)
			if err != nil {
				return nil, err
			}
			out = append(out, said...)
		}
	}
	return out, nil
}

// Duck proposes how a track goes down under the speech of a reel and comes back.
func Duck(ctx context.Context, r *reel.Reel, open mix.Open, track reel.ID, like reel.Ducking) (*reel.LayDuck, error) {
	t, ok := r.Track(track)
	if ok && t.Role == reel.Dialogue {
		return nil, &reel.Refusal{Reason: t.Name + " is a dialogue track: speech is what others go down under.", Possible: "Duck music, spot effects or room tone, or give the track another role."}
	}
	speech, err := Speech(ctx, r, open, Whole)
	if err != nil {
		return nil, err
	}
	return &reel.LayDuck{Track: track, Like: like, Speech: like.Bridged(speech)}, nil
}

// Stale are the ducks that no longer follow the speech of a reel, as what brings them up
// to date. What was adjusted by hand of them stays, and does not count.
func Stale(r *reel.Reel, speech []reel.Stretch) (out []*reel.LayDuck) {
	for _, t := range r.Order() {
		if t.Duck == (reel.Ducking{}) || t.Locked || len(r.Line(-t.ID)) == 0 {
			continue
		}
		e := &reel.LayDuck{Track: t.ID, Like: t.Duck, Speech: t.Duck.Bridged(speech)}
		// One that follows already alters nothing; where nothing is said any more there is
		// nothing to follow.
		if done, err := e.Apply(r); err == nil && !reel.Diff(r, done.Reel).Empty() {
			out = append(out, e)
		}
	}
	return out
}

// UpdateDucks brings all ducks of a reel up to date with its speech, as one step.
func UpdateDucks(ctx context.Context, r *reel.Reel, open mix.Open) (*reel.Together, error) {
	speech, err := Speech(ctx, r, open, Whole)
	if err != nil {
		return nil, err
	}
	out := &reel.Together{Label: "update ducks"}
	for _, e := range Stale(r, speech) {
		out.Edits = append(out.Edits, e)
	}
	if len(out.Edits) == 0 {
		return nil, &reel.Refusal{Reason: "Every duck follows the speech already."}
	}
	return out, nil
}
