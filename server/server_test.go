package server

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"blendseam/core/measure"
	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/dbserver/dbtest"
	"blendseam/demo"
	"blendseam/media"
	"blendseam/server/answer"
	"blendseam/server/api"
	"blendseam/server/gate"
	"blendseam/server/live"
	"blendseam/store"
	"blendseam/work"
)

func TestMain(m *testing.M) { dbtest.Main(m) }

// rig is a server over a real database with the demo on its shelf.
type rig struct {
	t       *testing.T
	store   *store.Store
	library *media.Library
	web     *httptest.Server
}

func newRig(t *testing.T) *rig {
	t.Helper()
	r := rigOn(t, dbtest.DSN(t))
	r.library.Limit = 8 << 20
	return r
}

// rigOn is a server with the demo's reels on a database.
func rigOn(t *testing.T, dsn string) *rig { return rigWith(t, dsn, gate.Times{}) }

// rigWith is one that waits for the other side so long.
func rigWith(t *testing.T, dsn string, times gate.Times) *rig {
	t.Helper()
	ctx := context.Background()
	st, err := store.Open(ctx, dsn)
	if err != nil {
		t.Fatal(err)
	}
	library, err := media.OpenLibrary(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	if err := demo.Load(ctx, st, library); err != nil {
		t.Fatal(err)
	}
	s, err := New(Config{Store: st, Library: library, Log: slog.New(slog.NewTextHandler(io.Discard, nil)), Times: times})
	if err != nil {
		t.Fatal(err)
	}
	r := &rig{t, st, library, httptest.NewServer(s.Handler())}
	t.Cleanup(func() {
		s.Close()
		r.web.CloseClientConnections()
		r.web.Close()
		library.Close()
		st.Close()
	})
	return r
}

func (r *rig) request(method, path string, body []byte, alter func(*http.Request)) (*http.Response, []byte) {
	r.t.Helper()
	req, err := http.NewRequest(method, r.web.URL+path, bytes.NewReader(body))
	if err != nil {
		r.t.Fatal(err)
	}
	if method != "GET" && !strings.HasSuffix(req.URL.Path, "/uploads") {
		req.Header.Set("Content-Type", "application/json")
	}
	if alter != nil {
		alter(req)
	}
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		r.t.Fatal(err)
	}
	defer res.Body.Close()
	out, err := io.ReadAll(res.Body)
	if err != nil {
		r.t.Fatal(err)
	}
	return res, out
}

// api sends JSON and reads JSON; it fails the test on another status.
func (r *rig) api(status int, method, path string, in, out any) {
	r.t.Helper()
	body, _ := json.Marshal(in)
	if in == nil {
		body = nil
	}
	if text, ok := in.(string); ok {
		body = []byte(text)
	}
	res, got := r.request(method, "/api/v1"+path, body, nil)
	if res.StatusCode != status {
		r.t.Fatalf("%s %s: %d, want %d\n%s", method, path, res.StatusCode, status, got)
	}
	r.holds(method, path, res, got)
	if out != nil {
		if err := json.Unmarshal(got, out); err != nil {
			r.t.Fatalf("%s %s: %v\n%s", method, path, err, got)
		}
	}
}

// imports are the files of a reel on their way in.
func (r *rig) imports(id int64) []work.Job {
	r.t.Helper()
	var list struct{ Imports []work.Job }
	r.api(200, "GET", fmt.Sprintf("/reels/%d/imports", id), nil, &list)
	return list.Imports
}

func (r *rig) reel(id int64) store.Version {
	var v store.Version
	r.api(200, "GET", fmt.Sprintf("/reels/%d", id), nil, &v)
	return v
}

func (r *rig) edit(id int64, e reel.Edit) live.Changed {
	r.t.Helper()
	text, err := reel.Encode(e)
	if err != nil {
		r.t.Fatal(err)
	}
	var c live.Changed
	r.api(200, "POST", fmt.Sprintf("/reels/%d/edits", id), map[string]any{"base": r.reel(id).Revision, "edit": json.RawMessage(text)}, &c)
	return c
}

func named(v store.Version, name string) reel.Clip {
	for _, c := range v.Reel.Clips {
		if c.Name == name {
			return c
		}
	}
	return reel.Clip{}
}

