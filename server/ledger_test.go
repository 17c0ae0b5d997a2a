package server

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"blendseam/core/reel"
	"blendseam/core/seam"
	"blendseam/server/api"
	"blendseam/work"
)

// measured waits until all seams of a reel are measured and gives them.
func (r *rig) measured(id int64) api.SeamList {
	r.t.Helper()
	for began := time.Now(); time.Since(began) < time.Minute; time.Sleep(20 * time.Millisecond) {
		var list api.SeamList
		r.api(200, "GET", fmt.Sprintf("/reels/%d/seams", id), nil, &list)
		if !slices.ContainsFunc(list.Seams, func(s work.ListedSeam) bool { return s.Verdict == "" }) {
			return list
		}
	}
	r.t.Fatal("the seams are not measured")
	return api.SeamList{}
}

// title is a seam by the names of its clips.
func title(v *reel.Reel, left, right reel.ID) string {
	l, _ := v.Clip(left)
	n, _ := v.Clip(right)
	return l.Name + "|" + n.Name
}

// verdicts are the seams of a reel that are not fine, with what was found.
func (r *rig) verdicts(id int64) map[string]string {
	r.t.Helper()
	v := r.reel(id).Reel
	out := map[string]string{}
	for _, s := range r.measured(id).Seams {
		if s.Verdict != seam.Fine {
			out[title(v, s.Left, s.Right)] = string(s.Verdict) + " " + s.Brief
		}
	}
	return out
}

// The faults that were planted in the demo reel are all found, and the clean
// seams are all called fine. The hard cuts of Grower 4 and 6 step less than the
// sound around them does.
func TestPlantedFaultsAreFound(t *testing.T) {
	r := newRig(t)
	planted := map[string]string{
		"opening bed a|opening bed b": "mend click",  // a bar was cut out of the music
		"fan, second half|":           "mend",        // nothing sounds until the next line
		"|Warden 6":                   "mend room",   // out of that hole
		"Warden 3|Warden 4":           "check level", // too near the microphone
		"Warden 4|Warden 5":           "check level", // and back, into another take
		"|Grower 6":                   "check room",
	}
	got := r.verdicts(1)
	for name, what := range planted {
		if !strings.HasPrefix(got[name], what) {
			t.Errorf("%s: %q, planted: %s", name, got[name], what)
		}
	}
	v := r.reel(1).Reel
	for _, s := range r.measured(1).Seams { // told as a code as well
		want := map[string]string{"opening bed a|opening bed b": "click", "fan, second half|": "hole", "|Warden 6": "room", "Warden 3|Warden 4": "voice"}[title(v, s.Left, s.Right)]
		if want != "" && s.What != want || s.Verdict == seam.Fine && s.What != "" {
			t.Errorf("%s: decided by %q", title(v, s.Left, s.Right), s.What)
		}
	}
	for name, what := range got {
		if planted[name] == "" {
			t.Errorf("%s is clean, and called %q", name, what)
		}
	}
}

// An edit measures anew only what it touched.
func TestMeasuringIsIncremental(t *testing.T) {
	r := newRig(t)
	before := r.measured(1)
	was := map[string]bool{}
	for _, s := range before.Seams {
		was[s.Print] = true
	}
	v := r.reel(1)
	left, right := named(v, "Warden 2"), named(v, "Warden 3")
	r.edit(1, &reel.SetBlend{Left: left.ID, Right: right.ID, Before: 2400, After: 2400, Law: "constantPower", Lean: 0.5})
	anew := 0
	for _, s := range r.measured(1).Seams {
		if !was[s.Print] {
			anew++
		}
	}
	// The seam itself, those at the far ends of its two clips, and what lies
	// beside it on other tracks.
	if anew == 0 || anew > 8 {
		t.Errorf("%d of %d seams were measured anew", anew, len(before.Seams))
	}
	r.api(200, "POST", "/reels/1/undo", nil, nil)
	for _, s := range r.measured(1).Seams {
		if !was[s.Print] {
			t.Errorf("after the undo seam %d-%d has a new print", s.Left, s.Right)
		}
	}
}

