// Package answer is how requests are read and answered: parameters, JSON, and
// what went wrong as a user can act on it.
package answer

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"strings"
	"time"

	"blendseam/core/reel"
	"blendseam/media"
	"blendseam/store"
	"blendseam/work"
)

// Problem is an error as RFC 9457 has it. Detail is for the user: what
// happened, why, and what would work.
type Problem struct {
	Type     string          `json:"type,omitempty"`
	Title    string          `json:"title"`
	Status   int             `json:"status"`
	Detail   string          `json:"detail"`
	Kind     string          `json:"kind,omitempty"`     // a stable word for programs
	Possible string          `json:"possible,omitempty"` // what would work
	Offer    json.RawMessage `json:"offer,omitempty"`    // an edit that would work
	Take     string          `json:"take,omitempty"`     // what the offer does, as the label of a button
	Limit    int64           `json:"limit,omitempty"`    // samples
}

// Write sends a problem, as JSON or, where a browser asks for a page, as text.
func Write(w http.ResponseWriter, r *http.Request, p Problem) {
	for _, h := range []string{"ETag", "Content-Length", "Content-Disposition"} {
		w.Header().Del(h) // those of the answer that is not given
	}
	if p.Status == http.StatusServiceUnavailable {
		w.Header().Set("Retry-After", "1")
	}
	if WantsPage(r) {
		w.Header().Set("Content-Type", "text/plain; charset=utf-8")
		w.WriteHeader(p.Status)
		_, _ = w.Write([]byte(p.Title + "\n\n" + p.Detail + "\n"))
		return
	}
	w.Header().Set("Content-Type", "application/problem+json")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(p.Status)
	_ = json.NewEncoder(w).Encode(p)
}

// Error and the methods after it let a problem be returned by an operation.
func (p *Problem) Error() string { return p.Detail }

// GetStatus is the status that it is sent with.
func (p *Problem) GetStatus() int { return p.Status }

// ContentType is that of problem documents.
func (p *Problem) ContentType(string) string { return "application/problem+json" }

// GetHeaders say when to come again.
func (p *Problem) GetHeaders() http.Header {
	if p.Status == http.StatusServiceUnavailable {
		return http.Header{"Retry-After": {"1"}}
	}
	return nil
}

// NotUnderstood is the problem of a request whose parameters or body are not
// understood, from what is wrong with each.
func NotUnderstood(status int, message string, errs ...error) Problem {
	p := Problem{Status: status, Title: "Not understood", Kind: "badRequest", Detail: UpperFirst(message) + "."}
	if status == http.StatusUnprocessableEntity {
		p.Status = http.StatusBadRequest
	}
	var said []string
	for _, err := range errs {
		said = append(said, err.Error())
	}
	if len(said) > 0 {
		p.Detail = "The request is not understood: " + strings.Join(said, "; ") + "."
	}
	return p
}

// badRequest is an error in what was sent.
type badRequest struct{ detail string }

func (e badRequest) Error() string { return e.detail }

// Bad is an error in what was sent, in words for its maker.
func Bad(detail string) error { return badRequest{detail} }

// IsBad reports whether an error is one in what was sent.
func IsBad(err error) bool { return errors.As(err, new(badRequest)) }

// problems are those of errors that stand for one thing.
var problems = []struct {
	of error
	Problem
}{
	{store.ErrUnknown, Problem{Status: http.StatusServiceUnavailable, Title: "Not known yet", Kind: "unknown", Detail: "The database did not answer in time: not known yet whether this was saved. The page asks again."}},
	{store.ErrAway, Problem{Status: http.StatusServiceUnavailable, Title: "The database does not answer", Kind: "away", Detail: "The database does not answer. Saved edits are safe; this one was not saved."}},
	{store.ErrBusy, Problem{Status: http.StatusServiceUnavailable, Title: "Busy", Kind: "busy", Detail: "Another change of this reel took too long. This one was not saved; try again."}},
	{store.ErrFull, Problem{Status: http.StatusInsufficientStorage, Title: "Disk full", Kind: "full", Detail: "The disk of the database is full. This was not saved; make room on it and try again."}},
	{store.ErrTooMuch, Problem{Status: http.StatusRequestEntityTooLarge, Title: "Too much at once", Kind: "tooMuch", Detail: "That is more than the database takes at once. This was not saved; do it in parts, or raise its max_allowed_packet."}},
	{store.ErrOtherRequest, Problem{Status: http.StatusUnprocessableEntity, Title: "Key in use", Kind: "keyInUse", Detail: "This key was given to another request. Give each request a key of its own."}},
	{store.ErrNoReel, Problem{Status: http.StatusNotFound, Title: "No such reel", Kind: "noReel", Detail: "There is no such reel. It may have been removed; the list of reels shows removed ones and restores them."}},
	{store.ErrNoVersion, Problem{Status: http.StatusNotFound, Title: "No such version", Kind: "noVersion", Detail: "This version was deleted, or belongs to another reel. The list of versions shows those that are there."}},
	{store.ErrNoKeySet, Problem{Status: http.StatusNotFound, Title: "No such keys", Kind: "noKeys", Detail: "There is no set of keys of that name any more."}},
	{store.ErrNoJob, Problem{Status: http.StatusNotFound, Title: "No such job", Kind: "noJob", Detail: "There is no such job. It was taken off the list, or ended long ago."}},
	{store.ErrJobRuns, Problem{Status: http.StatusConflict, Title: "Not ended yet", Kind: "jobRuns", Detail: "This job has not ended yet. Cancel it first."}},
	{store.ErrNoFile, Problem{Status: http.StatusNotFound, Title: "No file", Kind: "noFile", Detail: "This job has no file, or its file was deleted when its time was over. Repeat the job to write it again."}},
	{store.ErrNothing, Problem{Status: http.StatusUnprocessableEntity, Title: "Nothing there", Kind: "nothing", Detail: "There is no step to go to."}},
	{media.ErrNoCopy, Problem{Status: http.StatusNotFound, Title: "No such recording", Kind: "noRecording", Detail: "This recording is not in the library at that rate."}},
}

