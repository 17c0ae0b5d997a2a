package api

import (
	"net/http"

	"github.com/go-chi/chi/v5"

	"blendseam/core/reel"
	"blendseam/core/roomtone"
	"blendseam/core/sound"
	"blendseam/server/answer"
	"blendseam/store"
)

// QuietOf are the quiet stretches of one source.
type QuietOf struct {
	Source reel.ID `json:"source"`
	roomtone.Found
}

// getQuiet finds the quiet stretches of a source, or of all.
func (s *API) getQuiet(w http.ResponseWriter, r *http.Request) {
	v, err := s.version(r)
	var one int64
	if err == nil {
		one, err = answer.QueryInt(r, "source", 0)
	}
	var sources []reel.Source
	if err == nil {
		for _, src := range v.Reel.Sources {
			if heard := !src.Bed.Grown() && !src.Shows() && !src.Missing(); heard && (!src.Unlisted && one == 0 || src.ID == reel.ID(one)) {
				sources = append(sources, src)
			}
		}
		if len(sources) == 0 {
			err = answer.Bad("That source is not in this reel.")
		}
	}
	name := r.URL.Query().Get("name")
	if len(name) > 80 {
		err = answer.Bad("The name of a search is too long.")
	}
	out := make([]QuietOf, 0, len(sources))
	told := -1.0
	for i, src := range sources {
		if err != nil {
			break
		}
		var f roomtone.Found
		f, err = s.Quiet.Find(r.Context(), src, v.Reel.Props.SampleRate, 0, src.Length, func(p float64) {
			if p = (float64(i) + p) / float64(len(sources)); p >= told+0.02 && name != "" {
				told = p
				s.Live.Tell(v.ID, "quiet", map[string]any{"name": name, "progress": p})
			}
		})
		out = append(out, QuietOf{src.ID, f})
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	answer.JSON(w, http.StatusOK, map[string]any{"sources": out})
}

// strikeOf is the struck span that the path names.
func (s *API) strikeOf(r *http.Request) (store.Version, reel.Strike, error) {
	v, err := s.version(r)
	if err != nil {
		return v, reel.Strike{}, err
	}
	id, err := answer.PathInt(r, "strike")
	if err != nil {
		return v, reel.Strike{}, err
	}
	k, ok := v.Reel.Strike(reel.ID(id))
	if !ok {
		return v, k, answer.Bad("That strike is gone.")
	}
	return v, k, nil
}

// grownOf is the source of room tone that the path names, and its sound.
func (s *API) grownOf(r *http.Request) (sound.Reader, store.Version, error) {
	v, err := s.version(r)
	if err != nil {
		return nil, v, err
	}
	id, err := answer.PathInt(r, "source")
	if err != nil {
		return nil, v, err
	}
	src, ok := v.Reel.Source(reel.ID(id))
	if !ok {
		return nil, v, answer.Bad("That source is not in this reel.")
	}
	reader, err := s.Library.Sound(src, v.Reel.Props.SampleRate)
	return reader, v, err
}

// looked is how many samples of a long bucket of tone are looked at: tone is
// even, and a tile of the coarsest buckets would be an hour and a half of it.
const looked = 1024

// getToneOverview sends buckets of an overview of grown tone, computed as they
// are asked for.
func (s *API) getToneOverview(w http.ResponseWriter, r *http.Request) {
	reader, v, err := s.grownOf(r)
	var ch, level, from, count int64
	if err == nil {
		ch, err = answer.PathInt(r, "channel")
	}
	if err == nil {
		level, err = answer.PathInt(r, "level")
	}
	if err == nil {
		from, err = answer.QueryInt(r, "from", 0)
	}
	if err == nil {
		count, err = answer.QueryInt(r, "count", 4096)
	}
	if err == nil && (level >= sound.Levels || from < 0 || ch >= int64(reader.Channels())) {
		err = answer.Bad("There is no such level of an overview.")
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	if r.URL.Query().Get("uid") == v.UID && answer.Immutable(w, r, "tone-"+v.UID+chi.URLParam(r, "source")+"-"+r.URL.Path+"-"+r.URL.RawQuery) {
		return
	}
	size := sound.BucketSamples(int(level))
	count = min(count, 4096, max(sound.Buckets(reader.Len(), int(level))-from, 0))
	part := make([]float32, min(size, looked))
	w.Header().Set("Content-Type", "application/octet-stream")
	var out []byte
	for k := from; k < from+count && r.Context().Err() == nil; k++ {
		if err := reader.ReadAt(part, int(ch), k*size); err != nil {
			s.Log.Warn("an overview of tone ended early", "reel", v.ID, "error", err)
			break
		}
		out = sound.AppendBucket(out, part)
	}
	_, _ = w.Write(out)
}

// getToneSamples sends samples of grown tone, for drawing single ones.
func (s *API) getToneSamples(w http.ResponseWriter, r *http.Request) {
	reader, v, err := s.grownOf(r)
	var ch, from, count int64
	if err == nil {
		ch, err = answer.PathInt(r, "channel")
	}
	if err == nil {
		from, err = answer.QueryInt(r, "from", 0)
	}
	if err == nil {
		count, err = answer.QueryInt(r, "count", 4096)
	}
	if err == nil {
		err = checkSpan(from, from+count, v.Reel.Props.SampleRate)
	}
	if err == nil && ch >= int64(reader.Channels()) {
		err = answer.Bad("There is no such channel.")
	}
	var v32 []float32
	if err == nil {
		v32 = make([]float32, count)
		err = reader.ReadAt(v32, int(ch), from)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	writeSamples(w, v32)
}
