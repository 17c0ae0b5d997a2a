package server

import (
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"blendseam/core/reel"
	"blendseam/server/answer"
	"blendseam/server/api"
	"blendseam/server/live"
	"blendseam/store"
)

// try makes a dry run that goes as far as it can.
func (r *rig) try(id int64, e reel.Edit) api.DryRun {
	r.t.Helper()
	text, err := reel.Encode(e)
	if err != nil {
		r.t.Fatal(err)
	}
	var d api.DryRun
	r.api(200, "POST", fmt.Sprintf("/reels/%d/dry-run", id), map[string]any{"base": r.reel(id).Revision, "edit": json.RawMessage(text), "nearest": true}, &d)
	return d
}

// While something is dragged the server says what it leads to, goes as far as
// it can, and says why not further; what is tried is what is done.
func TestTryingADrag(t *testing.T) {
	r := newRig(t)
	v := r.reel(1)
	a, b := named(v, "Warden 2"), named(v, "Warden 3")
	d := r.try(1, &reel.Roll{Left: a.ID, Right: b.ID, By: 1920 * 5})
	if d.Stops != "" || len(d.Change.Clips) != 2 || !strings.Contains(strings.Join(d.Outcome.Says, "|"), "“Warden 2” 5 frames longer, “Warden 3” 5 frames shorter") {
		t.Errorf("%+v", d.Outcome)
	}
	far := r.try(1, &reel.Roll{Left: a.ID, Right: b.ID, By: 1 << 40})
	if far.Stops == "" || far.Edit == nil || len(far.Change.Clips) != 2 {
		t.Fatalf("%+v", far)
	}
	nearest, err := reel.Decode(far.Edit.RawMessage)
	if err != nil {
		t.Fatal(err)
	}
	done := r.edit(1, nearest)
	x, _ := json.Marshal(done.Change)
	if y, _ := json.Marshal(far.Change); string(x) != string(y) {
		t.Errorf("tried\n%s\ndone\n%s", y, x)
	}
	r.api(200, "POST", "/reels/1/undo", nil, nil)
	// Where another kind of edit would work, nothing moves until it is chosen.
	slide := r.try(1, &reel.Slide{Clip: named(v, "drips").ID, By: 5000})
	if slide.Stops == "" || slide.Edit != nil || !slide.Change.Empty() {
		t.Errorf("%+v", slide)
	}
	// All that follows is one shift, however much it is.
	follow := r.try(2, &reel.Trim{Clips: []reel.ID{named(r.reel(2), "Warden 1").ID}, End: reel.Tail, By: 1920, Later: reel.Follow})
	if len(follow.Change.Shifts) != 1 || len(follow.Change.Shifts[0].Clips) < 10 || !strings.Contains(strings.Join(follow.Outcome.Says, "|"), "later clips follow 1 frame later") {
		t.Errorf("%+v", follow)
	}
}

