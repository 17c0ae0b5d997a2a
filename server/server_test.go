package server

import (
	"bytes"
	"context"
	"encoding/binary"
	"fmt"
	"net/http"
	"os"
	"strings"
	"testing"

	"blendseam/core/measure"
	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/demo"
	"blendseam/server/answer"
	"blendseam/server/api"
	"blendseam/server/gate"
	"blendseam/server/live"
	"blendseam/store"
)

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
		at := 12
		for at+8 < len(b) && string(b[at:at+4]) != "data" {
			n := int(binary.LittleEndian.Uint32(b[at+4:]))
			at += 8 + n + n%2
		}
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

// A reel of 2,000 clips on 24 tracks: its seams are all told, an edit and a dry
// run on it pass, and what is sent for an edit stays small.
func TestTwoThousandClips(t *testing.T) {
	r := newRig(t)
	v := r.reel(1)
	doc := *v.Reel
	src := doc.Sources[0]
	do := func(e reel.Edit) reel.ID {
		did, err := e.Apply(&doc)
		if err != nil {
			t.Fatal(err)
		}
		doc = *did.Reel
		return did.Made[0]
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