func TestDemoReelIsSound(t *testing.T) {
	r := newRig(t)
	v := r.reel(1)
	if err := v.Reel.Check(); err != nil {
		t.Fatal(err)
	}
	if len(v.Reel.Tracks) != 5 || len(v.Reel.Clips) < 16 || v.Reel.Length() < 75*48000 || v.Reel.Length() > 105*48000 {
		t.Errorf("%d tracks, %d clips, %d samples", len(v.Reel.Tracks), len(v.Reel.Clips), v.Reel.Length())
	}
	// A cut with no handle to come in from was planted.
	if c := named(v, "Grower 5"); c.Offset > 48000/25 {
		t.Errorf("“Grower 5” has a handle of %d samples", c.Offset)
	}
	// The rough layout is the same scene, with more in it.
	rough := r.reel(2)
	if err := rough.Reel.Check(); err != nil || len(rough.Reel.Clips) <= len(v.Reel.Clips) || rough.Reel.Length() <= v.Reel.Length() {
		t.Errorf("the rough layout: %v, %d clips", err, len(rough.Reel.Clips))
	}
	if err := demo.Load(context.Background(), r.store, r.library); err != nil {
		t.Fatal(err)
	}
	if reels, _ := r.store.Shelf(context.Background(), false); len(reels) != 2 {
		t.Error("the demo was loaded twice")
	}
	files, err := os.ReadDir("../demo/sound")
	if err != nil {
		t.Fatal(err)
	}
	var all int64
	for _, f := range files {
		info, _ := f.Info()
		if info.Size() > 4<<20 {
			t.Errorf("%s has %d bytes", f.Name(), info.Size())
		}
		all += info.Size()
	}
	if all > 12<<20 {
		t.Errorf("the demo's sound has %d bytes", all)
	}
}

// The faults that were planted can be measured where they were planted.
func TestDemoFaults(t *testing.T) {
	r := newRig(t)
	v := r.reel(1)
	render := func(track string, from, n int64) []float32 {
		o := mix.Options{}
		for _, tr := range v.Reel.Tracks {
			if track != "" && tr.Name != track {
				o.Without = append(o.Without, tr.ID)
			}
		}
		m, err := mix.New(v.Reel, func(src reel.Source) (sound.Reader, error) { return r.library.Sound(src, 48000) }, o)
		left, right := make([]float32, n), make([]float32, n)
		if err == nil {
			err = m.Render(context.Background(), left, right, from)
		}
		if err != nil {
			t.Fatal(err)
		}
		return left
	}
	// The room falls by more than 6 dB where take 3 meets take 5.
	cut := named(v, "Warden 5").Start
	before, after := measure.RMS(render("Warden", cut-12000, 9600)), measure.RMS(render("Warden", cut+1200, 9600))
	if before-after < 6 {
		t.Errorf("the room goes from %.1f to %.1f dBFS", before, after)
	}
	// The fourth line is nearer to the microphone than the third.
	third, fourth := named(v, "Warden 3"), named(v, "Warden 4")
	if a, b := measure.Peak(render("Warden", third.Start, third.Length)), measure.Peak(render("Warden", fourth.Start, fourth.Length)); b-a < 3 {
		t.Errorf("the peaks go from %.1f to %.1f dBFS", a, b)
	}
	// The shortened bed steps at its cut by far more than it does beside it.
	cut = named(v, "opening bed b").Start
	around := render("Music", cut-200, 400)
	beside := float32(0)
	for i := 1; i < 200; i++ {
		beside = max(beside, max(around[i]-around[i-1], around[i-1]-around[i]))
	}
	if step := max(around[200]-around[199], around[199]-around[200]); step < 3*beside || step < 0.01 {
		t.Errorf("the cut steps by %.4f, its surroundings by %.4f", step, beside)
	}
	// The programme has a hole of pure digital silence between half a second and two.
	whole := render("", 0, v.Reel.Length())
	longest, run := 0, 0
	for _, x := range whole[48000:] {
		if run++; x != 0 {
			run = 0
		}
		longest = max(longest, run)
	}
	if sec := float64(longest) / 48000; sec < 0.5 || sec > 2 {
		t.Errorf("the longest hole is %.2f s", sec)
	}
	// The slow line is spoken at half the pace of the others.
	if slow := named(v, "Grower 6"); slow.Length < 48000*2 {
		t.Errorf("the slow line takes %d samples", slow.Length)
	}
}