func TestExcerptsOverHTTP(t *testing.T) {
	r := newRig(t)
	v := r.reel(1)
	a, b := named(v, "Warden 1"), named(v, "Warden 2")
	var x reel.Excerpt
	r.api(200, "POST", "/reels/1/excerpts", map[string]any{"clips": []reel.ID{a.ID, b.ID}}, &x)
	if len(x.Clips) != 2 || len(x.Blends) != 1 || x.Lanes != 1 || x.Length != b.End()-a.Start {
		t.Fatalf("%+v", x)
	}
	// It is pasted into another reel that has the recordings.
	c := r.edit(2, &reel.Paste{What: x, Track: r.reel(2).Reel.Order()[0].ID, At: 48000 * 200})
	if len(c.Outcome.Made) != 2 || len(c.Change.Blends) != 1 {
		t.Errorf("%+v", c)
	}
	var p answer.Problem
	r.api(422, "POST", "/reels/1/excerpts", map[string]any{"from": 0, "to": 10, "tracks": []reel.ID{a.Track}}, &p)
	if !strings.Contains(p.Possible, "Mark a span") {
		t.Errorf("%+v", p)
	}
	r.api(422, "POST", "/reels/1/excerpts", map[string]any{}, nil)
	r.api(422, "POST", "/reels/1/excerpts", map[string]any{"clips": []reel.ID{999}}, nil)
	r.api(404, "POST", "/reels/9/excerpts", map[string]any{"clips": []reel.ID{1}}, nil)
	// A made-up excerpt is refused, whatever is in it.
	track := r.reel(1).Reel.Tracks[0].ID
	for _, alter := range []func(*reel.Excerpt){
		func(x *reel.Excerpt) { x.Rate = 44100 },
		func(x *reel.Excerpt) { x.Length = 1 << 62 },
		func(x *reel.Excerpt) { x.Clips[0].Clip.Length = 1 << 62 },
		func(x *reel.Excerpt) { x.Clips[0].Clip.Offset = 1 << 40 },
		func(x *reel.Excerpt) { x.Clips[0].Clip.GainDB = 1e9 },
		func(x *reel.Excerpt) { x.Clips[0].Clip.FadeIn.Length = 1 << 40 },
		func(x *reel.Excerpt) { x.Clips[0].Source.Recording = "unknown" },
		func(x *reel.Excerpt) { x.Clips[0].Source = byName(1<<62, 0, 0) },
		func(x *reel.Excerpt) { x.Clips[0].Source = byName(1, 0, 0) }, // shorter than its clip
		func(x *reel.Excerpt) { x.Clips[0].Source = byName(48000*3600, 1<<40, 0) },
		func(x *reel.Excerpt) { x.Clips[0].Source = byName(48000*3600, 0, 1<<62) },
		func(x *reel.Excerpt) { x.Clips[0].Lane = 60 },
		func(x *reel.Excerpt) { x.Clips[0].Clip.Name = "" },
		func(x *reel.Excerpt) { x.Blends[0].Left = 77 },
		func(x *reel.Excerpt) { x.Blends[0].Law = "loud" },
		func(x *reel.Excerpt) { x.Blends[0].Before = -5 },
		func(x *reel.Excerpt) { x.Clips[1].Clip.Start = 0 },
	} {
		text, _ := json.Marshal(x)
		var bad reel.Excerpt
		_ = json.Unmarshal(text, &bad)
		alter(&bad)
		if bad.Clips[0].Clip.FadeIn.Length > 1<<39 {
			continue // shortened to what the clip has room for
		}
		edit, _ := reel.Encode(&reel.Paste{What: bad, Track: track, At: 48000 * 300})
		r.api(422, "POST", "/reels/1/edits", map[string]any{"base": r.reel(1).Revision, "edit": json.RawMessage(edit)}, nil)
	}
}

// byName is a source without a recording.
func byName(length int64, left int, tc int64) reel.Source {
	return reel.Source{Name: "somewhere", Length: length, Left: left, Right: -1, StartTC: tc}
}

