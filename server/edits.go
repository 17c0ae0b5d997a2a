package server

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"reflect"
	"time"

	"blendseam/core/reel"
	"blendseam/core/roomtone"
	"blendseam/store"
)

// editRequest is an edit and the revision it was made against.
type editRequest struct {
	Base int64           `json:"base"`
	Edit json.RawMessage `json:"edit"`
	// CloseUp asks a dry run to show this seam as it would be.
	CloseUp *closeUpQuery `json:"closeUp,omitempty"`
	// Nearest asks a dry run that is refused to try what the refusal offers.
	Nearest bool `json:"nearest,omitempty"`
	// Hear asks a dry run to keep the reel for a while, to be heard.
	Hear bool `json:"hear,omitempty"`
}

// changed is what an edit, undo or redo did, as sent to its maker and to all
// who watch the reel.
type changed struct {
	Revision int64        `json:"revision"`
	Change   reel.Change  `json:"change"`
	Outcome  reel.Outcome `json:"outcome"`
	Undo     string       `json:"undo"`
	Redo     string       `json:"redo"`
}

func (s *Server) postEdit(w http.ResponseWriter, r *http.Request) {
	var in editRequest
	id, err := pathInt(r, "reel")
	if err == nil {
		err = readJSON(w, r, &in)
	}
	var edit reel.Edit
	if err == nil {
		edit, err = decodeEdit(in.Edit)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	ctx, cancel := context.WithTimeout(r.Context(), editTime)
	defer cancel()
	if err := s.sounds(ctx, id, edit); err != nil {
		s.fail(w, r, err)
		return
	}
	if _, pastes := edit.(*reel.Paste); pastes {
		v, err := s.store.Load(ctx, id)
		if err == nil {
			err = s.brings(ctx, v.Reel, edit)
		}
		if err != nil {
			s.fail(w, r, err)
			return
		}
	}
	res, err := s.store.Do(ctx, id, in.Base, edit)
	s.answer(w, r, res, err)
}

// editTime is the longest that an edit may take to be worked out and saved.
const editTime = 20 * time.Second

// sounds refuses an edit that would take room tone from digital silence, which
// only the sound itself can tell.
func (s *Server) sounds(ctx context.Context, id int64, edit reel.Edit) error {
	tones := reel.TonesOf(edit)
	if len(tones) == 0 {
		return nil
	}
	v, err := s.store.Load(ctx, id)
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
		return nil, badRequest{"The request lacks an edit."}
	}
	edit, err := reel.Decode(text)
	if err != nil {
		return nil, badRequest{upperFirst(err.Error()) + "."}
	}
	return edit, nil
}

func (s *Server) postUndo(w http.ResponseWriter, r *http.Request) { s.postStep(w, r, s.store.Undo) }
func (s *Server) postRedo(w http.ResponseWriter, r *http.Request) { s.postStep(w, r, s.store.Redo) }

// postGo brings a reel to the state after a step of its history.
func (s *Server) postGo(w http.ResponseWriter, r *http.Request) {
	var in struct {
		Revision int64 `json:"revision"`
	}
	id, err := pathInt(r, "reel")
	if err == nil {
		err = readJSON(w, r, &in)
	}
	if err == nil && in.Revision < 0 {
		err = badRequest{"A step is named by its revision, or 0 for the beginning."}
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	res, err := s.store.GoTo(r.Context(), id, in.Revision)
	s.answer(w, r, res, err)
}

// postStep undoes or redoes a step, against the revision that the body names
// where it names one.
func (s *Server) postStep(w http.ResponseWriter, r *http.Request, step func(context.Context, int64, int64) (store.Result, error)) {
	in := struct {
		Base *int64 `json:"base"`
	}{}
	id, err := pathInt(r, "reel")
	if err == nil && r.ContentLength != 0 {
		err = readJSON(w, r, &in)
	}
	base := int64(store.Any)
	if in.Base != nil {
		if base = *in.Base; err == nil && base < 0 {
			err = badRequest{"A revision is not negative."}
		}
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	res, err := step(r.Context(), id, base)
	s.answer(w, r, res, err)
}

// answer tells the maker of a change, and all who watch, what it did.
func (s *Server) answer(w http.ResponseWriter, r *http.Request, res store.Result, err error) {
	if err != nil {
		s.fail(w, r, err)
		return
	}
	writeJSON(w, http.StatusOK, s.tell(res))
}

func (s *Server) tell(res store.Result) changed {
	out := changed{res.Revision, res.Change, res.Outcome, res.Undo, res.Redo}
	if !res.Change.Empty() && !res.Again {
		s.hub.publishChange(res.ID, res.Revision, event{"change", out})
		s.ledger.want(res.Version)
	}
	return out
}

// dryRun is what an edit would do.
type dryRun struct {
	Revision int64        `json:"revision"` // it was tried on
	Change   reel.Change  `json:"change"`
	Outcome  reel.Outcome `json:"outcome"`
	CloseUp  *closeUp     `json:"closeUp,omitempty"`
	// Stops says why what was asked for is refused, and Edit is the nearest
	// that is not, whose outcome this is.
	Stops string          `json:"stops,omitempty"`
	Edit  json.RawMessage `json:"edit,omitempty"`
	// Trial names the reel as it would be, in requests for its sound.
	Trial string `json:"trial,omitempty"`
}

func (s *Server) postDryRun(w http.ResponseWriter, r *http.Request) {
	var in editRequest
	v, err := s.version(r)
	if err == nil {
		err = readJSON(w, r, &in)
	}
	var edit reel.Edit
	if err == nil {
		edit, err = decodeEdit(in.Edit)
	}
	ctx, cancel := context.WithTimeout(r.Context(), editTime)
	defer cancel()
	var next *reel.Reel
	out := dryRun{Revision: v.Revision}
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
		s.fail(w, r, err)
		return
	}
	out.Change = reel.Diff(v.Reel, next)
	if in.Hear {
		out.Trial = s.trials.put(next)
	}
	writeJSON(w, http.StatusOK, out)
}
