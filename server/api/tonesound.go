package api

import (
	"net/http"

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
	q := answer.Asking(r)
	tone := reel.Tone{
		Source: reel.ID(q.Int("source", 0)), From: q.Int("start", 0), To: q.Int("end", 0), Seed: max(q.Int("seed", 0), 1),
		Room: r.URL.Query().Get("room"),
	}
	from, to, db := q.Int("from", 0), q.Int("to", 0), q.Decibels("gain")
	if err == nil {
		err = q.Err()
	}
	if err == nil {
		err = checkSpan(from, to, v.Reel.Props.SampleRate)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	// Laid on a reel of its own, so that what is heard is what would be laid.
	alone := &reel.Reel{Props: v.Reel.Props, NextID: v.Reel.NextID + 2, Sources: v.Reel.Sources, Tracks: []reel.Track{{ID: v.Reel.NextID, Name: "tone", Role: reel.RoomTone}}}
	lay := &reel.LayTone{Track: v.Reel.NextID, From: 0, To: to, GainDB: db, Tone: tone}
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
func (s *API) grownOf(q *answer.Asked, r *http.Request) (sound.Reader, store.Version) {
	v, err := s.version(r)
	q.Hold(err)
	id := reel.ID(q.Path("source"))
	if q.Err() != nil {
		return nil, v
	}
	src, ok := v.Reel.Source(id)
	if !ok {
		q.Hold(answer.Bad("That source is not in this reel."))
		return nil, v
	}
	reader, err := s.Library.Sound(src, v.Reel.Props.SampleRate)
	q.Hold(err)
	return reader, v
}

// looked is how many samples of a long bucket of tone are looked at: tone is
// even, and a tile of the coarsest buckets would be an hour and a half of it.
const looked = 1024

// getToneOverview sends buckets of an overview of grown tone, computed as they
// are asked for.
func (s *API) getToneOverview(w http.ResponseWriter, r *http.Request) {
	q := answer.Asking(r)
	reader, v := s.grownOf(q, r)
	ch, level, from, count := q.Path("channel"), q.Path("level"), q.Int("from", 0), q.Int("count", 4096)
	err := q.Err()
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
	q := answer.Asking(r)
	reader, v := s.grownOf(q, r)
	ch, from, count := q.Path("channel"), q.Int("from", 0), q.Int("count", 4096)
	err := q.Err()
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