// A seam that was accepted stays so until something near it changes, and is so
// again when that is taken back.
func TestAccepted(t *testing.T) {
	r := newRig(t)
	v := r.reel(1)
	left, right := named(v, "Warden 3"), named(v, "Warden 4")
	find := func() work.ListedSeam {
		t.Helper()
		for _, s := range r.measured(1).Seams {
			if s.Left == left.ID && s.Right == right.ID {
				return s
			}
		}
		t.Fatal("the seam is gone")
		return work.ListedSeam{}
	}
	r.api(204, "POST", "/reels/1/accept", map[string]any{"print": find().Print, "good": true}, nil)
	if s := find(); !s.Accepted || s.Verdict != seam.Check {
		t.Errorf("%+v", s)
	}
	far := named(v, "closing bed")
	db := -3.0
	r.edit(1, &reel.SetClip{Clip: far.ID, GainDB: &db})
	if !find().Accepted {
		t.Error("an edit far away takes the mark off")
	}
	r.edit(1, &reel.SetClip{Clip: right.ID, GainDB: &db})
	if s := find(); s.Accepted || s.Verdict != seam.Fine {
		t.Errorf("a clip of the seam was altered: %+v", s)
	}
	r.api(200, "POST", "/reels/1/undo", nil, nil)
	if !find().Accepted {
		t.Error("taken back, the seam is not the one that was accepted")
	}
	r.api(204, "POST", "/reels/1/accept", map[string]any{"print": find().Print, "good": false}, nil)
	if find().Accepted {
		t.Error("the mark does not come off")
	}
	for _, bad := range []string{`{"print":"x","good":true}`, `{"good":true}`, `{}`} {
		r.api(400, "POST", "/reels/1/accept", bad, nil)
	}
}

// A sweep proposes, changes nothing, and is done as one step that leaves
// nothing to mend.
func TestSweepOverHTTP(t *testing.T) {
	r := newRig(t)
	list := r.measured(1)
	var ask api.SweepRequest
	for _, s := range list.Seams {
		if s.Verdict != seam.Fine {
			ask.Seams = append(ask.Seams, api.SeamName{Left: s.Left, Right: s.Right})
		}
	}
	ask.Name = "test"
	var got struct {
		Revision int64
		Rows     []struct {
			Before, After struct{ Verdict seam.Verdict }
			Says, Why     string
			Worse         bool
			Edit          json.RawMessage
		}
	}
	r.api(200, "POST", "/reels/1/sweep", ask, &got)
	if v := r.reel(1); v.Revision != list.Revision || len(got.Rows) != len(ask.Seams) {
		t.Fatalf("revision %d was %d; %d rows", v.Revision, list.Revision, len(got.Rows))
	}
	e := &reel.Together{Label: "sweep"}
	for _, row := range got.Rows {
		if len(row.Edit) == 0 {
			if row.Why == "" {
				t.Error("a row without a proposal does not say why")
			}
			continue
		}
		one, err := reel.Decode(row.Edit)
		if err != nil {
			t.Fatal(err)
		}
		if many, ok := one.(*reel.Together); ok {
			e.Edits = append(e.Edits, many.Edits...)
		} else {
			e.Edits = append(e.Edits, one)
		}
	}
	first := r.reel(1).Reel
	r.edit(1, e)
	for name, what := range r.verdicts(1) {
		if strings.HasPrefix(what, "mend") {
			t.Errorf("after the sweep %s: %s", name, what)
		}
	}
	r.api(200, "POST", "/reels/1/undo", nil, nil)
	if !reel.Diff(first, r.reel(1).Reel).Empty() {
		t.Error("one undo does not take the sweep back")
	}
	r.api(400, "POST", "/reels/1/sweep", `{"seams":[]}`, nil)
	r.api(404, "POST", "/reels/99/sweep", ask, nil)
}