// EditTime is the longest that an edit may take to be worked out and saved.
const EditTime = 20 * time.Second

// told is the problem of an error that stands for one thing.
func told(err error) (Problem, bool) {
	for _, one := range problems {
		if errors.Is(err, one.of) {
			return one.Problem, true
		}
	}
	return Problem{}, false
}

// Answers tells requests what went wrong.
type Answers struct {
	Log *slog.Logger
	// Away shows a page in place of one that cannot be had for a while.
	Away func(w http.ResponseWriter, r *http.Request, p Problem)
}

// Fail answers with the problem that an error stands for.
func (s *Answers) Fail(w http.ResponseWriter, r *http.Request, err error) {
	p := s.Of(err, r.Method+" "+r.URL.Path)
	if p.Status == http.StatusServiceUnavailable && WantsPage(r) {
		w.Header().Set("Retry-After", "2")
		s.Away(w, r, p)
		return
	}
	Write(w, r, p)
}

// Of is the problem that an error stands for. What is wrong here, and not with
// the request, is written down under the name of what was asked for.
func (s *Answers) Of(err error, asked string) Problem {
	var (
		no       *reel.Refusal
		stale    *store.Conflict
		trouble  *media.Problem
		bad      badRequest
		wrong    *work.Wrong
		tooLarge *http.MaxBytesError
		unsound  *store.Unsound
		damaged  *media.Damaged
	)
	p, ok := told(err)
	switch {
	case ok:
	case errors.As(err, &unsound):
		s.Log.Error("an edit would leave a reel that is not sound", "asked", asked, "error", err)
		p = Problem{Status: http.StatusUnprocessableEntity, Title: "Not possible", Kind: "unsound", Detail: "Not saved: " + unsound.Error() + "."}
	case errors.As(err, &damaged):
		p = Problem{Status: http.StatusConflict, Title: "Damaged recording", Kind: "damaged", Detail: UpperFirst(err.Error()) + ". " + damaged.Possible(), Possible: damaged.Possible()}
	case errors.As(err, &no):
		p = Problem{Status: http.StatusUnprocessableEntity, Title: "Not possible", Kind: "refused", Detail: no.Error(), Possible: no.Possible, Limit: no.Limit}
		if no.Offer != nil {
			p.Offer, _ = reel.Encode(no.Offer)
			p.Take = no.Take
		}
	case errors.As(err, &stale):
		p = Problem{Status: http.StatusConflict, Title: "Changed since", Kind: "conflict", Detail: stale.Error()}
	case errors.As(err, &trouble):
		p = Problem{Status: http.StatusUnprocessableEntity, Title: "Not imported", Kind: trouble.Kind, Detail: trouble.Detail}
		if trouble.Kind == "diskFull" {
			p.Status = http.StatusInsufficientStorage
		}
	case errors.As(err, &tooLarge):
		p = Problem{Status: http.StatusRequestEntityTooLarge, Title: "Too large", Kind: "tooLarge", Detail: "The request is larger than is taken in."}
	case errors.As(err, &bad):
		p = Problem{Status: http.StatusBadRequest, Title: "Not understood", Kind: "badRequest", Detail: bad.detail}
	case errors.As(err, &wrong):
		p = Problem{Status: http.StatusBadRequest, Title: "Not understood", Kind: "badRequest", Detail: wrong.Detail}
	case errors.Is(err, context.Canceled):
		p = Problem{Status: 499, Title: "Stopped", Kind: "stopped", Detail: "The request was stopped."}
	case errors.Is(err, context.DeadlineExceeded):
		p = Problem{Status: http.StatusUnprocessableEntity, Title: "Takes too long", Kind: "tooLong", Detail: fmt.Sprintf("This takes longer than %d seconds, so nothing was changed. Do it in several steps.", int(EditTime.Seconds()))}
	default:
		p = Problem{Status: http.StatusInternalServerError, Title: "That did not work", Kind: "broken", Detail: "Something went wrong in the server. Reload the page to see what is saved; the server's log says more."}
		s.Log.Error("request failed", "asked", asked, "error", err)
	}
	return p
}

// WantsPage reports whether a browser asks for a page, rather than a program
// for an answer.
func WantsPage(r *http.Request) bool {
	return strings.Contains(r.Header.Get("Accept"), "text/html") && !strings.HasPrefix(r.URL.Path, "/api/")
}

// NotFound answers for an address that nothing is at.
func NotFound(w http.ResponseWriter, r *http.Request) {
	Write(w, r, Problem{Status: http.StatusNotFound, Title: "Nothing here", Detail: "There is nothing at this address. The shelf is at /."})
}

// JSON sends a value.
func JSON(w http.ResponseWriter, status int, v any) {
	w.Header().Set("Content-Type", "application/json")
	if w.Header().Get("Cache-Control") == "" {
		w.Header().Set("Cache-Control", "no-store")
	}
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(v)
}

// Strict reads JSON: one value of known fields, and nothing after it.
func Strict(text []byte, into any) error {
	d := json.NewDecoder(bytes.NewReader(text))
	d.DisallowUnknownFields()
	if err := d.Decode(into); err != nil {
		return err
	}
	if _, err := d.Token(); err != io.EOF {
		return errors.New("there is more than one value")
	}
	return nil
}
