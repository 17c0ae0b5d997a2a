package server

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"path/filepath"
	"slices"
	"testing"
	"time"

	"blendseam/core/reel"
	"blendseam/dbserver/dbtest"
	"blendseam/delivery"
	"blendseam/server/gate"
	"blendseam/store"
	"blendseam/work"
)

// export asks for a file and waits for it.
func (r *rig) export(id int64, o delivery.Order) work.JobView {
	r.t.Helper()
	var made struct{ ID int64 }
	r.api(201, "POST", fmt.Sprintf("/reels/%d/exports", id), o, &made)
	return r.job(made.ID)
}

// job waits for the end of a job.
func (r *rig) job(id int64) (v work.JobView) {
	r.t.Helper()
	for range 1500 {
		r.api(200, "GET", fmt.Sprintf("/jobs/%d", id), nil, &v)
		if v.State.Ended() {
			return v
		}
		time.Sleep(20 * time.Millisecond)
	}
	r.t.Fatalf("it did not end: %+v", v)
	return v
}

// A file that a job wrote is, sample for sample, the one that is streamed; it can be had
// again and in parts, is repeated on the reel as it is now, and goes when it is removed.
func TestExportsAsJobs(t *testing.T) {
	r := newRig(t)
	whole := delivery.Order{To: -1, Bits: 32, Channels: 2, File: delivery.WAV}
	j := r.export(1, whole)
	if j.State != store.Done || j.Progress != 1 || j.KeptUntil == nil || time.Until(*j.KeptUntil) < 6*24*time.Hour || j.Name != "Frost Warning, reel 1.wav" {
		t.Fatalf("%+v", j)
	}
	path := fmt.Sprintf("/api/v1/jobs/%d/file", j.ID)
	_, streamed := r.request("GET", "/api/v1/reels/1/export?bits=32", nil, nil)
	res, kept := r.request("GET", path, nil, nil)
	if res.Header.Get("Content-Type") != "audio/wav" || res.Header.Get("Content-Disposition") != `attachment; filename="Frost Warning, reel 1.wav"` {
		t.Errorf("%v", res.Header)
	}
	if int64(len(kept)) != j.Bytes || len(kept) != len(streamed) || !bytes.Equal(kept[2000:], streamed[2000:]) {
		t.Errorf("%d bytes by a job, %d streamed", len(kept), len(streamed))
	}
	res, part := r.request("GET", path, nil, func(req *http.Request) { req.Header.Set("Range", "bytes=5000-5999") })
	if res.StatusCode != 206 || !bytes.Equal(part, kept[5000:6000]) {
		t.Errorf("a part: %d", res.StatusCode)
	}
	mute := true
	for _, track := range r.reel(1).Reel.Tracks {
		r.edit(1, &reel.SetTrack{Track: track.ID, Mute: &mute})
	}
	var made struct{ ID int64 }
	r.api(201, "POST", fmt.Sprintf("/jobs/%d/repeat", j.ID), nil, &made)
	if again := r.job(made.ID); again.State != store.Done || again.Revision != r.reel(1).Revision {
		t.Errorf("%+v", again)
	}
	_, silent := r.request("GET", fmt.Sprintf("/api/v1/jobs/%d/file", made.ID), nil, nil)
	if slices.ContainsFunc(silent[2000:len(silent)-8], func(b byte) bool { return b != 0 }) {
		t.Error("the muted reel sounds")
	}
	var list struct{ Jobs []work.JobView }
	r.api(200, "GET", "/jobs?reel=1", nil, &list)
	if len(list.Jobs) != 2 || list.Jobs[0].ID != made.ID {
		t.Errorf("%+v", list.Jobs)
	}
	r.api(204, "DELETE", fmt.Sprintf("/jobs/%d", j.ID), nil, nil)
	r.api(404, "GET", fmt.Sprintf("/jobs/%d", j.ID), nil, nil)
	if res, _ := r.request("GET", path, nil, nil); res.StatusCode != 404 {
		t.Errorf("the file of a removed job: %d", res.StatusCode)
	}
	for _, bad := range []delivery.Order{{To: -1, Bits: 13, Channels: 2, File: "wav"}, {To: 1 << 62, Bits: 24, Channels: 2, File: "wav"}, {To: -1, Bits: 24, Channels: 2, File: "exe"}, {From: -5, To: -1, Bits: 24, Channels: 2, File: "wav"}} {
		r.api(400, "POST", "/reels/1/exports", bad, nil)
	}
	r.api(404, "POST", "/reels/99/exports", whole, nil)
	r.api(404, "POST", "/jobs/9999/cancel", nil, nil)
	r.api(404, "POST", "/jobs/9999/repeat", nil, nil)
	// The same request twice is one job.
	body, _ := json.Marshal(whole)
	ids := map[string]bool{}
	for range 3 {
		_, got := r.request("POST", "/api/v1/reels/1/exports", body, func(q *http.Request) { q.Header.Set("Idempotency-Key", "once") })
		ids[string(got)] = true
	}
	if len(ids) != 1 {
		t.Errorf("%v", ids)
	}
}

