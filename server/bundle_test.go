package server

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"reflect"
	"slices"
	"strings"
	"testing"

	"blendseam/core/reel"
	"blendseam/dbserver/dbtest"
	"blendseam/outside"
	"blendseam/server/answer"
	"blendseam/server/api"
	"blendseam/server/gate"
	"blendseam/store"
	"blendseam/work"
)

// bundled is a reel as the file that is handed on.
func (r *rig) bundled(id int64, want work.BundleSettings) []byte {
	r.t.Helper()
	var made struct {
		ID int64 `json:"id"`
	}
	r.api(201, "POST", fmt.Sprintf("/reels/%d/bundles", id), want, &made)
	if j := r.job(made.ID); j.State != store.Done {
		r.t.Fatalf("%+v", j)
	}
	res, b := r.request("GET", fmt.Sprintf("/api/v1/jobs/%d/file", made.ID), nil, nil)
	if res.StatusCode != 200 || !strings.Contains(res.Header.Get("Content-Disposition"), ".bundle.zip") {
		r.t.Fatalf("%d %v", res.StatusCode, res.Header)
	}
	return b
}

// takeOver makes a reel of a bundle.
func (r *rig) takeOver(b []byte) (out work.TakenOver) {
	r.t.Helper()
	r.api(201, "POST", "/bundles?name=there.zip", string(b), &out)
	return out
}

// film lays a shot into a reel that runs at half its speed.
func (r *rig) film(id int64) {
	r.t.Helper()
	path := filepath.Join(r.t.TempDir(), "cam.mp4")
	outside.CodedFile(r.t, path, 60, "25", "-c:v", "libx264", "-pix_fmt", "yuv420p")
	file, err := os.ReadFile(path)
	if err != nil {
		r.t.Fatal(err)
	}
	if j := r.bringIn(id, "cam.mp4", file); j.State != "done" {
		r.t.Fatalf("%+v", j)
	}
	track := r.edit(id, &reel.AddTrack{Name: "Picture", Role: reel.PictureRole}).Outcome.Made[0]
	for _, s := range r.reel(id).Reel.Sources {
		if s.Shows() {
			r.edit(id, &reel.LayShot{Picture: s.ID, Track: track, Start: 0, Length: 50 * 1920})
		}
	}
	r.edit(id, &reel.PaceShot{Shot: r.reel(id).Reel.OnTrack(track)[0].ID, Length: 100 * 1920})
}

// A bundle that is opened by a server that has neither the reel nor its sound is the same
// reel: bit for bit in sound, with its history, its versions and what was accepted.
func TestBundleOnAnotherServer(t *testing.T) {
	here, there := rigOn(t, dbtest.DSN(t)), bareRig(t, dbtest.DSN(t), gate.Times{}, 2)
	for _, id := range []int64{1, 2} {
		clips := here.reel(id).Reel.Clips
		if id == 2 {
			here.film(id)
		}
		here.edit(id, &reel.AddMarker{At: 48000, Text: "before"})
		here.api(201, "POST", fmt.Sprintf("/reels/%d/versions", id), map[string]string{"name": "first"}, nil)
		here.edit(id, &reel.Split{Clips: []reel.ID{clips[len(clips)-1].ID}, At: clips[len(clips)-1].Start + 9600})
		here.api(200, "POST", fmt.Sprintf("/reels/%d/undo", id), nil, nil)
		seams := here.measured(id)
		here.api(204, "POST", fmt.Sprintf("/reels/%d/accept", id), api.AcceptRequest{Print: seams.Seams[1].Print, Good: true}, nil)
		b := here.bundled(id, work.BundleSettings{History: true, Versions: true})
		path := filepath.Join(t.TempDir(), "b.zip")
		if err := os.WriteFile(path, b, 0o600); err != nil {
			t.Fatal(err)
		}
		outside.Run(t, nil, "unzip", "-tq", path)
		got := there.takeOver(b)
		if len(got.Left) > 0 {
			t.Errorf("left out: %q", got.Left)
		}
		a, c := here.reel(id), there.reel(got.Reel)
		if !reel.Diff(a.Reel, c.Reel).Empty() || a.Revision != c.Revision || a.Undo != c.Undo || a.Redo != c.Redo {
			t.Fatalf("it is at revision %d, undo %q, redo %q; was at %d, %q, %q", c.Revision, c.Undo, c.Redo, a.Revision, a.Undo, a.Redo)
		}
		var one, two api.StepPage
		here.api(200, "GET", fmt.Sprintf("/reels/%d/history", id), nil, &one)
		there.api(200, "GET", fmt.Sprintf("/reels/%d/history", got.Reel), nil, &two)
		if !reflect.DeepEqual(one, two) {
			t.Errorf("history %+v, was %+v", two, one)
		}
		var kept api.VersionList
		there.api(200, "GET", fmt.Sprintf("/reels/%d/versions", got.Reel), nil, &kept)
		if len(kept.Versions) != 1 || kept.Versions[0].Name != "first" {
			t.Errorf("versions %+v", kept)
		}
		pcm := func(r *rig, id int64) (out []byte) {
			for at := int64(0); at < a.Reel.Length(); at += 960_000 {
				out = append(out, r.get(fmt.Sprintf("/api/v1/reels/%d/pcm?from=%d&to=%d", id, at, min(at+960_000, a.Reel.Length())))...)
			}
			return out
		}
		if !bytes.Equal(pcm(here, id), pcm(there, got.Reel)) {
			t.Error("it does not sound the same")
		}
		if n := len(there.measured(got.Reel).Seams); n != len(seams.Seams) {
			t.Errorf("%d seams, was %d", n, len(seams.Seams))
		}
		for i, s := range there.measured(got.Reel).Seams {
			if s.Accepted != (s.Print == seams.Seams[1].Print) || s.Verdict != seams.Seams[i].Verdict {
				t.Errorf("seam %d–%d is %+v", s.Left, s.Right, s.Rated)
			}
		}
		for _, s := range c.Reel.Sources {
			if s.Shows() && s.Recording != "" && !reflect.DeepEqual(here.frames(s.Recording, "from=0&count=4"), there.frames(s.Recording, "from=0&count=4")) {
				t.Errorf("%s does not look the same", s.Name)
			}
		}
		// Undo to the beginning, and redo to the end, lead where they led.
		there.api(200, "POST", fmt.Sprintf("/reels/%d/redo", got.Reel), nil, nil)
		there.api(200, "POST", fmt.Sprintf("/reels/%d/go", got.Reel), map[string]int64{"revision": 0}, nil)
		findings, err := there.store.VerifyReel(t.Context(), got.Reel, false)
		if err != nil || len(findings) > 0 {
			t.Errorf("%v %v", findings, err)
		}
	}
}

