package server

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"strings"
	"time"

	"blendseam/core/reel"
	"blendseam/media"
	"blendseam/store"
)

// problem is an error as RFC 9457 has it. Detail is for the user: what
// happened, why, and what would work.
type problem struct {
	Type     string          `json:"type,omitempty"`
	Title    string          `json:"title"`
	Status   int             `json:"status"`
	Detail   string          `json:"detail"`
	Kind     string          `json:"kind,omitempty"`     // a stable word for programs
	Possible string          `json:"possible,omitempty"` // what would work
	Offer    json.RawMessage `json:"offer,omitempty"`    // an edit that would work
	Limit    int64           `json:"limit,omitempty"`    // samples
}

func writeProblem(w http.ResponseWriter, r *http.Request, p problem) {
	if strings.Contains(r.Header.Get("Accept"), "text/html") && !strings.HasPrefix(r.URL.Path, "/api/") {
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

// badRequest is an error in what was sent.
type badRequest struct{ detail string }

func (e badRequest) Error() string { return e.detail }

// fail answers with the problem that an error stands for.
func (s *Server) fail(w http.ResponseWriter, r *http.Request, err error) {
	var (
		no       *reel.Refusal
		stale    *store.Conflict
		trouble  *media.Problem
		bad      badRequest
		tooLarge *http.MaxBytesError
	)
	p := problem{Status: http.StatusInternalServerError, Title: "That did not work", Detail: "Something went wrong in the server; nothing was changed. Try again, and look at the server's log if it stays so."}
	switch {
	case errors.As(err, &no):
		p = problem{Status: http.StatusUnprocessableEntity, Title: "Not possible", Kind: "refused", Detail: no.Error(), Possible: no.Possible, Limit: no.Limit}
		if no.Offer != nil {
			p.Offer, _ = reel.Encode(no.Offer)
		}
	case errors.As(err, &stale):
		p = problem{Status: http.StatusConflict, Title: "Changed since", Kind: "conflict", Detail: stale.Error()}
	case errors.As(err, &trouble):
		p = problem{Status: http.StatusUnprocessableEntity, Title: "Not taken in", Kind: trouble.Kind, Detail: trouble.Detail}
	case errors.As(err, &tooLarge):
		p = problem{Status: http.StatusRequestEntityTooLarge, Title: "Too large", Kind: "tooLarge", Detail: "The request is larger than is taken in."}
	case errors.As(err, &bad):
		p = problem{Status: http.StatusBadRequest, Title: "Not understood", Kind: "badRequest", Detail: bad.detail}
	case errors.Is(err, store.ErrNoReel):
		p = problem{Status: http.StatusNotFound, Title: "No such reel", Kind: "noReel", Detail: "This reel is not on the shelf. It may have been removed; the shelf lists removed reels and puts them back."}
	case errors.Is(err, store.ErrNoVersion):
		p = problem{Status: http.StatusNotFound, Title: "No such version", Kind: "noVersion", Detail: "This version was let go, or belongs to another reel. The list of versions shows those that are there."}
	case errors.Is(err, store.ErrNoKeySet):
		p = problem{Status: http.StatusNotFound, Title: "No such keys", Kind: "noKeys", Detail: "There is no set of keys of that name any more."}
	case errors.Is(err, store.ErrNothing):
		p = problem{Status: http.StatusUnprocessableEntity, Title: "Nothing there", Kind: "nothing", Detail: "There is no step to go to."}
	case errors.Is(err, media.ErrNoCopy):
		p = problem{Status: http.StatusNotFound, Title: "No such recording", Kind: "noRecording", Detail: "This recording is not in the library at that rate."}
	case errors.Is(err, context.Canceled):
		p = problem{Status: 499, Title: "Stopped", Detail: "The request was stopped."}
	default:
		s.log.Error("request failed", "method", r.Method, "path", r.URL.Path, "error", err)
	}
	writeProblem(w, r, p)
}

func (s *Server) notFound(w http.ResponseWriter, r *http.Request) {
	writeProblem(w, r, problem{Status: http.StatusNotFound, Title: "Nothing here", Detail: "There is nothing at this address. The shelf is at /."})
}

func writeJSON(w http.ResponseWriter, status int, v any) {
	w.Header().Set("Content-Type", "application/json")
	if w.Header().Get("Cache-Control") == "" {
		w.Header().Set("Cache-Control", "no-store")
	}
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(v)
}

// maxJSON bounds the body of a JSON request.
const maxJSON = 4 << 20

// jsonTime is how long a JSON request's body may take to arrive.
const jsonTime = 30 * time.Second

// readJSON reads a request's body strictly.
func readJSON(w http.ResponseWriter, r *http.Request, into any) error {
	_ = http.NewResponseController(w).SetReadDeadline(time.Now().Add(jsonTime))
	d := json.NewDecoder(http.MaxBytesReader(w, r.Body, maxJSON))
	d.DisallowUnknownFields()
	if err := d.Decode(into); err != nil {
		var tooLarge *http.MaxBytesError
		if errors.As(err, &tooLarge) {
			return err
		}
		return badRequest{"The request's JSON is not understood: " + err.Error() + "."}
	}
	return nil
}
