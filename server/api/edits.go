package api

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"reflect"

	"blendseam/core/reel"
	"blendseam/core/roomtone"
	"blendseam/server/answer"
	"blendseam/store"
)

// EditRequest is an edit and the revision it was made against.
type EditRequest struct {
	Base int64           `json:"base"`
	Edit json.RawMessage `json:"edit"`
	// CloseUp asks a dry run to show this seam as it would be.
	CloseUp *CloseUpQuery `json:"closeUp,omitempty"`
	// Nearest asks a dry run that is refused to try what the refusal offers.
	Nearest bool `json:"nearest,omitempty"`
	// Hear asks a dry run to keep the reel for a while, to be heard.
	Hear bool `json:"hear,omitempty"`
}

func (s *API) postEdit(w http.ResponseWriter, r *http.Request) {
	var in EditRequest
	id, err := answer.PathInt(r, "reel")
	if err == nil {
		err = answer.ReadJSON(r, &in)
	}
	var edit reel.Edit
	if err == nil {
		edit, err = decodeEdit(in.Edit)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	ctx, cancel := context.WithTimeout(r.Context(), answer.EditTime)
	defer cancel()
	if err := s.sounds(ctx, id, edit); err != nil {
		s.Fail(w, r, err)
		return
	}
	if _, pastes := edit.(*reel.Paste); pastes {
		v, err := s.Store.Load(ctx, id)
		if err == nil {
			err = s.brings(ctx, v.Reel, edit)
		}
		if err != nil {
			s.Fail(w, r, err)
			return
		}
	}
	res, err := s.Store.Do(ctx, id, in.Base, edit)
	s.done(w, r, res, err)
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
	heard := map[reel.Tone]bool{}
	for _, t := range tones {
		t.Seed, t.Channels, t.Tint = 0, 0, reel.Tint{}
		src, ok := v.Reel.Source(t.Source)
		if heard[t] || !ok || t.Room != "" || t.From < 0 || t.To <= t.From || t.To > src.Length {
			continue // the edit itself says what is wrong with it
		}
		heard[t] = true
		if _, err := roomtone.Measure(v.Reel, s.opener(v.Reel.Props.SampleRate), src, t.From, t.To); errors.Is(err, roomtone.ErrSilent) {
			return &reel.Refusal{Reason: "That stretch of “" + src.Name + "” is digital silence; a room is never that quiet.", Possible: "Take a quiet stretch found under Room, or a synthetic room."}
		}
	}
	return nil
}

func decodeEdit(text json.RawMessage) (reel.Edit, error) {
	if len(text) == 0 {
		return nil, answer.Bad("The request lacks an edit.")
	}
	edit, err := reel.Decode(text)
	if err != nil {
		return nil, answer.Bad(answer.UpperFirst(err.Error()) + ".")
	}
	return edit, nil
}

func (s *API) postUndo(w http.ResponseWriter, r *http.Request) { s.postStep(w, r, s.Store.Undo) }
func (s *API) postRedo(w http.ResponseWriter, r *http.Request) { s.postStep(w, r, s.Store.Redo) }

// postGo brings a reel to the state after a step of its history.
func (s *API) postGo(w http.ResponseWriter, r *http.Request) {
	var in struct {
		Revision int64 `json:"revision"`
	}
	id, err := answer.PathInt(r, "reel")
	if err == nil {
		err = answer.ReadJSON(r, &in)
	}
	if err == nil && in.Revision < 0 {
		err = answer.Bad("A step is named by its revision, or 0 for the beginning.")
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	res, err := s.Store.GoTo(r.Context(), id, in.Revision)
	s.done(w, r, res, err)
}

// postStep undoes or redoes a step, against the revision that the body names
// where it names one.
func (s *API) postStep(w http.ResponseWriter, r *http.Request, step func(context.Context, int64, int64) (store.Result, error)) {
	in := struct {
		Base *int64 `json:"base"`
	}{}
	id, err := answer.PathInt(r, "reel")
	if err == nil && r.ContentLength != 0 {
		err = answer.ReadJSON(r, &in)
	}
	base := int64(store.Any)
	if in.Base != nil {
		if base = *in.Base; err == nil && base < 0 {
			err = answer.Bad("A revision is not negative.")
		}
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	res, err := step(r.Context(), id, base)
	s.done(w, r, res, err)
}

// done tells the maker of a change, and all who watch, what it did.
func (s *API) done(w http.ResponseWriter, r *http.Request, res store.Result, err error) {
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	answer.JSON(w, http.StatusOK, s.Live.Change(res))
}

// DryRun is what an edit would do.
type DryRun struct {
	Revision int64        `json:"revision"` // it was tried on
	Change   reel.Change  `json:"change"`
	Outcome  reel.Outcome `json:"outcome"`
	CloseUp  *CloseUp     `json:"closeUp,omitempty"`
	// Stops says why what was asked for is refused, and Edit is the nearest
	// that is not, whose outcome this is.
	Stops string          `json:"stops,omitempty"`
	Edit  json.RawMessage `json:"edit,omitempty"`
	// Trial names the reel as it would be, in requests for its sound.
	Trial string `json:"trial,omitempty"`
}

func (s *API) postDryRun(w http.ResponseWriter, r *http.Request) {
	var in EditRequest
	v, err := s.version(r)
	if err == nil {
		err = answer.ReadJSON(r, &in)
	}
	var edit reel.Edit
	if err == nil {
		edit, err = decodeEdit(in.Edit)
	}
	ctx, cancel := context.WithTimeout(r.Context(), answer.EditTime)
	defer cancel()
	var next *reel.Reel
	out := DryRun{Revision: v.Revision}
	if err == nil {
		err = s.sounds(ctx, v.ID, edit)
	}
	if err == nil {
		err = s.brings(ctx, v.Reel, edit)
	}
	if err == nil {
		next, out.Outcome, err = reel.Do(ctx, v.Reel, edit)
	}
	var no *reel.Refusal
	if in.Nearest && errors.As(err, &no) {
		// Another kind of edit is for the user to choose; here the same goes
		// as far as it can, or nothing happens.
		out.Stops = no.Error()
		if no.Offer != nil && reflect.TypeOf(no.Offer) == reflect.TypeOf(edit) {
			if next, out.Outcome, err = reel.Do(ctx, v.Reel, no.Offer); err == nil {
				out.Edit, err = reel.Encode(no.Offer)
			}
		} else {
			next, err = v.Reel, nil
		}
	}
	if err == nil && in.CloseUp != nil {
		out.CloseUp, err = s.closeUp(ctx, v.ID, next, *in.CloseUp)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	out.Change = reel.Diff(v.Reel, next)
	if in.Hear {
		out.Trial = s.trials.put(next)
	}
	answer.JSON(w, http.StatusOK, out)
}
