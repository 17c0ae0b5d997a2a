package server

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"testing"

	"blendseam/core/reel"
	"blendseam/server/answer"
	"blendseam/server/live"
)

// merge asks for clips to be merged.
func (r *rig) merge(status int, id int64, what reel.Merged, out any) {
	r.t.Helper()
	text, _ := json.Marshal(what)
	var body map[string]any
	_ = json.Unmarshal(text, &body)
	body["base"] = r.reel(id).Revision
	r.api(status, "POST", fmt.Sprintf("/reels/%d/merge", id), body, out)
}

// Clips of recorded sound are merged: their reel sounds bit for bit as before, from a new
// recording that is in the library. They come back after edits elsewhere, and sound so too;
// undo and redo go over both.
func TestMergeOverHTTP(t *testing.T) {
	r := newRig(t)
	v := r.reel(1)
	a, b := named(v, "Warden 1"), named(v, "Warden 2")
	sound := func() []byte {
		t.Helper()
		res, got := r.request("GET", fmt.Sprintf("/api/v1/reels/1/pcm?from=%d&to=%d", max(a.Start-48000, 0), b.End()+96000), nil, nil)
		if res.StatusCode != http.StatusOK {
			t.Fatal(res.StatusCode)
		}
		return got
	}
	level := 1.7
	r.edit(1, &reel.AddPoint{Track: a.Track, At: a.Start + 9000, DB: &level})
	gain := -2.3
	r.edit(1, &reel.SetTrack{Track: a.Track, GainDB: &gain})
	was := sound()
	var c live.Changed
	r.merge(200, 1, reel.Merged{Clips: []reel.ID{a.ID, b.ID}}, &c)
	id := c.Outcome.Made[0]
	if !strings.Contains(c.Outcome.Says[0], "2 clips merged") {
		t.Errorf("%+v", c.Outcome)
	}
	now := r.reel(1).Reel
	clip, _ := now.Clip(id)
	src, _ := now.Source(clip.Source)
	if clip.Start != a.Start || clip.End() != b.End() || src.Length < clip.Length+clip.Offset {
		t.Errorf("%+v of %+v", clip, src)
	}
	if !bytes.Equal(sound(), was) {
		t.Error("merged, it sounds otherwise")
	}
	r.api(200, "POST", "/reels/1/undo", map[string]any{}, nil)
	if !bytes.Equal(sound(), was) {
		t.Error("undone, it sounds otherwise")
	}
	r.api(200, "POST", "/reels/1/redo", map[string]any{}, nil)
	// Edits elsewhere meanwhile; then all is read anew from the tables, as after a restart.
	r.edit(1, &reel.AddMarker{At: 5, Text: "x"})
	drips := named(r.reel(1), "drips")
	louder := drips.GainDB + 1
	r.edit(1, &reel.SetClip{Clip: drips.ID, GainDB: &louder})
	r.edit(1, &reel.SetClip{Clip: drips.ID, GainDB: &drips.GainDB})
	anew, err := r.store.Anew(t.Context(), 1)
	if err != nil {
		t.Fatal(err)
	}
	if kept, _ := anew.Reel.Source(clip.Source); kept.Former == "" {
		t.Error("the tables do not hold what it was merged of")
	}
	r.edit(1, &reel.Unmerge{Clip: id})
	if !bytes.Equal(sound(), was) {
		t.Error("restored, it sounds otherwise")
	}
	if x := named(r.reel(1), "Warden 2"); x.Start != b.Start || x.Offset != b.Offset || x.Length != b.Length {
		t.Errorf("%+v, was %+v", x, b)
	}
	// A span of the track, that begins and ends inside of clips.
	r.merge(200, 1, reel.Merged{Track: a.Track, From: a.Start + 20000, To: b.End() - 20000}, &c)
	if !bytes.Equal(sound(), was) {
		t.Error("a merged span sounds otherwise")
	}
	// What cannot be merged is said.
	r.api(200, "POST", "/reels/1/undo", map[string]any{}, nil)
	var p answer.Problem
	r.merge(422, 1, reel.Merged{Clips: []reel.ID{drips.ID, named(r.reel(1), "Warden 1").ID}}, &p)
	if !strings.Contains(p.Detail, "several tracks") || !strings.Contains(p.Possible, "one track at a time") {
		t.Errorf("%+v", p)
	}
	r.merge(422, 1, reel.Merged{}, nil)
	r.merge(422, 1, reel.Merged{Track: a.Track, From: -5, To: 1 << 53}, nil)
	r.api(404, "POST", "/reels/99/merge", map[string]any{"base": 1}, nil)
}