// What is pasted into a reel that lacks its recordings brings them along, and
// sounds there as it does where it was copied; one step takes all back.
func TestPasteBringsItsRecordings(t *testing.T) {
	r := newRig(t)
	var made struct{ ID int64 }
	r.api(201, "POST", "/reels", `{"name":"Empty","sampleRate":48000,"frameRate":{"num":25,"den":1}}`, &made)
	v := r.reel(1)
	a, b := named(v, "Warden 1"), named(v, "Warden 2")
	var x reel.Excerpt
	r.api(200, "POST", "/reels/1/excerpts", map[string]any{"clips": []reel.ID{a.ID, b.ID}}, &x)
	var empty reel.ID
	if to := r.reel(made.ID).Reel; len(to.Tracks) > 0 {
		empty = to.Order()[0].ID
	} else {
		empty = r.edit(made.ID, &reel.AddTrack{Name: "Voices", Role: reel.Dialogue}).Outcome.Made[0]
	}
	paste := &reel.Paste{What: x, Track: empty, At: 0}
	if got := r.try(made.ID, paste); len(got.Change.Sources) == 0 {
		t.Errorf("tried: %+v", got.Outcome)
	}
	// What the excerpt says of a recording is not believed.
	lie := x
	lie.Clips = slices.Clone(x.Clips)
	lie.Clips[0].Source.Length, lie.Clips[0].Source.Name = 1<<40, "A name of its own"
	c := r.edit(made.ID, &reel.Paste{What: lie, Track: empty, At: 0})
	if !slices.ContainsFunc(c.Outcome.Says, func(s string) bool { return strings.Contains(s, "added to this reel") }) {
		t.Errorf("%q", c.Outcome.Says)
	}
	now := r.reel(made.ID).Reel
	src, _ := now.Source(now.Clips[0].Source)
	if was, _ := v.Reel.Source(a.Source); src.Length != was.Length || src.Name != "A name of its own" || src.StartTC != was.StartTC {
		t.Errorf("%+v, there %+v", src, was)
	}
	mute := true
	for _, o := range v.Reel.Tracks {
		if o.ID != a.Track {
			r.edit(1, &reel.SetTrack{Track: o.ID, Mute: &mute})
		}
	}
	there := r.left(fmt.Sprintf("/api/v1/reels/1/pcm?from=%d&to=%d", a.Start, a.Start+96000))
	here := r.left(fmt.Sprintf("/api/v1/reels/%d/pcm?from=0&to=96000", made.ID))
	heard := 0.0
	for i := range there {
		if there[i] != here[i] {
			t.Fatalf("sample %d: %v where it was copied, %v here", i, there[i], here[i])
		}
		heard = max(heard, math.Abs(float64(here[i])))
	}
	if heard < 0.01 {
		t.Error("nothing was heard")
	}
	r.api(200, "POST", fmt.Sprintf("/reels/%d/undo", made.ID), map[string]any{}, nil)
	if got := r.reel(made.ID).Reel; len(got.Clips) != 0 || len(got.Sources) != 0 {
		t.Errorf("after undo: %d clips, %d sources", len(got.Clips), len(got.Sources))
	}
	r.api(200, "POST", fmt.Sprintf("/reels/%d/redo", made.ID), map[string]any{}, nil)
	if got := r.reel(made.ID).Reel; len(got.Clips) != 2 {
		t.Errorf("after redo: %d clips", len(got.Clips))
	}
	// What is known by name alone comes along as such, and is silent.
	lie.Clips = slices.Clone(x.Clips[:1])
	lie.Blends, lie.Clips[0].Source = nil, byName(48000*3600, 0, 0)
	c = r.edit(made.ID, &reel.Paste{What: lie, Track: empty, At: 48000 * 120})
	clip, _ := r.reel(made.ID).Reel.Clip(c.Outcome.Made[0])
	if src, _ := r.reel(made.ID).Reel.Source(clip.Source); !src.Missing() || src.Name != "somewhere" {
		t.Errorf("%+v", src)
	}
	// A channel that the recording does not have is no source.
	lie.Clips = slices.Clone(x.Clips)
	lie.Clips[0].Source.Left = 7
	edit, _ := reel.Encode(&reel.Paste{What: lie, Track: empty, At: 48000 * 60})
	r.api(422, "POST", fmt.Sprintf("/reels/%d/edits", made.ID), map[string]any{"base": r.reel(made.ID).Revision, "edit": json.RawMessage(edit)}, nil)
}