func TestEditDryRunUndoRedo(t *testing.T) {
	r := newRig(t)
	v := r.reel(1)
	a, b := named(v, "Warden 2"), named(v, "Warden 3")
	blend := fmt.Sprintf(`{"do":"setBlend","with":{"left":%d,"right":%d,"before":4800,"after":4800,"law":"constantGain","lean":0.5}}`, a.ID, b.ID)
	body := fmt.Sprintf(`{"base":%d,"edit":%s,"closeUp":{"left":%d,"right":%d,"around":48000}}`, v.Revision, blend, a.ID, b.ID)
	var dry api.DryRun
	r.api(200, "POST", "/reels/1/dry-run", body, &dry)
	if dry.CloseUp == nil || dry.CloseUp.Blend == nil || len(dry.CloseUp.Curves.Out) != api.CurvePoints+1 || len(dry.CloseUp.Level.Hard) != len(dry.CloseUp.Level.Blend) {
		t.Fatalf("%+v", dry.CloseUp)
	}
	if after := r.reel(1); after.Revision != v.Revision || len(after.Reel.Blends) != len(v.Reel.Blends) {
		t.Fatal("a dry run changed the reel")
	}
	var done live.Changed
	r.api(200, "POST", "/reels/1/edits", fmt.Sprintf(`{"base":%d,"edit":%s}`, v.Revision, blend), &done)
	if done.Revision != v.Revision+1 || len(done.Change.Blends) != 1 || done.Undo == "" {
		t.Fatalf("%+v", done)
	}
	r.api(200, "POST", "/reels/1/undo", nil, &done)
	if got := r.reel(1); len(got.Reel.Blends) != len(v.Reel.Blends) || got.Redo == "" {
		t.Error("undo left the blend")
	}
	r.api(200, "POST", "/reels/1/redo", nil, &done)
	r.api(422, "POST", "/reels/1/redo", nil, nil)
	var hist struct{ Steps []store.Step }
	r.api(200, "GET", "/reels/1/history?limit=2", nil, &hist)
	if len(hist.Steps) != 2 || hist.Steps[0].Kind != "redo" {
		t.Errorf("%+v", hist.Steps)
	}
}

// A refusal says what would be possible and offers it; an edit of what has
// changed since says what changed; nonsense is told from both.
func TestRefusals(t *testing.T) {
	r := newRig(t)
	v := r.reel(1)
	a, b := named(v, "Warden 2"), named(v, "Warden 3")
	send := func(status int, base int64, edit string) answer.Problem {
		t.Helper()
		var p answer.Problem
		r.api(status, "POST", "/reels/1/edits", fmt.Sprintf(`{"base":%d,"edit":%s}`, base, edit), &p)
		return p
	}
	p := send(422, v.Revision, fmt.Sprintf(`{"do":"setBlend","with":{"left":%d,"right":%d,"before":0,"after":99999999,"law":"constantPower","lean":0.5}}`, a.ID, b.ID))
	if p.Offer == nil || p.Limit == 0 || !strings.Contains(p.Detail, "Longest") {
		t.Fatalf("%+v", p)
	}
	send(200, v.Revision, string(p.Offer))
	p = send(422, r.reel(1).Revision, fmt.Sprintf(`{"do":"move","with":{"clips":[%d],"by":-4800}}`, b.ID))
	if p.Offer == nil || !strings.Contains(p.Detail, "Warden 2") {
		t.Errorf("%+v", p)
	}
	if p = send(409, v.Revision, fmt.Sprintf(`{"do":"removeBlend","with":{"blend":%d}}`, r.reel(1).Reel.Blends[len(r.reel(1).Reel.Blends)-1].ID)); !strings.Contains(p.Detail, "changed since") {
		t.Errorf("%+v", p)
	}
	for _, bad := range []string{`{"do":"x","with":{}}`, `{"do":"move","with":{"clips":[1],"by":1.5}}`, `{"do":"move","with":{"clips":[1],"by":1e400}}`, `{"do":"move","with":{"nonsense":1}}`, `7`} {
		send(400, v.Revision, bad)
	}
	r.api(404, "GET", "/reels/99", nil, nil)
	r.api(400, "GET", "/reels/x", nil, nil)
	r.api(400, "GET", "/reels/1/pcm?from=5&to=5", nil, nil)
	r.api(400, "GET", "/reels/1/pcm?from=0&to=99999999999", nil, nil)
	r.api(404, "GET", "/recordings/..%2f..%2fetc/48000/samples/0", nil, nil)
}