// A recording that is gone when a reel is handed on is told of on both sides, and heard
// again as soon as its file is imported.
func TestBundleThatLacksARecording(t *testing.T) {
	here, there := rigOn(t, dbtest.DSN(t)), bareRig(t, dbtest.DSN(t), gate.Times{}, 2)
	src := here.reel(1).Reel.Sources[0]
	path := filepath.Join(here.library.Dir(), src.Recording[:2], src.Recording, "original")
	file, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	span := "/pcm?from=0&to=960000"
	want := here.get("/api/v1/reels/1" + span)
	if err := os.Remove(path); err != nil {
		t.Fatal(err)
	}
	var made struct{ ID int64 }
	here.api(201, "POST", "/reels/1/bundles", work.BundleSettings{}, &made)
	j := here.job(made.ID)
	if j.State != store.Done || !strings.Contains(j.Detail, "without “"+src.Name+"”") {
		t.Fatalf("%+v", j)
	}
	_, b := here.request("GET", fmt.Sprintf("/api/v1/jobs/%d/file", made.ID), nil, nil)
	got := there.takeOver(b)
	if len(got.Left) != 1 || !strings.Contains(got.Left[0], "“"+src.Name+"” is not in the bundle. Import") {
		t.Fatalf("%+v", got)
	}
	if report := string(there.get(fmt.Sprintf("/api/v1/reels/%d/reports/seams", got.Reel))); !strings.Contains(report, "missing media") {
		t.Errorf("no seam lacks its material:\n%s", report)
	}
	// Seams of others are measured as ever; those of its clips lack their material.
	lacks := map[reel.ID]bool{}
	var silent []reel.ID
	for _, c := range here.reel(1).Reel.Clips {
		if c.Source == src.ID {
			lacks[c.ID] = true
			silent = append(silent, c.ID)
		}
	}
	whole := here.measured(1)
	for i, s := range there.measured(got.Reel).Seams {
		if lacking := lacks[s.Left] || lacks[s.Right]; lacking != (s.Brief == "missing media") {
			t.Errorf("%d to %d, which lacks it: %v, is told as %q", s.Left, s.Right, lacking, s.Brief)
		} else if !lacking && s.Verdict == "" || lacking && s.Verdict != "unknown" {
			t.Errorf("%+v was %+v", s, whole.Seams[i])
		}
	}
	// What is heard is the reel without it; what is written tells of it.
	without := here.get("/api/v1/reels/1" + span + "&silent=" + strings.Trim(strings.ReplaceAll(fmt.Sprint(silent), " ", ","), "[]"))
	if !bytes.Equal(there.get(fmt.Sprintf("/api/v1/reels/%d%s", got.Reel, span)), without) {
		t.Error("the others do not sound as they did without it")
	}
	var look struct{ Missing int }
	there.api(200, "GET", fmt.Sprintf("/reels/%d/export/survey?bits=24&channels=2", got.Reel), nil, &look)
	if look.Missing != len(silent) {
		t.Errorf("%d clips are said to be silent, of %d", look.Missing, len(silent))
	}
	// Nothing is made of its silence: no fit, no stretch, no merged recording, no shorter pause.
	rev := there.reel(got.Reel).Revision
	lost, _ := there.reel(got.Reel).Reel.Clip(silent[0])
	for path, body := range map[string]string{
		"fits":       fmt.Sprintf(`{"base":%d,"clip":%d,"length":%d}`, rev, lost.ID, lost.Length*9/10),
		"extracts":   fmt.Sprintf(`{"source":%d,"stretches":[{"name":"a","from":0,"to":48000}],"sources":true,"files":false}`, src.ID),
		"merge":      fmt.Sprintf(`{"base":%d,"clips":[%d]}`, rev, lost.ID),
		"pauses-fit": fmt.Sprintf(`{"clip":%d,"length":%d}`, lost.ID, lost.Length*9/10),
	} {
		res, b := there.request("POST", fmt.Sprintf("/api/v1/reels/%d/%s", got.Reel, path), []byte(body), nil)
		if res.StatusCode != 422 && res.StatusCode != 400 || !strings.Contains(string(b), "recording") {
			t.Errorf("%s: %d %s", path, res.StatusCode, b)
		}
	}
	if now := there.reel(got.Reel).Revision; now != rev {
		t.Errorf("it is at revision %d, was at %d", now, rev)
	}
	var missing api.MissingList
	there.api(200, "GET", fmt.Sprintf("/reels/%d/missing", got.Reel), nil, &missing)
	if len(missing.Missing) != 1 || !missing.Missing[0].Gone || missing.Missing[0].ID != src.ID || missing.Missing[0].Clips != len(silent) {
		t.Fatalf("%+v", missing)
	}
	there.get(fmt.Sprintf("/api/v1/reels/%d/loudness", got.Reel)) // what is heard without it is remembered
	there.bringIn(got.Reel, "again.flac", file)
	for i, s := range there.measured(got.Reel).Seams {
		if w := whole.Seams[i]; s.Verdict != w.Verdict || s.Brief != w.Brief {
			t.Errorf("with its file again %q %q, was %q %q", s.Verdict, s.Brief, w.Verdict, w.Brief)
		}
	}
	if a, b := here.get("/api/v1/reels/1/loudness"), there.get(fmt.Sprintf("/api/v1/reels/%d/loudness", got.Reel)); !bytes.Equal(a, b) {
		t.Error("its loudness is told as without it")
	}
	if !bytes.Equal(there.get(fmt.Sprintf("/api/v1/reels/%d%s", got.Reel, span)), want) {
		t.Error("it does not sound as it did")
	}
}