func TestStepsAndVersionsOverHTTP(t *testing.T) {
	r := newRig(t)
	v := r.reel(1)
	a, b := named(v, "Warden 2"), named(v, "Warden 3")
	var kept store.Kept
	r.api(201, "POST", "/reels/1/versions", map[string]string{"name": "first"}, &kept)
	r.api(422, "POST", "/reels/1/versions", map[string]string{"name": ""}, nil)
	r.edit(1, &reel.Roll{Left: a.ID, Right: b.ID, By: 100})
	r.edit(1, &reel.Roll{Left: a.ID, Right: b.ID, By: 100})
	var hist struct{ Steps []store.Step }
	r.api(200, "GET", "/reels/1/history?only=steps", nil, &hist)
	if len(hist.Steps) != 2 || hist.Steps[0].At.IsZero() {
		t.Fatalf("%+v", hist)
	}
	var c live.Changed
	r.api(200, "POST", "/reels/1/go", map[string]int64{"revision": 0}, &c)
	if c.Redo == "" || c.Undo != "" || named(r.reel(1), "Warden 3") != b {
		t.Errorf("%+v", c)
	}
	r.api(200, "POST", "/reels/1/go", map[string]int64{"revision": hist.Steps[0].Revision}, &c)
	if got := named(r.reel(1), "Warden 3"); got.Start != b.Start+200 {
		t.Errorf("%+v", got)
	}
	r.api(422, "POST", "/reels/1/go", map[string]int64{"revision": 4711}, nil)
	r.api(400, "POST", "/reels/1/go", map[string]int64{"revision": -1}, nil)
	path := fmt.Sprintf("/reels/1/versions/%d", kept.ID)
	r.api(200, "POST", path+"/go", nil, &c)
	if named(r.reel(1), "Warden 3") != b || c.Outcome.Label != "back to version “first”" {
		t.Errorf("%+v", c)
	}
	var made struct{ ID int64 }
	r.api(201, "POST", path+"/open", nil, &made)
	if got := r.reel(made.ID); got.Reel.Props.Name != "Frost Warning, reel 1, first" {
		t.Errorf("%+v", got.Reel.Props)
	}
	r.api(404, "POST", "/reels/2/versions/"+fmt.Sprint(kept.ID)+"/go", nil, nil) // another reel's
	r.api(204, "DELETE", path, nil, nil)
	r.api(404, "DELETE", path, nil, nil)
	var list struct{ Versions []store.Kept }
	r.api(200, "GET", "/reels/1/versions", nil, &list)
	if len(list.Versions) != 0 {
		t.Errorf("%+v", list)
	}
}

func TestKeySetsOverHTTP(t *testing.T) {
	r := newRig(t)
	r.api(204, "PUT", "/keys/left%20hand", `{"keys":{"split":["ctrl+alt+s","w"]},"chosen":true}`, nil)
	var list struct{ Sets []store.KeySet }
	r.api(200, "GET", "/keys", nil, &list)
	if len(list.Sets) != 1 || list.Sets[0].Name != "left hand" || !list.Sets[0].Chosen || len(list.Sets[0].Keys["split"]) != 2 {
		t.Fatalf("%+v", list)
	}
	var p answer.Problem
	r.api(400, "PUT", "/keys/x", `{"keys":{"split":["w"],"join":["w"]}}`, &p)
	if !strings.Contains(p.Detail, "join") || !strings.Contains(p.Detail, "split") {
		t.Errorf("a conflict is told as %q", p.Detail)
	}
	long := strings.Repeat("a", 90)
	for path, body := range map[string]string{
		"/keys/y": `{"keys":null}`, "/keys/z": `{"keys":{"split":[""]}}`, "/keys/" + long: `{"keys":{}}`,
		"/keys/q": `{"keys":{"split":["1","2","3","4","5","6","7"]}}`, "/keys/c": "{\"keys\":{\"split\":[\"\\u0001\"]}}",
	} {
		r.api(400, "PUT", path, body, nil)
	}
	r.api(422, "PUT", "/keys/%20", `{"keys":{}}`, nil)
	r.api(204, "POST", "/keys/choose", `{"name":""}`, nil)
	r.api(404, "POST", "/keys/choose", `{"name":"nobody"}`, nil)
	r.api(204, "DELETE", "/keys/left%20hand", nil, nil)
	r.api(404, "DELETE", "/keys/left%20hand", nil, nil)
	for i := range api.MaxKeySets {
		r.api(204, "PUT", fmt.Sprintf("/keys/set%d", i), `{"keys":{}}`, nil)
	}
	r.api(400, "PUT", "/keys/onemore", `{"keys":{}}`, nil)
	r.api(204, "PUT", "/keys/set0", `{"keys":{"split":["s"]}}`, nil)
}
