package api

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strconv"

	"github.com/go-chi/chi/v5"

	"blendseam/core/mix"
	"blendseam/core/pace"
	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/media"
	"blendseam/server/answer"
)

// maxSpan bounds one answer of PCM, in seconds.
const maxSpan = 30

// getPCM renders a span of the reel as interleaved stereo float32.
func (s *API) getPCM(w http.ResponseWriter, r *http.Request) {
	v, err := s.version(r)
	q := answer.Asking(r)
	from, to, revision := q.Int("from", 0), q.Int("to", 0), q.Int("revision", 0)
	o := mix.Options{
		HardCut: reel.ID(q.Int("hardCut", 0)), Unstruck: reel.ID(q.Int("unstruck", 0)), Bare: reel.ID(q.Int("bare", 0)),
		Silent: q.IDs("silent"), Untreated: q.IDs("untreated"),
	}
	speed, start := q.Speed("speed"), q.Int("start", 0)
	if err == nil {
		err = q.Err()
	}
	if why := pace.Check(speed); err == nil && why != nil {
		err = answer.Bad(answer.UpperFirst(why.Error()) + ".")
	}
	if err == nil {
		err = checkSpan(from, to, v.Reel.Props.SampleRate)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	w.Header().Set("Cache-Control", "no-store")
	w.Header().Set("X-Revision", strconv.FormatInt(v.Revision, 10))
	// A browser keeps it only for the very reel: another database may have one of
	// the same number at the same revision. What nobody has now may be there later.
	whole := revision == v.Revision && r.URL.Query().Get("uid") == v.UID && !slices.ContainsFunc(v.Reel.Sources, s.gone(v.Reel))
	if whole && answer.Immutable(w, r, fmt.Sprintf("%s-%d-%s", v.UID, v.Revision, r.URL.RawQuery)) {
		return
	}
	name := s.mixes.name(v, r.URL.Query().Get("trial"), r.URL.Query().Get("before"), o)
	m := s.mixes.take(name)
	if m == nil {
		at, err := s.heard(r.Context(), r, v)
		if err == nil {
			m, err = s.mixOf(at, o)
		}
		if err != nil {
			s.Fail(w, r, err)
			return
		}
	}
	render := m.Render
	if speed != 1 {
		render = func(ctx context.Context, left, right []float32, from int64) error {
			at := pace.New(func(left, right []float32, from int64) error { return m.Render(ctx, left, right, from) }, v.Reel.Props.SampleRate, start, speed)
			return at.Read(left, right, from)
		}
	}
	if s.streamPCM(w, r, from, to, render) {
		s.mixes.keep(name, m)
	}
}

// streamBlock is how many samples of an answer are held at a time: one who
// asks and does not read must not hold half a minute of sound in memory.
const streamBlock = 1 << 14

// streamPCM sends a span of two channels as interleaved little-endian float32,
// block by block, and reports whether all of it was sent.
func (s *API) streamPCM(w http.ResponseWriter, r *http.Request, from, to int64, render func(ctx context.Context, left, right []float32, from int64) error) bool {
	n := min(streamBlock, to-from)
	left, right, out := make([]float32, n), make([]float32, n), make([]float32, 2*n)
	for at := from; at < to; at += n {
		n := min(n, to-at)
		if err := render(r.Context(), left[:n], right[:n], at); err != nil {
			if at > from { // its head is sent: all that can be told is that it ends early
				s.Log.Warn("sound ended early", "path", r.URL.Path, "error", err)
				panic(http.ErrAbortHandler)
			}
			w.Header().Set("Cache-Control", "no-store")
			s.Fail(w, r, err)
			return false
		}
		if at == from {
			w.Header().Set("Content-Type", "application/octet-stream")
			w.Header().Set("Content-Length", strconv.FormatInt(8*(to-from), 10))
		}
		for i := range n {
			out[2*i], out[2*i+1] = left[i], right[i]
		}
		if _, err := w.Write(media.Bytes(out[:2*n])); err != nil {
			return false
		}
	}
	return true
}

func checkSpan(from, to int64, rate int) error {
	if to <= from || to-from > maxSpan*int64(rate) || from < -maxSpan*int64(rate) {
		return answer.Bad(fmt.Sprintf("A span of sound runs from one sample to a later one, %d seconds on at most.", maxSpan))
	}
	return nil
}

func writeSamples(w http.ResponseWriter, v []float32) {
	w.Header().Set("Content-Type", "application/octet-stream")
	w.Header().Set("Content-Length", strconv.Itoa(4*len(v)))
	_, _ = w.Write(media.Bytes(v))
}

// working is the working copy that the path names, with its hash and rate.
func (s *API) working(q *answer.Asked, r *http.Request) (*media.Copy, string, int) {
	hash, rate := chi.URLParam(r, "hash"), int(q.Path("rate"))
	if q.Err() != nil {
		return nil, hash, rate
	}
	c, err := s.Library.Copy(hash, rate)
	q.Hold(err)
	return c, hash, rate
}

// getOverview sends buckets of a level of a channel's overview.
func (s *API) getOverview(w http.ResponseWriter, r *http.Request) {
	q := answer.Asking(r)
	c, hash, rate := s.working(q, r)
	ch, level, from, count := q.Path("channel"), q.Path("level"), q.Int("from", 0), q.Int("count", 1<<16)
	if err := q.Err(); err != nil {
		s.Fail(w, r, err)
		return
	}
	b, err := c.Overview(int(ch), int(level), from, min(count, 1<<18))
	if err != nil {
		s.Fail(w, r, answer.Bad(answer.UpperFirst(err.Error())+"."))
		return
	}
	if answer.Immutable(w, r, fmt.Sprintf("%s-%d-%d-%d-%d-%d", hash, rate, ch, level, from, count)) {
		return
	}
	w.Header().Set("Content-Type", "application/octet-stream")
	w.Header().Set("Content-Length", strconv.Itoa(len(b)))
	_, _ = w.Write(b)
}

// getSamples sends samples of one channel, for drawing single ones.
func (s *API) getSamples(w http.ResponseWriter, r *http.Request) {
	q := answer.Asking(r)
	c, hash, rate := s.working(q, r)
	ch, from, count := q.Path("channel"), q.Int("from", 0), q.Int("count", 4096)
	q.Hold(checkSpan(from, from+count, rate))
	if err := q.Err(); err != nil {
		s.Fail(w, r, err)
		return
	}
	if answer.Immutable(w, r, fmt.Sprintf("%s-%d-%d-%d-%d", hash, rate, ch, from, count)) {
		return
	}
	v := make([]float32, count)
	if err := c.ReadAt(v, int(ch), from); err != nil {
		w.Header().Del("ETag")
		s.Fail(w, r, answer.Bad(answer.UpperFirst(err.Error())+"."))
		return
	}
	writeSamples(w, v)
}

// getRecordingPCM sends a stretch of a recording, for listening to a source.
func (s *API) getRecordingPCM(w http.ResponseWriter, r *http.Request) {
	q := answer.Asking(r)
	c, hash, rate := s.working(q, r)
	from, to, left, right := q.Int("from", 0), q.Int("to", 0), q.Int("left", 0), q.Int("right", -1)
	q.Hold(checkSpan(from, to, rate))
	if err := q.Err(); err != nil {
		s.Fail(w, r, err)
		return
	}
	if answer.Immutable(w, r, fmt.Sprintf("%s-%d-%d-%d-%d-%d", hash, rate, from, to, left, right)) {
		return
	}
	if left < 0 || left >= int64(c.Channels()) || right >= int64(c.Channels()) {
		s.Fail(w, r, answer.Bad(fmt.Sprintf("This recording has channels 0 to %d.", c.Channels()-1)))
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