func TestBetterSpectrumAndTrial(t *testing.T) {
	r := newRig(t)
	v := r.reel(1)
	left, right := named(v, "Grower 4"), named(v, "Grower 5")
	q := fmt.Sprintf("left=%d&right=%d", left.ID, right.ID)
	var better struct{ Places []api.BetterCut }
	r.api(200, "GET", "/reels/1/better?frames=4&"+q, nil, &better)
	if len(better.Places) < 2 || len(better.Places) > 6 || better.Places[0].Edit != nil || better.Places[1].Click >= better.Places[0].Click {
		t.Fatalf("%+v", better.Places)
	}
	var dry api.DryRun
	r.api(200, "POST", "/reels/1/dry-run", map[string]any{"base": v.Revision, "edit": better.Places[1].Edit, "hear": true, "closeUp": api.CloseUpQuery{Left: left.ID, Right: right.ID, Around: 48000}}, &dry)
	if dry.Trial == "" || dry.CloseUp == nil || dry.CloseUp.Judged == nil || dry.CloseUp.Judged.Click >= 12 {
		t.Fatalf("%+v", dry)
	}
	pcm := func(extra string) string {
		t.Helper()
		res, body := r.request("GET", fmt.Sprintf("/api/v1/reels/1/pcm?from=%d&to=%d%s", left.End()-9000, left.End()+9000, extra), nil, nil)
		if res.StatusCode != 200 {
			t.Fatalf("%d %s", res.StatusCode, body)
		}
		return string(body)
	}
	is, would := pcm(""), pcm("&trial="+dry.Trial)
	if is == would {
		t.Error("what is tried sounds as what is")
	}
	// Made, it sounds as it was tried; before it, as it was.
	edit, err := reel.Decode(better.Places[1].Edit.RawMessage)
	if err != nil {
		t.Fatal(err)
	}
	r.edit(1, edit)
	if pcm("") != would || pcm("&before=1") != is {
		t.Error("made, it does not sound as tried, or before it not as it was")
	}
	r.api(400, "GET", "/reels/1/pcm?from=0&to=10&trial=none", nil, nil)
	var sp seam.Spectra
	r.api(200, "GET", "/reels/1/spectrum?"+q, nil, &sp)
	if sp.Out == nil || len(sp.Out.Room) != 21 || sp.Distance == nil || *sp.Distance > 3 {
		t.Errorf("%+v", sp)
	}
	r.api(400, "GET", "/reels/1/spectrum?left=1&right=2", nil, nil)
	r.api(400, "GET", fmt.Sprintf("/reels/1/better?left=%d", named(v, "drips").ID), nil, nil)
}

func TestPresetsOverHTTP(t *testing.T) {
	r := newRig(t)
	var got struct {
		Presets []reel.Preset
		Shipped bool
	}
	r.api(200, "GET", "/presets", nil, &got)
	if !got.Shipped || len(got.Presets) != len(reel.ShippedPresets) {
		t.Fatalf("%+v", got)
	}
	mine := []reel.Preset{{Name: "breath", Milliseconds: 33.5, Position: reel.Before, Law: "matched", Lean: 0.4}, {Name: "Übergang", Milliseconds: 500, Position: reel.Across, Law: "constantGain", Lean: 0.5, Usual: true}}
	r.api(204, "PUT", "/presets", map[string]any{"presets": mine}, nil)
	r.api(200, "GET", "/presets", nil, &got)
	if got.Shipped || !slices.Equal(got.Presets, mine) {
		t.Errorf("%+v", got)
	}
	r.api(422, "PUT", "/presets", map[string]any{"presets": mine[:1]}, nil)
	r.api(204, "DELETE", "/presets", nil, nil)
	r.api(200, "GET", "/presets", nil, &got)
	if !got.Shipped {
		t.Error("the shipped presets do not come back")
	}
}

// What belongs to blends and limits survives the database: read anew, the
// reel is the same.
func TestBlendsAndLimitsAreStored(t *testing.T) {
	r := newRig(t)
	v := r.reel(1)
	left, right := named(v, "Warden 2"), named(v, "Warden 3")
	r.edit(1, &reel.SetBlend{Left: left.ID, Right: right.ID, Before: 2400, After: 1200, Law: "matched", Lean: 0.4, In: reel.Side{Shape: "smooth", Bend: 0.7}})
	r.edit(1, &reel.SetReel{Limits: &reel.Tolerances{Room: reel.Tolerance{Hear: 2, Mend: 5}, Word: reel.Tolerance{Hear: -1, Mend: -1}}})
	var copied struct{ ID int64 }
	r.api(201, "POST", "/reels/1/copy", map[string]string{"name": "copy"}, &copied)
	a, b := r.reel(1).Reel, r.reel(copied.ID).Reel
	b.Props.Name = a.Props.Name
	if !reel.Diff(a, b).Empty() || a.Props.Limits.Full().Room.Hear != 2 || a.Props.Limits.Full().Click.Mend != 12 {
		t.Errorf("the copy differs: %+v", reel.Diff(a, b))
	}
}