func TestOnlyThisHostAndItsOwnPages(t *testing.T) {
	r := newRig(t)
	if res, _ := r.request("GET", "/", nil, func(q *http.Request) { q.Host = "evil.example" }); res.StatusCode != http.StatusMisdirectedRequest {
		t.Errorf("a foreign host: %d", res.StatusCode)
	}
	for _, header := range [][2]string{{"Origin", "https://evil.example"}, {"Sec-Fetch-Site", "cross-site"}} {
		if res, _ := r.request("DELETE", "/api/v1/reels/1", nil, func(q *http.Request) { q.Header.Set(header[0], header[1]) }); res.StatusCode != http.StatusForbidden {
			t.Errorf("%s: %d", header[0], res.StatusCode)
		}
	}
	res, body := r.request("GET", "/reels/1", nil, nil)
	csp := res.Header.Get("Content-Security-Policy")
	if res.StatusCode != 200 || !strings.Contains(csp, "default-src 'none'") || strings.Contains(csp, "unsafe") {
		t.Errorf("%d, policy %q", res.StatusCode, csp)
	}
	if bytes.Contains(body, []byte("<script>")) || bytes.Contains(body, []byte(" style=\"")) {
		t.Error("the page has a script or style inline")
	}
	if res, _ := r.request("GET", "/reels/77", nil, nil); res.StatusCode != 404 {
		t.Errorf("a page of no reel: %d", res.StatusCode)
	}
	if res, _ := r.request("GET", "/static/../server.go", nil, nil); res.StatusCode != 404 {
		t.Errorf("outside static: %d", res.StatusCode)
	}
	huge := bytes.Repeat([]byte(" "), gate.MaxJSON+10)
	if res, _ := r.request("POST", "/api/v1/reels", huge, nil); res.StatusCode != http.StatusRequestEntityTooLarge && res.StatusCode != 400 {
		t.Errorf("a huge body: %d", res.StatusCode)
	}
}

// What is exported is what was heard: the float file holds the PCM that the
// player gets, bit for bit; a span is a part of the whole.
func TestExportIsWhatIsHeard(t *testing.T) {
	r := newRig(t)
	heard := func(from, to int) []byte {
		_, b := r.request("GET", fmt.Sprintf("/api/v1/reels/1/pcm?from=%d&to=%d", from, to), nil, nil)
		return b
	}
	data := func(query string) []byte {
		res, b := r.request("GET", "/api/v1/reels/1/export?"+query, nil, nil)
		if res.StatusCode != 200 {
			t.Fatalf("%s: %d %s", query, res.StatusCode, b)
		}
		if !strings.Contains(res.Header.Get("Content-Disposition"), "Frost Warning") {
			t.Error(res.Header.Get("Content-Disposition"))
		}
		at := bytes.Index(b, []byte("data"))
		return b[at+8:]
	}
	whole := data("bits=32")
	n := int(r.reel(1).Reel.Length())
	if len(whole) != n*8 {
		t.Fatalf("%d bytes, want %d", len(whole), n*8)
	}
	for from := 0; from < n; from += 28 * 48000 {
		to := min(from+28*48000, n)
		if !bytes.Equal(heard(from, to), whole[from*8:to*8]) {
			t.Errorf("from %d: heard and exported differ", from)
		}
	}
	if !bytes.Equal(data("bits=32&from=1000001&to=1500007"), whole[1000001*8:1500007*8]) {
		t.Error("a span is not a part of the whole")
	}
	// The dither follows the place, so it holds for integers too.
	if a, b := data("bits=16"), data("bits=16&from=1000001&to=1500007"); !bytes.Equal(b, a[1000001*4:1500007*4]) {
		t.Error("a 16-bit span is not a part of the whole")
	}
	var look struct {
		Length, Bytes, Over int64
		PeakDB              float64
	}
	r.api(200, "GET", "/reels/1/export/survey?bits=24&channels=1", nil, &look)
	if look.Length != int64(n) || look.PeakDB > 0 || look.PeakDB < -30 {
		t.Errorf("%+v", look)
	}
	r.api(400, "GET", "/reels/1/export?from=10&to=5", nil, nil)
	r.api(400, "GET", fmt.Sprintf("/reels/1/export?to=%d", n+1), nil, nil)
	mine := "/api/v1/reels/1/pcm?from=0&to=10&revision=1&uid=" + r.reel(1).UID
	res, _ := r.request("GET", mine, nil, nil)
	again, _ := r.request("GET", mine, nil, func(q *http.Request) { q.Header.Set("If-None-Match", res.Header.Get("ETag")) })
	if again.StatusCode != http.StatusNotModified {
		t.Errorf("the same again: %d", again.StatusCode)
	}
	// What a browser keeps is never taken for a reel of another database.
	for _, uid := range []string{"", "&uid=another"} {
		res, _ = r.request("GET", "/api/v1/reels/1/pcm?from=0&to=10&revision=1"+uid, nil, nil)
		if keep := res.Header.Get("Cache-Control"); keep != "no-store" || res.Header.Get("ETag") != "" {
			t.Errorf("without its identity: %q", keep)
		}
	}
}

