package api

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/roomtone"
	"blendseam/server/answer"
)

// Offered is tone that could go to a place, with the edit that lays it there.
type Offered struct {
	roomtone.Candidate
	Edit json.RawMessage `json:"edit"`
}

// others are what tone can be taken from besides what is found: the reel's
// swatches and the made-up rooms.
func (s *API) others(r *reel.Reel) []roomtone.Sample {
	return append(roomtone.Kept(r, s.opener(r.Props.SampleRate)), s.Quiet.Rooms(r.Props.SampleRate)...)
}

// offers writes candidates with the edits that take them.
func offers(all []roomtone.Candidate, edit func(roomtone.Candidate) reel.Edit) ([]Offered, error) {
	out := make([]Offered, 0, len(all))
	for _, c := range all {
		text, err := reel.Encode(edit(c))
		if err != nil {
			return nil, err
		}
		out = append(out, Offered{c, text})
	}
	return out, nil
}

// getCovers ranks tone for a struck span, the likest first.
func (s *API) getCovers(w http.ResponseWriter, r *http.Request) {
	v, k, err := s.strikeOf(r)
	var all []roomtone.Candidate
	if err == nil {
		rate := v.Reel.Props.SampleRate
		all, err = roomtone.ForStrike(r.Context(), v.Reel, s.opener(rate), s.Quiet.Finder(v.Reel), k, s.others(v.Reel), r.URL.Query().Get("tint") != "")
	}
	var out []Offered
	if err == nil {
		out, err = offers(all, func(c roomtone.Candidate) reel.Edit { return c.Cover(k.ID) })
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	src, _ := v.Reel.Source(k.Cover.Source)
	answer.JSON(w, http.StatusOK, map[string]any{"revision": v.Revision, "covers": out, "now": which(all, src)})
}

// which of the candidates a source was grown of, −1 for none.
func which(all []roomtone.Candidate, src reel.Source) int {
	return slices.IndexFunc(all, func(c roomtone.Candidate) bool { return c.Of(src) })
}

// getTones ranks other tone for a clip of tone.
func (s *API) getTones(w http.ResponseWriter, r *http.Request) {
	v, err := s.version(r)
	var id int64
	if err == nil {
		id, err = answer.PathInt(r, "clip")
	}
	var clip reel.Clip
	if err == nil {
		var there bool
		if clip, there = v.Reel.Clip(reel.ID(id)); !there {
			err = answer.Bad("That clip is gone.")
		}
	}
	var all []roomtone.Candidate
	if err == nil {
		all, err = roomtone.ForLaid(r.Context(), v.Reel, s.opener(v.Reel.Props.SampleRate), s.Quiet.Finder(v.Reel), clip, s.others(v.Reel), r.URL.Query().Get("tint") != "")
	}
	var out []Offered
	if err == nil {
		out, err = offers(all, func(c roomtone.Candidate) reel.Edit { return c.Instead(clip.ID) })
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	src, _ := v.Reel.Source(clip.Source)
	answer.JSON(w, http.StatusOK, map[string]any{"revision": v.Revision, "tones": out, "now": which(all, src)})
}

// getTighter proposes edges for a struck span: where its sound rises from the
// room and sinks to it.
func (s *API) getTighter(w http.ResponseWriter, r *http.Request) {
	v, k, err := s.strikeOf(r)
	var from, to int64
	var ok bool
	if err == nil {
		from, to, ok, err = roomtone.Tighter(v.Reel, s.opener(v.Reel.Props.SampleRate), k)
	}
	if err == nil && !ok {
		err = answer.Bad("Nothing in the strike is louder than the room: no edges to snap to.")
	}
	var text json.RawMessage
	if err == nil {
		text, err = reel.Encode(&reel.SetStrike{Strike: k.ID, From: &from, To: &to})
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	answer.JSON(w, http.StatusOK, map[string]any{"revision": v.Revision, "from": from, "to": to, "edit": text})
}

// FillQuery names gaps to fill.
type FillQuery struct {
	Gaps []struct {
		Track  reel.ID `json:"track"`
		From   int64   `json:"from"`
		To     int64   `json:"to"`
		Choice int     `json:"choice"` // which of the candidates, the likest first
	} `json:"gaps"`
	Tint bool `json:"tint"` // colour is brought to the rooms' too
}

// Filled is what is proposed for one gap.
type Filled struct {
	Track  reel.ID         `json:"track"`
	From   int64           `json:"from"`
	To     int64           `json:"to"`
	Says   string          `json:"says,omitempty"`
	Why    string          `json:"why,omitempty"`
	Glides bool            `json:"glides"`
	Before float64         `json:"before"` // dBFS, the room on both sides
	After  float64         `json:"after"`
	Edit   json.RawMessage `json:"edit,omitempty"`
}

// mostFills bounds the gaps of one request.
const mostFills = 2000

// postFills proposes tone for gaps. It changes nothing.
func (s *API) postFills(w http.ResponseWriter, r *http.Request) {
	var in FillQuery
	v, err := s.version(r)
	if err == nil {
		err = answer.ReadJSON(r, &in)
	}
	if err == nil && (len(in.Gaps) == 0 || len(in.Gaps) > mostFills) {
		err = answer.Bad(fmt.Sprintf("1 to %d gaps are filled at once.", mostFills))
	}
	out := []Filled{}
	var others []roomtone.Sample
	if err == nil {
		others = s.others(v.Reel)
	}
	for _, g := range in.Gaps {
		if err != nil {
			break
		}
		rate := v.Reel.Props.SampleRate
		var f roomtone.Fill
		if f, err = roomtone.ForGap(r.Context(), v.Reel, s.opener(rate), s.Quiet.Finder(v.Reel), reel.Gap{Track: g.Track, From: g.From, To: g.To}, others, max(g.Choice, 0), in.Tint); err != nil {
			break
		}
		one := Filled{Track: g.Track, From: g.From, To: g.To, Why: f.Why, Glides: f.Glides, Before: f.Before.Level, After: f.After.Level}
		if f.Edit != nil {
			one.Says = f.Tone.Says
			if !strings.Contains(one.Says, f.Tone.Name) {
				one.Says = f.Tone.Name + ", " + one.Says
			}
			one.Edit, err = reel.Encode(f.Edit)
		}
		out = append(out, one)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	answer.JSON(w, http.StatusOK, map[string]any{"revision": v.Revision, "fills": out})
}

// getBed ranks tone to lie under a scene on a track.
func (s *API) getBed(w http.ResponseWriter, r *http.Request) {
	v, err := s.version(r)
	var track, from, to int64
	if err == nil {
		track, err = answer.QueryInt(r, "track", 0)
	}
	if err == nil {
		from, err = answer.QueryInt(r, "from", 0)
	}
	if err == nil {
		to, err = answer.QueryInt(r, "to", 0)
	}
	if err == nil && to <= from {
		err = answer.Bad("A scene begins before it ends.")
	}
	var all []roomtone.Candidate
	var room roomtone.Room
	if err == nil {
		rate := v.Reel.Props.SampleRate
		all, room, err = roomtone.ForScene(r.Context(), v.Reel, s.opener(rate), s.Quiet.Finder(v.Reel), reel.ID(track), from, to, s.others(v.Reel), r.URL.Query().Get("tint") != "")
	}
	var out []Offered
	if err == nil {
		out, err = offers(all, func(c roomtone.Candidate) reel.Edit {
			return c.Bed(reel.ID(track), from, to, v.Reel.Props.SampleRate)
		})
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	answer.JSON(w, http.StatusOK, map[string]any{"revision": v.Revision, "beds": out, "level": room.Level})
}

// getPauses finds where nobody speaks on tracks.
func (s *API) getPauses(w http.ResponseWriter, r *http.Request) {
	v, err := s.version(r)
	var tracks []reel.ID
	var from, to int64
	if err == nil {
		tracks, err = answer.QueryIDs(r, "tracks")
	}
	if err == nil {
		from, err = answer.QueryInt(r, "from", 0)
	}
	if err == nil {
		to, err = answer.QueryInt(r, "to", v.Reel.Length())
	}
	type struck struct {
		roomtone.Pause
		Edit json.RawMessage `json:"edit"`
	}
	out := []struck{}
	for _, t := range tracks {
		if err != nil {
			break
		}
		var some []roomtone.Pause
		some, err = roomtone.Pauses(r.Context(), v.Reel, s.opener(v.Reel.Props.SampleRate), t, from, to, r.URL.Query().Get("breaths") != "")
		for _, p := range some {
			one := struck{Pause: p}
			if one.Edit, err = reel.Encode(p.Strike(v.Reel.Props.SampleRate)); err == nil {
				out = append(out, one)
			}
		}
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	answer.JSON(w, http.StatusOK, map[string]any{"revision": v.Revision, "pauses": out})
}

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
	at, _, err := lay.Apply(alone)
	var m *mix.Mix
	if err == nil {
		m, err = s.mixOf(at, mix.Options{})
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	w.Header().Set("Cache-Control", "no-store")
	s.streamPCM(w, r, from, to, m.Render)
}

// listRooms sends the kept swatches and the made-up rooms with what they sound
// like.
func (s *API) listRooms(w http.ResponseWriter, r *http.Request) {
	v, err := s.version(r)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	type heard struct {
		ID      reel.ID `json:"id,omitempty"`
		Name    string  `json:"name"`
		Source  reel.ID `json:"source,omitempty"`
		From    int64   `json:"from"`
		To      int64   `json:"to"`
		Level   float64 `json:"level"`
		Slope   float64 `json:"slope"`
		Even    float64 `json:"even"`
		Problem string  `json:"problem,omitempty"`
	}
	open := s.opener(v.Reel.Props.SampleRate)
	kept, made := []heard{}, []heard{}
	for _, k := range v.Reel.Swatches {
		src, _ := v.Reel.Source(k.Source)
		one := heard{ID: k.ID, Name: k.Name, Source: k.Source, From: k.From, To: k.To}
		q, err := roomtone.Measure(v.Reel, open, src, k.From, k.To)
		switch {
		case errors.Is(err, roomtone.ErrSilent):
			one.Problem = "digital silence"
		case err != nil:
			one.Problem = "its recording cannot be read"
		default:
			one.Level, one.Slope, one.Even = q.Level, q.Slope, q.Even
		}
		kept = append(kept, one)
	}
	for _, q := range s.Quiet.Rooms(v.Reel.Props.SampleRate) {
		made = append(made, heard{Name: q.Name, Level: q.Level, Slope: q.Slope})
	}
	answer.JSON(w, http.StatusOK, map[string]any{"swatches": kept, "rooms": made})
}
