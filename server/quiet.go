package server

import (
	"context"
	"net/http"
	"sync"

	"github.com/go-chi/chi/v5"

	"blendseam/core/reel"
	"blendseam/core/roomtone"
	"blendseam/core/sound"
	"blendseam/store"
)

// madeUp are the made-up rooms at the rates that were asked for.
type madeUp struct {
	sync.Mutex
	rooms map[int][]roomtone.Sample
}

// found are the quiet stretches of parts of recordings, kept once they are
// found: a recording never changes.
type found struct {
	mu   sync.Mutex
	kept map[foundKey]roomtone.Found
}

type foundKey struct {
	heard    string // what the source sounds like
	rate     int
	from, to int64
}

// mostFound bounds what is kept, at some 40 kB each.
const mostFound = 500

// find looks for the quiet stretches of a part of a source, or remembers them.
func (s *Server) find(ctx context.Context, src reel.Source, rate int, from, to int64, progress func(float64)) (roomtone.Found, error) {
	key := foundKey{src.Heard(), rate, from, to}
	s.found.mu.Lock()
	have, ok := s.found.kept[key]
	s.found.mu.Unlock()
	if ok {
		return have, nil
	}
	reader, err := s.library.Sound(src, rate)
	if err != nil {
		return have, err
	}
	if have, err = roomtone.Find(ctx, reader, rate, from, to, progress); err != nil {
		return have, err
	}
	s.found.mu.Lock()
	defer s.found.mu.Unlock()
	if s.found.kept == nil || len(s.found.kept) >= mostFound {
		s.found.kept = map[foundKey]roomtone.Found{}
	}
	s.found.kept[key] = have
	return have, nil
}

// finder widens what is asked for to a grid, so that many gaps of one recording
// are filled after few searches of it.
func (s *Server) finder(r *reel.Reel) roomtone.Finder {
	rate := r.Props.SampleRate
	grid := 30 * int64(rate)
	return func(ctx context.Context, src reel.Source, from, to int64) (roomtone.Found, error) {
		return s.find(ctx, src, rate, max(from, 0)/grid*grid, min((to/grid+1)*grid, src.Length), func(float64) {})
	}
}

// quietOf are the quiet stretches of one source.
type quietOf struct {
	Source reel.ID `json:"source"`
	roomtone.Found
}

// getQuiet finds the quiet stretches of a source, or of all.
func (s *Server) getQuiet(w http.ResponseWriter, r *http.Request) {
	v, err := s.version(r)
	var one int64
	if err == nil {
		one, err = queryInt(r, "source", 0)
	}
	var sources []reel.Source
	if err == nil {
		for _, src := range v.Reel.Sources {
			if heard := !src.Bed.Grown() && !src.Shows() && !src.Missing(); heard && (!src.Unlisted && one == 0 || src.ID == reel.ID(one)) {
				sources = append(sources, src)
			}
		}
		if len(sources) == 0 {
			err = badRequest{"That source is not in this reel."}
		}
	}
	name := r.URL.Query().Get("name")
	if len(name) > 80 {
		err = badRequest{"The name of a search is too long."}
	}
	out := make([]quietOf, 0, len(sources))
	told := -1.0
	for i, src := range sources {
		if err != nil {
			break
		}
		var f roomtone.Found
		f, err = s.find(r.Context(), src, v.Reel.Props.SampleRate, 0, src.Length, func(p float64) {
			if p = (float64(i) + p) / float64(len(sources)); p >= told+0.02 && name != "" {
				told = p
				s.hub.publish(v.ID, event{"quiet", map[string]any{"name": name, "progress": p}})
			}
		})
		out = append(out, quietOf{src.ID, f})
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	writeJSON(w, http.StatusOK, map[string]any{"sources": out})
}

// strikeOf is the struck span that the path names.
func (s *Server) strikeOf(r *http.Request) (store.Version, reel.Strike, error) {
	v, err := s.version(r)
	if err != nil {
		return v, reel.Strike{}, err
	}
	id, err := pathInt(r, "strike")
	if err != nil {
		return v, reel.Strike{}, err
	}
	k, ok := v.Reel.Strike(reel.ID(id))
	if !ok {
		return v, k, badRequest{"That strike is gone."}
	}
	return v, k, nil
}

// grownOf is the source of room tone that the path names, and its sound.
func (s *Server) grownOf(r *http.Request) (sound.Reader, store.Version, error) {
	v, err := s.version(r)
	if err != nil {
		return nil, v, err
	}
	id, err := pathInt(r, "source")
	if err != nil {
		return nil, v, err
	}
	src, ok := v.Reel.Source(reel.ID(id))
	if !ok {
		return nil, v, badRequest{"That source is not in this reel."}
	}
	reader, err := s.library.Sound(src, v.Reel.Props.SampleRate)
	return reader, v, err
}

// looked is how many samples of a long bucket of tone are looked at: tone is
// even, and a tile of the coarsest buckets would be an hour and a half of it.
const looked = 1024

// getToneOverview sends buckets of an overview of grown tone, computed as they
// are asked for.
func (s *Server) getToneOverview(w http.ResponseWriter, r *http.Request) {
	reader, v, err := s.grownOf(r)
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
		count, err = queryInt(r, "count", 4096)
	}
	if err == nil && (level >= sound.Levels || from < 0 || ch >= int64(reader.Channels())) {
		err = badRequest{"There is no such level of an overview."}
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	if r.URL.Query().Get("uid") == v.UID && immutable(w, r, "tone-"+v.UID+chi.URLParam(r, "source")+"-"+r.URL.Path+"-"+r.URL.RawQuery) {
		return
	}
	size := sound.BucketSamples(int(level))
	count = min(count, 4096, max(sound.Buckets(reader.Len(), int(level))-from, 0))
	part := make([]float32, min(size, looked))
	w.Header().Set("Content-Type", "application/octet-stream")
	var out []byte
	for k := from; k < from+count && r.Context().Err() == nil; k++ {
		if err := reader.ReadAt(part, int(ch), k*size); err != nil {
			s.log.Warn("an overview of tone ended early", "reel", v.ID, "error", err)
			break
		}
		out = sound.AppendBucket(out, part)
	}
	_, _ = w.Write(out)
}

// getToneSamples sends samples of grown tone, for drawing single ones.
func (s *Server) getToneSamples(w http.ResponseWriter, r *http.Request) {
	reader, v, err := s.grownOf(r)
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
		err = checkSpan(from, from+count, v.Reel.Props.SampleRate)
	}
	if err == nil && ch >= int64(reader.Channels()) {
		err = badRequest{"There is no such channel."}
	}
	var v32 []float32
	if err == nil {
		v32 = make([]float32, count)
		err = reader.ReadAt(v32, int(ch), from)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	writeSamples(w, v32)
}