func (r *rig) upload(name string, file []byte) (int, work.Job) {
	r.t.Helper()
	res, body := r.request("POST", "/api/v1/reels/1/uploads?name="+url.QueryEscape(name), file, nil)
	if res.StatusCode != 202 {
		return res.StatusCode, work.Job{Detail: string(body)}
	}
	var j work.Job
	if err := json.Unmarshal(body, &j); err != nil {
		r.t.Fatal(err)
	}
	for {
		var list struct{ Imports []work.Job }
		r.api(200, "GET", "/reels/1/imports", nil, &list)
		for _, o := range list.Imports {
			if o.ID == j.ID && (over(o) || o.State == "choose") {
				return 202, o
			}
		}
		time.Sleep(10 * time.Millisecond)
	}
}

// wave is a 16-bit WAVE file of silence with a mark in its first sample.
func wave(channels, n int, mark byte) []byte {
	b := []byte("RIFF____WAVEfmt \x10\x00\x00\x00\x01\x00")
	b = append(b, byte(channels), 0, 0x80, 0xbb, 0, 0, 0, 0, 0, 0, byte(2*channels), 0, 16, 0)
	b = append(b, "data"...)
	size := 2 * channels * n
	b = append(b, byte(size), byte(size>>8), byte(size>>16), byte(size>>24))
	b = append(b, make([]byte, size)...)
	b[44] = mark
	return b
}

func TestUploads(t *testing.T) {
	r := newRig(t)
	before := len(r.reel(1).Reel.Sources)
	_, j := r.upload(`C:\takes\night "1".wav`, wave(2, 4800, 1))
	if j.State != "done" || j.Source == 0 || j.Name != `night "1".wav` {
		t.Fatalf("%+v", j)
	}
	src, _ := r.reel(1).Reel.Source(j.Source)
	if src.Right != 1 || src.Length != 4800 || src.Name != `night "1"` {
		t.Errorf("%+v", src)
	}
	if _, j = r.upload("again.wav", wave(2, 4800, 1)); j.State != "done" || !strings.Contains(j.Detail, "has that sound already") {
		t.Errorf("the same twice: %+v", j)
	}
	if _, j = r.upload("short.wav", wave(1, 4800, 2)[:44+4000]); j.State != "done" || !strings.Contains(j.Detail, "missing") {
		t.Errorf("cut short: %+v", j)
	}
	if _, j = r.upload("letter.txt", []byte("no sound at all")); j.State != "failed" || !strings.Contains(j.Detail, "letter.txt") {
		t.Errorf("not sound: %+v", j)
	}
	if status, j := r.upload("big.wav", make([]byte, 9<<20)); status != 422 || !strings.Contains(j.Detail, "larger than") {
		t.Errorf("too large: %d %+v", status, j)
	}
	if status, _ := r.upload("", nil); status != 400 {
		t.Error("an upload without a name")
	}
	_, j = r.upload("poly.wav", wave(6, 480, 3))
	if j.State != "choose" || j.Channels != 6 {
		t.Fatalf("%+v", j)
	}
	path := "/reels/1/imports/" + j.ID
	r.api(400, "POST", path+"/channels", `{"picks":[{"left":6,"right":-1,"name":"x"}]}`, nil)
	r.api(400, "POST", path+"/channels", `{"picks":[]}`, nil)
	r.api(204, "POST", path+"/channels", `{"picks":[{"left":4,"right":5,"name":"boom"},{"left":0,"right":-1,"name":"lavalier"}]}`, nil)
	if got := len(r.reel(1).Reel.Sources); got != before+4 {
		t.Errorf("%d sources more, want 4", got-before)
	}
	// Two recordings that call themselves alike are told apart.
	r.upload("night \"1\".wav", wave(1, 50, 4))
	r.upload("night \"1\".wav", wave(1, 50, 5))
	got := map[string]int{}
	for _, s := range r.reel(1).Reel.Sources {
		got[s.Name]++
	}
	if got[`night "1"`] != 1 || got[`night "1" 2`] != 1 || got[`night "1" 3`] != 1 {
		t.Errorf("%v", got)
	}
	// Sources come and go outside the line of undo.
	if v := r.reel(1); v.Undo != "" {
		t.Errorf("undo would take back %q", v.Undo)
	}
}

func TestSourcesInUse(t *testing.T) {
	r := newRig(t)
	v := r.reel(1)
	used := named(v, "Warden 1").Source
	var p answer.Problem
	r.api(422, "DELETE", fmt.Sprintf("/reels/1/sources/%d", used), nil, &p)
	if !strings.Contains(p.Detail, "Warden 1") || !strings.Contains(p.Detail, "01:00:") {
		t.Errorf("%+v", p)
	}
	_, j := r.upload("a.wav", wave(1, 100, 9))
	one := fmt.Sprintf("/reels/1/sources/%d", j.Source)
	r.api(200, "PATCH", one, `{"name":"hum"}`, nil)
	r.api(422, "PATCH", one, `{"name":" "}`, nil)
	r.api(200, "DELETE", one, nil, nil)
	var list struct{ Sources []api.ListedSource }
	r.api(200, "GET", "/reels/1/sources", nil, &list)
	for _, s := range list.Sources {
		if s.ID == j.Source {
			t.Error("it is still listed")
		}
		if s.ID == used && (len(s.Used) != 4 || s.Details.Format == "") {
			t.Errorf("%+v", s)
		}
	}
	r.api(200, "POST", one+"/restore", nil, nil)
	if s, _ := r.reel(1).Reel.Source(j.Source); s.Unlisted || s.Name != "hum" {
		t.Errorf("%+v", s)
	}
}