// An export is of the reel as it was when it was asked for, also when nobody works at it
// until much was changed. A file whose time is over goes, and its job says so.
func TestAnExportIsOfItsMoment(t *testing.T) {
	ctx, r := context.Background(), rigOf(t, dbtest.DSN(t), gate.Times{}, 0)
	_, want := r.request("GET", "/api/v1/reels/1/export?bits=32", nil, nil)
	var made struct{ ID int64 }
	r.api(201, "POST", "/reels/1/exports", delivery.Order{To: -1, Bits: 32, Channels: 2, File: delivery.WAV}, &made)
	mute := true
	for _, track := range r.reel(1).Reel.Tracks {
		r.edit(1, &reel.SetTrack{Track: track.ID, Mute: &mute})
	}
	r.api(200, "POST", "/reels/1/undo", map[string]any{}, nil)
	path := fmt.Sprintf("/jobs/%d", made.ID)
	var v work.JobView
	if r.api(200, "GET", path, nil, &v); v.State != store.Waiting {
		t.Fatalf("%+v", v)
	}
	r.api(409, "DELETE", path, nil, nil)
	files, err := work.OpenFiles(filepath.Join(r.library.Dir(), "..", "exports"))
	if err != nil {
		t.Fatal(err)
	}
	files.Days = 1.0 / 86400
	jobs := work.NewJobs(r.store, r.library, files, slog.New(slog.NewTextHandler(io.Discard, nil)), nil)
	worker, home := context.WithCancel(ctx)
	defer home()
	go jobs.Keep(worker)
	if v = r.job(made.ID); v.State != store.Done {
		t.Fatalf("%+v", v)
	}
	res, got := r.request("GET", "/api/v1"+path+"/file", nil, nil)
	if res.StatusCode != 200 || len(got) != len(want) || !bytes.Equal(got[2000:], want[2000:]) {
		t.Errorf("it is not what was heard when it was asked for: %d, %d bytes for %d", res.StatusCode, len(got), len(want))
	}
	time.Sleep(time.Until(*v.KeptUntil) + 100*time.Millisecond)
	n, freed, err := work.CleanFiles(ctx, r.store, files)
	if n != 1 || freed != int64(len(want)) || err != nil {
		t.Errorf("%d files, %d bytes went, %v", n, freed, err)
	}
	if res, _ := r.request("GET", "/api/v1"+path+"/file", nil, nil); res.StatusCode != 404 {
		t.Errorf("a file whose time is over: %d", res.StatusCode)
	}
	v = work.JobView{}
	if r.api(200, "GET", path, nil, &v); v.KeptUntil != nil || v.State != store.Done {
		t.Errorf("%+v", v)
	}
}
