package server

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"blendseam/core/reel"
	"blendseam/server/answer"
	"blendseam/store"
	"blendseam/work"
)

// fit has a clip fitted and waits for it.
func (r *rig) fit(id int64, e reel.FitClip) work.JobView {
	r.t.Helper()
	var made struct{ ID int64 }
	r.api(201, "POST", fmt.Sprintf("/reels/%d/fits", id), map[string]any{"base": r.reel(id).Revision, "clip": e.Clip, "length": e.Length, "later": e.Later, "end": e.End}, &made)
	return r.job(made.ID)
}

// A clip is fitted: it is exactly so long, sounds from start to end, at the level it had;
// taken back it sounds bit for bit as before; once more it is there at once.
func TestFitOverHTTP(t *testing.T) {
	r := newRig(t)
	v := r.reel(1)
	a := named(v, "Warden 1")
	sound := func(from, n int64) []float32 {
		t.Helper()
		return r.left(fmt.Sprintf("/api/v1/reels/1/pcm?from=%d&to=%d", from, from+n))
	}
	solo := true
	r.edit(1, &reel.SetTrack{Track: a.Track, Solo: &solo})
	was := sound(a.Start, a.Length)
	want := a.Length * 110 / 100
	j := r.fit(1, reel.FitClip{Clip: a.ID, Length: want, Later: reel.Follow})
	if j.State != store.Done || !strings.Contains(j.Detail, "110 %") || j.Kind != "fit" || j.Clip != a.ID {
		t.Fatalf("%+v", j)
	}
	now := r.reel(1).Reel
	c, _ := now.Clip(a.ID)
	src, _ := now.Source(c.Source)
	if c.Length != want || !src.Fitted() || src.Recording == "" {
		t.Errorf("%+v of %+v", c, src)
	}
	fitted := sound(c.Start, c.Length)
	level := func(v []float32) float64 {
		sum := 0.0
		for _, x := range v {
			sum += float64(x) * float64(x)
		}
		return 10 * math.Log10(sum/float64(len(v)))
	}
	if d := level(fitted) - level(was); math.Abs(d) > 0.7 {
		t.Errorf("fitted it is %.2f dB louder", d)
	}
	// Each fifth of it is as loud as that fifth was: nothing is lost at either end.
	for i := range 5 {
		x, y := was[i*len(was)/5:(i+1)*len(was)/5], fitted[i*len(fitted)/5:(i+1)*len(fitted)/5]
		if d := level(y) - level(x); math.Abs(d) > 1.5 {
			t.Errorf("part %d: %.2f dB louder", i+1, d)
		}
	}
	// A worker that died after it made the edit, before it said so: the next finds it made.
	revision := r.reel(1).Revision
	row, err := r.store.Job(t.Context(), j.ID)
	if err != nil {
		t.Fatal(err)
	}
	files, err := work.OpenFiles(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	again := &work.Fits{Store: r.store, Library: r.library, Files: files}
	if out, err := again.Do(t.Context(), row, func(float64) {}); err != nil || out.Detail != j.Detail || r.reel(1).Revision != revision {
		t.Errorf("done again: %+v, %v, revision %d after %d", out, err, r.reel(1).Revision, revision)
	}
	r.edit(1, &reel.FitClip{Clip: a.ID, Later: reel.Follow})
	for i, x := range sound(a.Start, a.Length) {
		if x != was[i] {
			t.Fatalf("taken back, sample %d is %v, was %v", i, x, was[i])
		}
	}
	if again := r.fit(1, reel.FitClip{Clip: a.ID, Length: want, Later: reel.Follow}); again.State != store.Done {
		t.Errorf("%+v", again)
	}
	for i, x := range sound(c.Start, c.Length) {
		if x != fitted[i] {
			t.Fatalf("once more, sample %d is %v, was %v", i, x, fitted[i])
		}
	}
	var p answer.Problem
	for _, bad := range []int64{-1, 1, 10 * want} {
		r.api(422, "POST", "/reels/1/fits", map[string]any{"base": r.reel(1).Revision, "clip": a.ID, "length": bad}, &p)
		if !strings.Contains(p.Possible, "25 to 400 %") {
			t.Errorf("%d: %+v", bad, p)
		}
	}
	r.api(422, "POST", "/reels/1/fits", map[string]any{"base": 1, "clip": 9999, "length": 5000}, nil)
	// As an edit it has no sound: it can be tried, not made.
	if d := r.try(1, &reel.FitClip{Clip: a.ID, Length: want + 4800, Later: reel.Follow}); len(d.Change.Clips) == 0 {
		t.Errorf("%+v", d)
	}
	text, _ := reel.Encode(&reel.FitClip{Clip: a.ID, Length: want + 4800, Later: reel.Follow})
	r.api(400, "POST", "/reels/1/edits", fmt.Sprintf(`{"base":%d,"edit":%s}`, r.reel(1).Revision, text), nil)
	// Of a clip that was changed since it was seen the job says so, and nothing is altered.
	b := named(r.reel(1), "Warden 2")
	old := r.reel(1).Revision
	gain := b.GainDB - 3
	r.edit(1, &reel.SetClip{Clip: b.ID, GainDB: &gain})
	var made struct{ ID int64 }
	r.api(201, "POST", "/reels/1/fits", map[string]any{"base": old, "clip": b.ID, "length": b.Length + 999, "later": "follow"}, &made)
	if j := r.job(made.ID); j.State != store.Failed || !strings.Contains(j.Detail, "changed") {
		t.Errorf("%+v", j)
	}
}