// Those who watch are told of every change, those they missed first.
func TestEvents(t *testing.T) {
	r := newRig(t)
	first := r.edit(1, &reel.AddTrack{Name: "one", Role: reel.Spots})
	res, err := http.Get(r.web.URL + "/api/v1/reels/1/events?since=1")
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	got := make(chan string, 100)
	go func() {
		buf := make([]byte, 1<<16)
		for {
			n, err := res.Body.Read(buf)
			if n > 0 {
				got <- string(buf[:n])
			}
			if err != nil {
				close(got)
				return
			}
		}
	}()
	await := func(what string) {
		t.Helper()
		all := ""
		for {
			select {
			case s := <-got:
				if all += s; strings.Contains(all, what) {
					return
				}
			case <-time.After(10 * time.Second):
				t.Fatalf("no %q in %q", what, all)
			}
		}
	}
	await(fmt.Sprintf(`"revision":%d`, first.Revision))
	second := r.edit(1, &reel.AddTrack{Name: "two", Role: reel.Spots})
	await(fmt.Sprintf(`"revision":%d`, second.Revision))
	r.upload("x.wav", wave(1, 10, 1))
	await("event: import")
}

func TestShelfOverHTTP(t *testing.T) {
	r := newRig(t)
	var made struct{ ID int64 }
	r.api(201, "POST", "/reels", `{"name":"Scene 4","frameRate":{"num":30000,"den":1001,"drop":true},"start":"00:59:59;28"}`, &made)
	v := r.reel(made.ID)
	if len(v.Reel.Tracks) != 5 || v.Reel.Props.SampleRate != 48000 || v.Reel.Props.StartFrame == 0 {
		t.Errorf("%+v", v.Reel.Props)
	}
	r.api(422, "POST", "/reels", `{"name":"  ","frameRate":{"num":25,"den":1}}`, nil)
	r.api(400, "POST", "/reels", `{"name":"x","frameRate":{"num":12,"den":1}}`, nil)
	r.api(400, "POST", "/reels", `{"name":"x","frameRate":{"num":25,"den":1},"start":"99:00:00:00"}`, nil)
	r.api(422, "POST", "/reels", `{"name":"x","frameRate":{"num":25,"den":1},"sampleRate":8000}`, nil)
	r.api(400, "GET", fmt.Sprintf("/reels/%d/export", made.ID), nil, nil)
	var copied struct{ ID int64 }
	r.api(201, "POST", "/reels/1/copy", `{"name":"Twin"}`, &copied)
	r.api(204, "DELETE", "/reels/1", nil, nil)
	r.api(404, "GET", "/reels/1", nil, nil)
	var gone struct{ Reels []store.Entry }
	r.api(200, "GET", "/reels?removed=1", nil, &gone)
	if len(gone.Reels) != 1 {
		t.Errorf("%+v", gone)
	}
	r.api(204, "POST", "/reels/1/restore", nil, nil)
	var tc struct {
		Sample int64
		Text   string
	}
	r.api(200, "GET", "/reels/1/timecode?text=01:00:02:10", nil, &tc)
	if tc.Sample != 60*1920 || tc.Text != "01:00:02:10" {
		t.Errorf("%+v", tc)
	}
	r.api(400, "GET", "/reels/1/timecode?text=00:00:00:00", nil, nil)
	for _, page := range []string{"/", "/reels/1", "/reels/1/sources"} {
		if res, body := r.request("GET", page, nil, nil); res.StatusCode != 200 || !bytes.Contains(body, []byte("</html>")) {
			t.Errorf("%s: %d", page, res.StatusCode)
		}
	}
}