// What is wrong with a bundle is told in words, and nothing is kept of it.
func TestBundlesThatAreNone(t *testing.T) {
	r := rigOn(t, dbtest.DSN(t))
	good := r.bundled(2, work.BundleSettings{History: true})
	there := bareRig(t, dbtest.DSN(t), gate.Times{}, 2)
	// altered writes the archive anew with some of its files otherwise.
	altered := func(change func(name string, b []byte) (string, []byte)) []byte {
		t.Helper()
		z, err := zip.NewReader(bytes.NewReader(good), int64(len(good)))
		if err != nil {
			t.Fatal(err)
		}
		var out bytes.Buffer
		w := zip.NewWriter(&out)
		for _, f := range z.File {
			in, _ := f.Open()
			var b bytes.Buffer
			if _, err := b.ReadFrom(in); err != nil {
				t.Fatal(err)
			}
			name, text := change(f.Name, b.Bytes())
			if name == "" {
				continue
			}
			e, _ := w.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Store})
			_, _ = e.Write(text)
		}
		if err := w.Close(); err != nil {
			t.Fatal(err)
		}
		return out.Bytes()
	}
	replaced := func(in, old, now string) []byte {
		return altered(func(name string, b []byte) (string, []byte) {
			if name == in {
				if !bytes.Contains(b, []byte(old)) {
					t.Fatalf("%s lacks %s", in, old)
				}
				return name, bytes.Replace(b, []byte(old), []byte(now), 1)
			}
			return name, b
		})
	}
	flip := func(name string, b []byte) (string, []byte) {
		if strings.HasPrefix(name, "recordings/") {
			b = bytes.Clone(b)
			b[len(b)/2] ^= 1
		}
		return name, b
	}
	drop := func(what string) []byte {
		return altered(func(name string, b []byte) (string, []byte) {
			if strings.HasPrefix(name, what) {
				return "", nil
			}
			return name, b
		})
	}
	for _, c := range []struct {
		what, says string
		b          []byte
	}{
		{"no archive", "no whole ZIP archive", []byte("hello, this is a text")},
		{"half of one", "no whole ZIP archive", good[:len(good)/2]},
		{"another archive", "no bundle", drop("bundle.json")},
		{"without its reel", "lacks reel.json", drop("reel.json")},
		{"without a recording", "lacks the recording", drop("recordings/")},
		{"altered sound", "content hash", altered(flip)},
		{"a newer one", "newer version", replaced("bundle.json", `"version":1`, `"version":7`)},
		{"a path that climbs out", "lacks the recording", replaced("bundle.json", `"path":"recordings/`, `"path":"../../recordings/`)},
		{"broken JSON", "no JSON", replaced("reel.json", `"`, `{`)},
		{"a reel that breaks a rule", "breaks a rule", replaced("reel.json", `"length":`, `"length":-`)},
	} {
		var p answer.Problem
		there.api(400, "POST", "/bundles?name=x.zip", string(c.b), &p)
		if !strings.Contains(p.Detail, c.says) || !strings.Contains(p.Detail, "cannot be opened") {
			t.Errorf("%s: %q", c.what, p.Detail)
		}
	}
	if shelf, err := there.store.Shelf(t.Context(), false); err != nil || len(shelf) > 0 {
		t.Errorf("%d reels were made of them; %v", len(shelf), err)
	}
	// A history that does not lead to the reel is left out, and told.
	got := there.takeOver(replaced("history.json", `"revision":1`, `"revision":9`))
	if len(got.Left) != 1 || !strings.Contains(got.Left[0], "history was left out") {
		t.Errorf("%+v", got)
	}
}

