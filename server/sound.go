package server

import (
	"context"
	"fmt"
	"net/http"
	"strconv"

	"github.com/go-chi/chi/v5"

	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/media"
)

// maxSpan bounds one answer of PCM, in seconds.
const maxSpan = 30

// getPCM renders a span of the reel as interleaved stereo float32.
func (s *Server) getPCM(w http.ResponseWriter, r *http.Request) {
	v, err := s.version(r)
	var from, to, hard, revision int64
	o := mix.Options{}
	if err == nil {
		from, err = queryInt(r, "from", 0)
	}
	if err == nil {
		to, err = queryInt(r, "to", 0)
	}
	if err == nil {
		revision, err = queryInt(r, "revision", 0)
	}
	if err == nil {
		hard, err = queryInt(r, "hardCut", 0)
	}
	if err == nil {
		o.Silent, err = queryIDs(r, "silent")
	}
	var unstruck, bare int64
	if err == nil {
		unstruck, err = queryInt(r, "unstruck", 0)
	}
	if err == nil {
		bare, err = queryInt(r, "bare", 0)
	}
	o.Unstruck, o.Bare = reel.ID(unstruck), reel.ID(bare)
	if err == nil {
		err = checkSpan(from, to, v.Reel.Props.SampleRate)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	w.Header().Set("Cache-Control", "no-store")
	w.Header().Set("X-Revision", strconv.FormatInt(v.Revision, 10))
	// A browser keeps it only for the very reel: another database may have one of
	// the same number at the same revision.
	if revision == v.Revision && r.URL.Query().Get("uid") == v.UID && immutable(w, r, fmt.Sprintf("%s-%d-%s", v.UID, v.Revision, r.URL.RawQuery)) {
		return
	}
	o.HardCut = reel.ID(hard)
	at, err := s.heard(r.Context(), r, v)
	var m *mix.Mix
	if err == nil {
		m, err = s.mixOf(at, o)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.streamPCM(w, r, from, to, m.Render)
}

// streamBlock is how many samples of an answer are held at a time: one who
// asks and does not read must not hold half a minute of sound in memory.
const streamBlock = 1 << 14

// streamPCM sends a span of two channels as interleaved little-endian float32,
// block by block.
func (s *Server) streamPCM(w http.ResponseWriter, r *http.Request, from, to int64, render func(ctx context.Context, left, right []float32, from int64) error) {
	n := min(streamBlock, to-from)
	left, right, out := make([]float32, n), make([]float32, n), make([]float32, 2*n)
	for at := from; at < to; at += n {
		n := min(n, to-at)
		if err := render(r.Context(), left[:n], right[:n], at); err != nil {
			if at > from { // its head is sent: all that can be told is that it ends early
				s.log.Warn("sound ended early", "path", r.URL.Path, "error", err)
				panic(http.ErrAbortHandler)
			}
			w.Header().Set("Cache-Control", "no-store")
			s.fail(w, r, err)
			return
		}
		if at == from {
			w.Header().Set("Content-Type", "application/octet-stream")
			w.Header().Set("Content-Length", strconv.FormatInt(8*(to-from), 10))
		}
		for i := range n {
			out[2*i], out[2*i+1] = left[i], right[i]
		}
		if _, err := w.Write(media.Bytes(out[:2*n])); err != nil {
			return
		}
	}
}

func checkSpan(from, to int64, rate int) error {
	if to <= from || to-from > maxSpan*int64(rate) || from < -maxSpan*int64(rate) {
		return badRequest{fmt.Sprintf("A span of sound runs from one sample to a later one, %d seconds on at most.", maxSpan)}
	}
	return nil
}

func writeSamples(w http.ResponseWriter, v []float32) {
	w.Header().Set("Content-Type", "application/octet-stream")
	w.Header().Set("Content-Length", strconv.Itoa(4*len(v)))
	_, _ = w.Write(media.Bytes(v))
}

// immutable marks an answer that will never differ, and answers itself when
// the browser has it already.
func immutable(w http.ResponseWriter, r *http.Request, tag string) bool {
	tag = strconv.Quote(tag)
	w.Header().Set("ETag", tag)
	w.Header().Set("Cache-Control", "private, max-age=31536000, immutable")
	if r.Header.Get("If-None-Match") == tag {
		w.WriteHeader(http.StatusNotModified)
		return true
	}
	return false
}

// working is the working copy that the path names.
func (s *Server) working(r *http.Request) (*media.Copy, string, int, error) {
	hash := chi.URLParam(r, "hash")
	rate, err := pathInt(r, "rate")
	if err != nil {
		return nil, "", 0, err
	}
	c, err := s.library.Copy(hash, int(rate))
	return c, hash, int(rate), err
}

// getOverview sends buckets of a level of a channel's overview.
func (s *Server) getOverview(w http.ResponseWriter, r *http.Request) {
	c, hash, rate, err := s.working(r)
	var ch, level, from, count int64
	if err == nil {
		ch, err = pathInt(r, "channel")
	}
	if err == nil {
		level, err = pathInt(r, "level")
	}
	if err == nil {
		from, err = queryInt(r, "from", 0)
	}
	if err == nil {
		count, err = queryInt(r, "count", 1<<16)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	b, err := c.Overview(int(ch), int(level), from, min(count, 1<<18))
	if err != nil {
		s.fail(w, r, badRequest{upperFirst(err.Error()) + "."})
		return
	}
	if immutable(w, r, fmt.Sprintf("%s-%d-%d-%d-%d-%d", hash, rate, ch, level, from, count)) {
		return
	}
	w.Header().Set("Content-Type", "application/octet-stream")
	w.Header().Set("Content-Length", strconv.Itoa(len(b)))
	_, _ = w.Write(b)
}

// getSamples sends samples of one channel, for drawing single ones.
func (s *Server) getSamples(w http.ResponseWriter, r *http.Request) {
	c, hash, rate, err := s.working(r)
	var ch, from, count int64
	if err == nil {
		ch, err = pathInt(r, "channel")
	}
	if err == nil {
		from, err = queryInt(r, "from", 0)
	}
	if err == nil {
		count, err = queryInt(r, "count", 4096)
	}
	if err == nil {
		err = checkSpan(from, from+count, rate)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	if immutable(w, r, fmt.Sprintf("%s-%d-%d-%d-%d", hash, rate, ch, from, count)) {
		return
	}
	v := make([]float32, count)
	if err := c.ReadAt(v, int(ch), from); err != nil {
		w.Header().Del("ETag")
		s.fail(w, r, badRequest{upperFirst(err.Error()) + "."})
		return
	}
	writeSamples(w, v)
}

// getRecordingPCM sends a stretch of a recording, for listening to a source.
func (s *Server) getRecordingPCM(w http.ResponseWriter, r *http.Request) {
	c, hash, rate, err := s.working(r)
	var from, to, left, right int64
	if err == nil {
		from, err = queryInt(r, "from", 0)
	}
	if err == nil {
		to, err = queryInt(r, "to", 0)
	}
	if err == nil {
		left, err = queryInt(r, "left", 0)
	}
	if err == nil {
		right, err = queryInt(r, "right", -1)
	}
	if err == nil {
		err = checkSpan(from, to, rate)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	if immutable(w, r, fmt.Sprintf("%s-%d-%d-%d-%d-%d", hash, rate, from, to, left, right)) {
		return
	}
	if left < 0 || left >= int64(c.Channels()) || right >= int64(c.Channels()) {
		s.fail(w, r, badRequest{fmt.Sprintf("This recording has channels 0 to %d.", c.Channels()-1)})
		return
	}
	var reader sound.Reader = media.Pick(c, int(left), int(right))
	s.streamPCM(w, r, from, to, func(_ context.Context, left, right []float32, from int64) error {
		if err := reader.ReadAt(left, 0, from); err != nil {
			return err
		}
		if reader.Channels() == 1 {
			copy(right, left)
			return nil
		}
		return reader.ReadAt(right, 1, from)
	})
}