// A reel at another rate takes recordings of all rates in, to the right length,
// and exports at its own.
func TestOtherRates(t *testing.T) {
	r := newRig(t)
	for _, rate := range []int{44100, 96000} {
		var made struct{ ID int64 }
		r.api(201, "POST", "/reels", fmt.Sprintf(`{"name":"r","frameRate":{"num":24000,"den":1001},"sampleRate":%d}`, rate), &made)
		path := fmt.Sprintf("/reels/%d", made.ID)
		res, body := r.request("POST", "/api/v1"+path+"/uploads?name=a.wav", wave(2, 48000, 7), nil)
		if res.StatusCode != 202 {
			t.Fatalf("%s", body)
		}
		for len(r.reel(made.ID).Reel.Sources) == 0 {
			time.Sleep(10 * time.Millisecond)
		}
		v := r.reel(made.ID)
		src := v.Reel.Sources[0]
		if d := src.Length - int64(rate); d < -1 || d > 1 {
			t.Errorf("at %d Hz: %d samples", rate, src.Length)
		}
		r.edit(made.ID, &reel.Place{Source: src.ID, Track: v.Reel.Tracks[0].ID, Start: 0, Offset: 0, Length: 1})
		r.edit(made.ID, &reel.Place{Source: src.ID, Track: v.Reel.Tracks[0].ID, Start: 1, Offset: 1, Length: 100})
		r.edit(made.ID, &reel.SetBlend{Left: r.reel(made.ID).Reel.Clips[0].ID, Right: r.reel(made.ID).Reel.Clips[1].ID, Before: 1, After: 0, Law: "constantPower", Lean: 0.5})
		var look struct{ Length int64 }
		r.api(200, "GET", path+"/export/survey?bits=16", nil, &look)
		if look.Length != 101 {
			t.Errorf("%d samples", look.Length)
		}
		_, file := r.request("GET", "/api/v1"+path+"/export?bits=16&channels=1", nil, nil)
		if got := int(file[24]) | int(file[25])<<8 | int(file[26])<<16; got != rate {
			t.Errorf("exported at %d Hz, want %d", got, rate)
		}
		var c api.CloseUp
		r.api(200, "GET", fmt.Sprintf("%s/closeup?left=%d&right=%d&around=100", path, r.reel(made.ID).Reel.Clips[0].ID, r.reel(made.ID).Reel.Clips[1].ID), nil, &c)
		if c.Blend == nil || c.Room == nil || c.Curves.In[0] != 0 || c.Curves.Out[0] != 1 {
			t.Errorf("%+v", c)
		}
	}
}

// The sound of a recording, its overview and a fade's drawing, at their edges.
func TestRecordingsOverHTTP(t *testing.T) {
	r := newRig(t)
	src := r.reel(1).Reel.Sources[0]
	base := "/api/v1/recordings/" + src.Recording + "/48000"
	_, all := r.request("GET", fmt.Sprintf("%s/overview/0/5?from=0&count=9999", base), nil, nil)
	if want := int((src.Length+65535)/65536) * 6; len(all) != want {
		t.Errorf("%d bytes of overview, want %d", len(all), want)
	}
	if _, none := r.request("GET", base+"/overview/0/0?from=999999999", nil, nil); len(none) != 0 {
		t.Error("buckets beyond the end")
	}
	_, tail := r.request("GET", fmt.Sprintf("%s/samples/0?from=%d&count=20", base, src.Length-10), nil, nil)
	if len(tail) != 80 || !bytes.Equal(tail[40:], make([]byte, 40)) || bytes.Equal(tail[:40], make([]byte, 40)) {
		t.Error("beyond the end there is silence, before it sound")
	}
	_, mono := r.request("GET", fmt.Sprintf("%s/samples/0?from=100&count=5", base), nil, nil)
	_, pcm := r.request("GET", base+"/pcm?from=100&to=105", nil, nil)
	for i := range 5 {
		if !bytes.Equal(pcm[8*i:8*i+4], mono[4*i:4*i+4]) || !bytes.Equal(pcm[8*i+4:8*i+8], mono[4*i:4*i+4]) {
			t.Fatalf("sample %d of a mono recording is not on both sides", i)
		}
	}
	for _, bad := range []string{base + "/samples/7", base + "/overview/0/9", base + "/pcm?from=0&to=5&right=3", base + "/samples/0?count=x", "/api/v1/curves/wobble", "/api/v1/curves/smooth?bend=2"} {
		if res, body := r.request("GET", bad, nil, nil); res.StatusCode != 400 || res.Header.Get("Content-Type") != "application/problem+json" {
			t.Errorf("%s: %d %s", bad, res.StatusCode, body)
		}
	}
	if res, _ := r.request("GET", "/api/v1/recordings/"+strings.Repeat("a", 64)+"/48000/samples/0", nil, nil); res.StatusCode != 404 {
		t.Error("a recording that is not there")
	}
	var curve []float64
	r.api(200, "GET", "/curves/smooth?bend=0.5", nil, &curve)
	if len(curve) != api.CurvePoints+1 || curve[0] != 0 || curve[api.CurvePoints] != 1 || curve[api.CurvePoints/2] < 0.499 || curve[api.CurvePoints/2] > 0.501 {
		t.Errorf("%v", curve)
	}
}

