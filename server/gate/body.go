package gate

import (
	"bytes"
	"errors"
	"io"
	"mime"
	"net/http"
	"strings"
	"time"

	"blendseam/interchange/otio"
	"blendseam/server/answer"
	"blendseam/store"
)

// KeyHeader carries the key of a request that changes something. The same
// request with the same key is done once, however often it comes (after the
// IETF draft "The Idempotency-Key HTTP Header Field").
const KeyHeader = "Idempotency-Key"

// MaxJSON bounds the body of a JSON request.
const MaxJSON = 4 << 20

// bodyTime is how long the body of a request may take to arrive, but for
// files.
const bodyTime = 30 * time.Second

// Body reads the body of a request that writes, within its bounds and its
// time, and marks the request by its key. Bodies are JSON, but for files.
func Body(a *answer.Answers) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			switch r.Method {
			case http.MethodPost, http.MethodPut, http.MethodPatch, http.MethodDelete:
			default:
				next.ServeHTTP(w, r)
				return
			}
			if strings.HasSuffix(r.URL.Path, "/uploads") || strings.HasSuffix(r.URL.Path, "/v1/bundles") {
				next.ServeHTTP(w, r)
				return
			}
			limit, list := int64(MaxJSON), strings.HasSuffix(r.URL.Path, "/lists") || r.Method == http.MethodPost && strings.HasSuffix(r.URL.Path, "/markers")
			if list {
				limit = otio.MostBytes + 1
			}
			key := r.Header.Get(KeyHeader)
			if len(key) > store.MaxKey || strings.ContainsFunc(key, func(c rune) bool { return c <= ' ' || c > '~' }) {
				a.Fail(w, r, answer.Bad("The key of a request is up to 80 printable characters without blanks."))
				return
			}
			kind, _, _ := mime.ParseMediaType(r.Header.Get("Content-Type"))
			if !list && kind != "application/json" && (r.ContentLength != 0 || kind != "") {
				answer.Write(w, r, answer.Problem{Status: http.StatusUnsupportedMediaType, Title: "Not JSON", Kind: "notJSON", Detail: "Changes are sent as application/json."})
				return
			}
			rc := http.NewResponseController(w)
			_ = rc.SetReadDeadline(time.Now().Add(bodyTime))
			body, err := io.ReadAll(http.MaxBytesReader(w, r.Body, limit))
			if err != nil {
				var tooLarge *http.MaxBytesError
				if !errors.As(err, &tooLarge) {
					answer.Write(w, r, answer.Problem{Status: http.StatusRequestTimeout, Title: "Cut off", Kind: "cutOff", Detail: "The request did not arrive whole. Nothing was changed."})
					return
				}
				a.Fail(w, r, err)
				return
			}
			// The end of the wait for a body must not end the work on it.
			_ = rc.SetReadDeadline(time.Time{})
			r.Body = io.NopCloser(bytes.NewReader(body))
			if key != "" {
				r = r.WithContext(store.Once(r.Context(), key, []byte(r.Method), []byte(r.URL.RequestURI()), body))
			}
			next.ServeHTTP(w, r)
		})
	}
}
