package gate

import (
	"context"
	"io"
	"net/http"
	"time"
)

// A reader that stalls, or a sender, must not hold what the server keeps for
// it: each piece of an answer has to be taken within a time, and each piece of
// a file has to come within one.

// Times are how long is waited for the other side.
type Times struct {
	Write time.Duration // for a piece of an answer to be taken
	Read  time.Duration // for the next piece of a file to come
}

// Usual are the times that a server gives.
var Usual = Times{Write: 30 * time.Second, Read: 60 * time.Second}

// Patience gives each write of an answer its time.
func (t Times) Patience(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		p := &patient{ResponseWriter: w, rc: http.NewResponseController(w), most: t.Write}
		next.ServeHTTP(p, r)
		p.wait() // what is still in a buffer has its time as well
	})
}

type patient struct {
	http.ResponseWriter
	rc   *http.ResponseController
	most time.Duration
}

func (p *patient) wait() { _ = p.rc.SetWriteDeadline(time.Now().Add(p.most)) }

// Write implements http.ResponseWriter. A large piece goes out in smaller ones,
// so that a slow reader has time for each.
func (p *patient) Write(b []byte) (int, error) {
	done := 0
	for {
		part := b[done:min(done+pieceBytes, len(b))]
		p.wait()
		n, err := p.ResponseWriter.Write(part)
		done += n
		if err != nil || done == len(b) {
			return done, err
		}
	}
}

// pieceBytes is what a reader has its time for: over 8 KB a second.
const pieceBytes = 256 << 10

// Unwrap lets http.ResponseController find the writer beneath.
func (p *patient) Unwrap() http.ResponseWriter { return p.ResponseWriter }

// Flush implements http.Flusher.
func (p *patient) Flush() {
	p.wait()
	_ = p.rc.Flush()
}

// Body gives a file that comes its time, piece by piece, until the context ends.
func (t Times) Body(ctx context.Context, w http.ResponseWriter, body io.Reader) io.Reader {
	return stalling{body, ctx, http.NewResponseController(w), t.Read}
}

// stalling gives each piece of a body its time, until the context ends: then
// whoever ends it wakes it by a time that is past.
type stalling struct {
	io.Reader
	ctx  context.Context
	rc   *http.ResponseController
	most time.Duration
}

func (s stalling) Read(b []byte) (int, error) {
	_ = s.rc.SetReadDeadline(time.Now().Add(s.most))
	if err := s.ctx.Err(); err != nil { // it may have been woken just before
		_ = s.rc.SetReadDeadline(time.Now())
		return 0, err
	}
	n, err := s.Reader.Read(b)
	if err == io.EOF {
		_ = s.rc.SetReadDeadline(time.Time{}) // the work on it is not to end with the wait for it
	}
	return n, err
}
