package api

import (
	"net/http"
	"strconv"

	"github.com/go-chi/chi/v5"

	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/server/answer"
	"blendseam/store"
)

// getTone sends the sound of a bed, so that it is heard before it is laid.
func (s *API) getTone(w http.ResponseWriter, r *http.Request) {
	v, err := s.version(r)
	var n [4]int64
	for i, name := range []string{"source", "start", "end", "seed"} {
		if err == nil {
			n[i], err = answer.QueryInt(r, name, 0)
		}
	}
	var from, to int64
	if err == nil {
		from, err = answer.QueryInt(r, "from", 0)
	}
	if err == nil {
		to, err = answer.QueryInt(r, "to", 0)
	}
	if err == nil {
		err = checkSpan(from, to, v.Reel.Props.SampleRate)
	}
	db := 0.0
	if text := r.URL.Query().Get("gain"); text != "" && err == nil {
		if db, err = strconv.ParseFloat(text, 64); err != nil {
			err = answer.Bad("“gain” has to be a number of dB.")
		}
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	// Laid on a reel of its own, so that what is heard is what would be laid.
	alone := &reel.Reel{Props: v.Reel.Props, NextID: v.Reel.NextID + 2, Sources: v.Reel.Sources, Tracks: []reel.Track{{ID: v.Reel.NextID, Name: "tone", Role: reel.RoomTone}}}
	lay := &reel.LayTone{Track: v.Reel.NextID, From: 0, To: to, GainDB: db, Tone: reel.Tone{Source: reel.ID(n[0]), From: n[1], To: n[2], Seed: max(n[3], 1), Room: r.URL.Query().Get("room")}}
	at, err := lay.Apply(alone)
	var m *mix.Mix
	if err == nil {
		m, err = s.mixOf(at.Reel, mix.Options{})
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	w.Header().Set("Cache-Control", "no-store")
	s.streamPCM(w, r, from, to, m.Render)
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
