package api

import (
	"encoding/binary"
	"fmt"
	"net/http"

	"github.com/go-chi/chi/v5"

	"blendseam/media"
	"blendseam/server/answer"
)

// mostFramesSent bounds one answer.
const mostFramesSent = 240

// getFrames sends frames of a picture: each a length of four bytes, the lowest
// first, and then that much of a JPEG. They never change.
func (s *API) getFrames(w http.ResponseWriter, r *http.Request) {
	hash := chi.URLParam(r, "hash")
	q := answer.Asking(r)
	from, count, step := q.Int("from", 0), q.Int("count", 1), q.Int("step", 1)
	err := q.Err()
	if err == nil && (from < 0 || count < 1 || count > mostFramesSent || step < 1 || step > 1<<30) {
		err = answer.Bad(fmt.Sprintf("Frames are asked for from one on, %d at most, with a step of one or more.", mostFramesSent))
	}
	var frames *media.Frames
	if err == nil {
		frames, err = s.Library.Frames(hash)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	// Frames that are lacking may come yet.
	if frames.Lacking() == 0 && answer.Immutable(w, r, hash[:16]+"-"+r.URL.RawQuery) {
		return
	}
	w.Header().Set("Content-Type", "application/octet-stream")
	for n := from; n < min(from+count*step, frames.Count()); n += step {
		b, err := frames.Frame(n)
		if err != nil {
			return // the answer is shorter than was asked for
		}
		var size [4]byte
		binary.LittleEndian.PutUint32(size[:], uint32(len(b)))
		if _, err := w.Write(append(size[:], b...)); err != nil {
			return
		}
	}
}