// An upload is stopped while it stalls, and one that breaks off by itself is
// told; neither leaves anything behind.
func TestUploadStopped(t *testing.T) {
	r := newRig(t)
	begin := func(name string) (*io.PipeWriter, chan int) {
		body, in := io.Pipe()
		status := make(chan int, 1)
		go func() {
			req, _ := http.NewRequest("POST", r.web.URL+"/api/v1/reels/1/uploads?name="+name, body)
			res, err := http.DefaultClient.Do(req)
			if err != nil {
				status <- 0
				return
			}
			res.Body.Close()
			status <- res.StatusCode
		}()
		if _, err := in.Write(make([]byte, 1<<20)); err != nil {
			t.Error(err)
		}
		return in, status
	}
	job := func(name string, ended bool) work.Job {
		t.Helper()
		for range 1000 {
			for _, j := range r.imports(1) {
				if j.Name == name && over(j) == ended {
					return j
				}
			}
			time.Sleep(10 * time.Millisecond)
		}
		t.Fatalf("%s never came so far", name)
		return work.Job{}
	}
	_, status := begin("stalled.wav")
	j := job("stalled.wav", false)
	r.api(204, "DELETE", "/reels/1/imports/"+j.ID, nil, nil)
	if j = job("stalled.wav", true); j.State != "cancelled" || !strings.Contains(j.Detail, "stopped") {
		t.Errorf("%+v", j)
	}
	<-status
	in, status := begin("broken.wav")
	job("broken.wav", false)
	_ = in.CloseWithError(io.ErrClosedPipe)
	<-status
	if j = job("broken.wav", true); j.State == "done" {
		t.Errorf("%+v", j)
	}
	if n := len(r.reel(1).Reel.Sources); n != 7 {
		t.Errorf("%d sources", n)
	}
}

// A reel of 2,000 clips on 24 tracks: its seams are all told, an edit and a dry
// run on it pass, and what is sent for an edit stays small.
func TestTwoThousandClips(t *testing.T) {
	r := newRig(t)
	v := r.reel(1)
	doc := *v.Reel
	src := doc.Sources[0]
	do := func(e reel.Edit) reel.ID {
		next, o, err := e.Apply(&doc)
		if err != nil {
			t.Fatal(err)
		}
		doc = *next
		return o.Made[0]
	}
	for len(doc.Tracks) < 24 {
		do(&reel.AddTrack{Name: fmt.Sprintf("Track %d", len(doc.Tracks)+1), Role: reel.Spots})
	}
	order := doc.Order()
	at := doc.Length()
	for k := 0; len(doc.Clips) < 2000; k++ {
		do(&reel.Place{Source: src.ID, Track: order[k%24].ID, Start: at + int64(k/24)*48000, Offset: 48000, Length: 48000})
	}
	id, err := r.store.Create(context.Background(), &doc)
	if err != nil {
		t.Fatal(err)
	}
	var list api.SeamList
	r.api(200, "GET", fmt.Sprintf("/reels/%d/seams", id), nil, &list)
	cuts := 0
	for i, s := range list.Seams {
		if s.Kind == reel.CutSeam {
			cuts++
		}
		if i > 0 && s.At < list.Seams[i-1].At {
			t.Fatal("the seams are not in order")
		}
	}
	if cuts < 1900 {
		t.Errorf("%d cuts", cuts)
	}
	last := r.reel(id).Reel.Clips[1999]
	before := r.reel(id).Reel.Clips[1975]
	body := fmt.Sprintf(`{"base":1,"edit":{"do":"setBlend","with":{"left":%d,"right":%d,"before":480,"after":480,"law":"constantPower","lean":0.5}}}`, before.ID, last.ID)
	res, dry := r.request("POST", fmt.Sprintf("/api/v1/reels/%d/dry-run", id), []byte(body), nil)
	if res.StatusCode != 200 || len(dry) > 2000 {
		t.Errorf("%d, %d bytes", res.StatusCode, len(dry))
	}
	var done live.Changed
	r.api(200, "POST", fmt.Sprintf("/reels/%d/edits", id), body, &done)
	r.api(200, "POST", fmt.Sprintf("/reels/%d/undo", id), nil, &done)
	if got := r.reel(id); len(got.Reel.Clips) != 2000 || len(got.Reel.Blends) != len(doc.Blends) {
		t.Error("undo does not lead back")
	}
}

// over reports whether an import has come to its end.
func over(j work.Job) bool { return slices.Contains([]string{"done", "failed", "cancelled"}, j.State) }
