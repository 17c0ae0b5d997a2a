package api

import (
	"context"
	"errors"
	"reflect"

	"blendseam/core/reel"
	"blendseam/core/roomtone"
	"blendseam/server/answer"
	"blendseam/server/live"
	"blendseam/store"
	"blendseam/work"
)

// EditRequest is an edit and the revision it was made against.
type EditRequest struct {
	Base int64 `json:"base" doc:"the revision the edit was made against"`
	Edit Edit  `json:"edit"`
	// CloseUp asks a dry run to show this seam as it would be.
	CloseUp *CloseUpQuery `json:"closeUp,omitempty" doc:"dry runs only: a seam to show as it would be"`
	// Nearest asks a dry run that is refused to try what the refusal offers.
	Nearest bool `json:"nearest,omitempty" doc:"dry runs only: try the nearest that is possible"`
	// Hear asks a dry run to keep the reel for a while, to be heard.
	Hear bool `json:"hear,omitempty" doc:"dry runs only: keep the reel for a while, to be heard"`
}

type editInput struct {
	OfReel
	Body EditRequest
}

func (s *API) editRoutes() {
	post(s, "/reels/{reel}/edits", "postEdit", "Make an edit and save it", s.postEdit)
	post(s, "/reels/{reel}/merge", "postMerge", "Render clips into one recording and put one clip in their place", s.postMerge)
	post(s, "/reels/{reel}/dry-run", "postDryRun", "Tell what an edit would do. Nothing is changed", s.postDryRun)
}

func (s *API) postEdit(ctx context.Context, in *editInput) (live.Changed, error) {
	edit, err := in.Body.Edit.read()
	if err != nil {
		return live.Changed{}, err
	}
	if reel.Computed(edit) {
		return live.Changed{}, answer.Bad("A fit is computed first: ask for it at /reels/{reel}/fits.")
	}
	ctx, cancel := context.WithTimeout(ctx, answer.EditTime)
	defer cancel()
	if err := s.sounds(ctx, in.Reel, edit); err != nil {
		return live.Changed{}, err
	}
	if _, pastes := edit.(*reel.Paste); pastes {
		v, err := s.Store.Load(ctx, in.Reel)
		if err == nil {
			err = s.brings(ctx, v.Reel, edit)
		}
		if err != nil {
			return live.Changed{}, err
		}
	}
	return s.done(s.Store.Do(ctx, in.Reel, in.Body.Base, edit))
}

// done tells the maker of a change, and all who watch, what it did.
func (s *API) done(res store.Result, err error) (live.Changed, error) {
	if err != nil {
		return live.Changed{}, err
	}
	return s.Live.Change(res), nil
}

// sounds refuses an edit that would take room tone from digital silence, which
// only the sound itself can tell.
func (s *API) sounds(ctx context.Context, id int64, edit reel.Edit) error {
	tones := reel.TonesOf(edit)
	if len(tones) == 0 {
		return nil
	}
	v, err := s.Store.Load(ctx, id)
	if err != nil {
		return err
	}
	return roomtone.Audible(v.Reel, s.opener(v.Reel.Props.SampleRate), tones)
}

// brings lets a paste bring the recordings along that the reel lacks, as far as
// this server keeps them at the reel's sample rate.
func (s *API) brings(ctx context.Context, doc *reel.Reel, edit reel.Edit) error {
	paste, ok := edit.(*reel.Paste)
	if !ok {
		return nil
	}
	for _, src := range doc.Lacks(paste.What) {
		known := reel.Source{Recording: src.Recording, Name: src.Name, Left: src.Left, Right: src.Right, StartTC: -1}
		if src.Shows() {
			p, ok, err := s.Store.Picture(ctx, src.Recording)
			if err != nil {
				return err
			}
			if !ok {
				continue
			}
			known = work.PictureSource(p, doc.Props)
		} else {
			rec, ok, err := s.Store.Recording(ctx, src.Recording, doc.Props.SampleRate)
			if err != nil {
				return err
			}
			if !ok || src.Left < 0 || src.Left >= rec.Channels || src.Right >= rec.Channels {
				continue
			}
			known.Length, known.StartTC = rec.Length, rec.StartTC
		}
		paste.Known = append(paste.Known, known)
	}
	return nil
}

// DryRun is what an edit would do.
type DryRun struct {
	Revision int64        `json:"revision" doc:"it was tried on"`
	Change   reel.Change  `json:"change"`
	Outcome  reel.Outcome `json:"outcome"`
	CloseUp  *CloseUp     `json:"closeUp,omitempty"`
	Peaks    *Peaks       `json:"peaks,omitempty" doc:"of an edit of gain: how high its clips would peak"`
	// Stops says why what was asked for is refused, and Edit is the nearest
	// that is not, whose outcome this is.
	Stops string `json:"stops,omitempty" doc:"why what was asked for is refused"`
	Edit  *Edit  `json:"edit,omitempty" doc:"the nearest that is possible, whose outcome this is"`
	// Trial names the reel as it would be, in requests for its sound.
	Trial string `json:"trial,omitempty" doc:"names the reel as it would be, in requests for its sound"`
}

func (s *API) postDryRun(ctx context.Context, in *editInput) (out DryRun, err error) {
	v, err := s.Store.Load(ctx, in.Reel)
	if err != nil {
		return out, err
	}
	edit, err := in.Body.Edit.read()
	if err != nil {
		return out, err
	}
	ctx, cancel := context.WithTimeout(ctx, answer.EditTime)
	defer cancel()
	out.Revision = v.Revision
	var done *reel.Done
	if err = s.sounds(ctx, v.ID, edit); err == nil {
		err = s.brings(ctx, v.Reel, edit)
	}
	if err == nil {
		done, err = reel.Do(ctx, v.Reel, edit)
	}
	var no *reel.Refusal
	if in.Body.Nearest && errors.As(err, &no) {
		// Another kind of edit is for the user to choose; here the same goes
		// as far as it can, or nothing happens.
		out.Stops = no.Error()
		if no.Offer != nil && reflect.TypeOf(no.Offer) == reflect.TypeOf(edit) {
			if done, err = reel.Do(ctx, v.Reel, no.Offer); err == nil {
				out.Edit, err = written(no.Offer)
			}
		} else {
			done, err = &reel.Done{Reel: v.Reel}, nil
		}
	}
	if err == nil && in.Body.CloseUp != nil {
		out.CloseUp, err = s.closeUp(ctx, v.ID, done.Reel, *in.Body.CloseUp)
	}
	if e, ok := edit.(*reel.Gain); ok && err == nil && len(e.Clips) <= mostPeaked {
		var peaks Peaks
		peaks, err = s.peaks(ctx, done.Reel, e.Clips)
		out.Peaks = &peaks
	}
	if err != nil {
		return out, err
	}
	out.Outcome, out.Change = done.Outcome, reel.Diff(v.Reel, done.Reel)
	if in.Body.Hear {
		out.Trial = s.trials.put(done.Reel)
	}
	return out, nil
}
