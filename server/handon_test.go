package server

import (
	"archive/zip"
	"bytes"
	"encoding/binary"
	"fmt"
	"io"
	"math"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"blendseam/core/reel"
	"blendseam/dbserver/dbtest"
	"blendseam/outside"
	"blendseam/server/gate"
	"blendseam/store"
	"blendseam/work"
)

// A reel that is handed on as an audio decision list with its sound, and taken over from
// it by a server that has neither, sounds the same but for what the list says it lacks:
// here nothing but the last bit of 24.
func TestHandedOnWithItsSound(t *testing.T) {
	here, there := rigOn(t, dbtest.DSN(t)), bareRig(t, dbtest.DSN(t), gate.Times{}, 2)
	r := here.reel(1).Reel
	for _, tr := range r.Tracks { // the list holds neither
		gain, pan := 0.0, 0.0
		here.edit(1, &reel.SetTrack{Track: tr.ID, GainDB: &gain, Pan: &pan})
	}
	var made struct{ ID int64 }
	here.api(201, "POST", "/reels/1/bundles", work.BundleSettings{List: "adl"}, &made)
	j := here.job(made.ID)
	if j.State != store.Done || j.Detail != fmt.Sprintf("revision %d", here.reel(1).Revision) {
		t.Fatalf("%+v", j)
	}
	_, b := here.request("GET", fmt.Sprintf("/api/v1/jobs/%d/file", made.ID), nil, nil)
	z, err := zip.NewReader(bytes.NewReader(b), int64(len(b)))
	if err != nil {
		t.Fatal(err)
	}
	var fresh struct{ ID int64 }
	there.api(201, "POST", "/reels", map[string]any{"name": "taken over", "sampleRate": 48000, "frameRate": r.Props.FrameRate, "start": "01:00:00:00"}, &fresh)
	v := there.reel(fresh.ID)
	for _, tr := range v.Reel.Tracks { // the list brings its own
		there.edit(fresh.ID, &reel.RemoveTrack{Track: tr.ID})
	}
	var list []byte
	for _, f := range z.File {
		in, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		file, err := io.ReadAll(in)
		if err != nil {
			t.Fatal(err)
		}
		if strings.HasSuffix(f.Name, ".adl") {
			list = file
			continue
		}
		path := filepath.Join(t.TempDir(), "x.wav")
		if err := os.WriteFile(path, file, 0o600); err != nil {
			t.Fatal(err)
		}
		if told := string(outside.Run(t, nil, "mediainfo", path)); !strings.Contains(told, "24 bits") || !strings.Contains(told, "48.0 kHz") {
			t.Errorf("%s: %s", f.Name, told)
		}
		if j := there.bringIn(fresh.ID, f.Name, file); j.State != "done" {
			t.Fatalf("%+v", j)
		}
	}
	there.api(200, "POST", fmt.Sprintf("/reels/%d/lists?take=1&name=%s", fresh.ID, url.QueryEscape("x.adl")), string(list), nil)
	got := there.reel(fresh.ID).Reel
	if len(got.Clips) != len(r.Clips) || len(got.Blends) != len(r.Blends) || len(got.Markers) != len(r.Markers) || got.Length() != r.Length() {
		t.Errorf("%d clips, %d blends, %d markers, %d samples; was %d, %d, %d, %d", len(got.Clips), len(got.Blends), len(got.Markers), got.Length(), len(r.Clips), len(r.Blends), len(r.Markers), r.Length())
	}
	worst := 0.0
	for at := int64(0); at < r.Length(); at += 960_000 {
		path := func(id int64) string {
			return fmt.Sprintf("/api/v1/reels/%d/pcm?from=%d&to=%d", id, at, min(at+960_000, r.Length()))
		}
		a, b := here.get(path(1)), there.get(path(fresh.ID))
		for i := 0; i+4 <= len(a); i += 4 {
			x, y := math.Float32frombits(binary.LittleEndian.Uint32(a[i:])), math.Float32frombits(binary.LittleEndian.Uint32(b[i:]))
			worst = max(worst, math.Abs(float64(x-y)))
		}
	}
	if worst > 2e-6 {
		t.Errorf("it sounds otherwise by %g", worst)
	}
}