// While a bundle is opened, who sent it can ask how far that is; after it, nothing is told.
func TestOpeningIsTold(t *testing.T) {
	here, there := rigOn(t, dbtest.DSN(t)), bareRig(t, dbtest.DSN(t), gate.Times{}, 2)
	b := here.bundled(1, work.BundleSettings{})
	done := make(chan work.TakenOver)
	go func() {
		var out work.TakenOver
		there.api(201, "POST", "/bundles?name=there.zip&turn=mine", string(b), &out)
		done <- out
	}()
	var seen []float64
	for {
		select {
		case out := <-done:
			if out.Reel == 0 || len(seen) < 2 || !slices.IsSorted(seen) || seen[0] <= 0 || seen[len(seen)-1] > 1 {
				t.Errorf("reel %d; it was told %v", out.Reel, seen)
			}
			var after api.Opening
			there.api(200, "GET", "/bundles/mine", nil, &after)
			if after.Part != 0 {
				t.Errorf("after it, %v", after)
			}
			return
		default:
			var now api.Opening
			there.api(200, "GET", "/bundles/mine", nil, &now)
			if now.Part > 0 && (len(seen) == 0 || now.Part != seen[len(seen)-1]) {
				seen = append(seen, now.Part)
			}
		}
	}
}

// A recording whose file is not what came is told, not handed on: by the sum that was
// counted as it came, and where none was, by its content hash.
func TestBundleOfADamagedRecording(t *testing.T) {
	r := rigOn(t, dbtest.DSN(t))
	src := r.reel(1).Reel.Sources[0]
	folder := filepath.Join(r.library.Dir(), src.Recording[:2], src.Recording)
	if _, n, ok := r.library.OriginalSum(src.Recording); !ok || n != r.library.OriginalSize(src.Recording) {
		t.Fatalf("its sum is of %d bytes, known %v", n, ok)
	}
	file, err := os.ReadFile(filepath.Join(folder, "original"))
	if err != nil {
		t.Fatal(err)
	}
	file[len(file)/2] ^= 4
	if err := os.WriteFile(filepath.Join(folder, "original"), file, 0o600); err != nil {
		t.Fatal(err)
	}
	tries := func(how string) {
		t.Helper()
		var made struct{ ID int64 }
		r.api(201, "POST", "/reels/1/bundles", work.BundleSettings{}, &made)
		if j := r.job(made.ID); j.State != store.Failed || !strings.Contains(j.Detail, "is damaged: it is not what was imported") {
			t.Errorf("%s: %+v", how, j)
		}
	}
	tries("by its sum")
	lists, err := filepath.Glob(filepath.Join(folder, "*", "sums.json"))
	if err != nil || len(lists) == 0 {
		t.Fatal(err, lists)
	}
	for _, path := range lists {
		text, err := os.ReadFile(path)
		if err != nil {
			t.Fatal(err)
		}
		var list map[string]any
		if err := json.Unmarshal(text, &list); err != nil {
			t.Fatal(err)
		}
		delete(list, "original")
		if text, err = json.Marshal(list); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(path, text, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	if _, _, ok := r.library.OriginalSum(src.Recording); ok {
		t.Error("its sum is still known")
	}
	tries("by its content hash")
}
