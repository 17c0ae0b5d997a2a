package server

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"net"
	"net/http"
	"os"
	"runtime"
	"strings"
	"testing"
	"time"

	"blendseam/core/reel"
	"blendseam/dbserver/dbtest"
	"blendseam/server/gate"
	"blendseam/store"
	"blendseam/work"
)

func keyed(key string) func(*http.Request) {
	return func(q *http.Request) { q.Header.Set(gate.KeyHeader, key) }
}

// A page that does not hear the answer asks again with the same key: edits,
// undo, redo, versions and new reels are done once.
func TestEachRequestIsDoneOnce(t *testing.T) {
	r := newRig(t)
	base, marks := r.reel(1).Revision, len(r.reel(1).Reel.Markers)
	twice := func(status int, path, body, key string) (first []byte) {
		t.Helper()
		for i := range 3 {
			res, b := r.request("POST", "/api/v1"+path, []byte(body), keyed(key))
			if res.StatusCode != status {
				t.Fatalf("%s: %d %s", path, res.StatusCode, b)
			}
			if i > 0 && !bytes.Equal(b, first) {
				t.Errorf("%s again:\n%s\nnot\n%s", path, b, first)
			}
			first = b
		}
		return first
	}
	split := func(at int64) string {
		return fmt.Sprintf(`{"base":%d,"edit":{"do":"addMarker","with":{"at":%d,"text":"m"}}}`, base, at)
	}
	twice(200, "/reels/1/edits", split(100), "a")
	twice(200, "/reels/1/edits", split(200), "b")
	twice(200, "/reels/1/undo", fmt.Sprintf(`{"base":%d}`, base+2), "c")
	twice(200, "/reels/1/redo", fmt.Sprintf(`{"base":%d}`, base+3), "d")
	twice(200, "/reels/1/go", fmt.Sprintf(`{"revision":%d}`, base+1), "e")
	if now := r.reel(1); now.Revision != base+5 || len(now.Reel.Markers) != marks+1 {
		t.Errorf("revision %d after %d, %d markers", now.Revision, base, len(now.Reel.Markers))
	}
	var kept store.Kept
	if err := json.Unmarshal(twice(201, "/reels/1/versions", `{"name":"v"}`, "f"), &kept); err != nil {
		t.Fatal(err)
	}
	twice(200, fmt.Sprintf("/reels/1/versions/%d/go", kept.ID), "", "g")
	twice(201, fmt.Sprintf("/reels/1/versions/%d/open", kept.ID), "", "h")
	twice(201, "/reels/1/copy", `{"name":"once"}`, "i")
	twice(201, "/reels", `{"name":"fresh","frameRate":{"num":25,"den":1}}`, "j")
	names := map[string]int{}
	var list struct{ Reels []store.Entry }
	r.api(200, "GET", "/reels", nil, &list)
	for _, e := range list.Reels {
		names[e.Props.Name]++
	}
	if names["once"] != 1 || names["fresh"] != 1 || names["Frost Warning, reel 1, v"] != 1 {
		t.Errorf("reels: %v", names)
	}
	for range 3 {
		for _, path := range []string{fmt.Sprintf("/reels/1/versions/%d", kept.ID), "/reels/3"} {
			if res, b := r.request("DELETE", "/api/v1"+path, nil, keyed("gone"+path)); res.StatusCode != 204 {
				t.Errorf("removing %s: %d %s", path, res.StatusCode, b)
			}
		}
	}
	if res, _ := r.request("DELETE", "/api/v1/reels/3", nil, keyed("another")); res.StatusCode != 404 {
		t.Errorf("removing what is removed: %d", res.StatusCode)
	}
	// A key is of one request; a bad one is refused.
	if res, b := r.request("POST", "/api/v1/reels/1/edits", []byte(split(300)), keyed("a")); res.StatusCode != 422 || !strings.Contains(string(b), "keyInUse") {
		t.Errorf("another request: %d %s", res.StatusCode, b)
	}
	if res, _ := r.request("POST", "/api/v1/reels/1/undo", nil, keyed(strings.Repeat("x", 81))); res.StatusCode != 400 {
		t.Errorf("a long key: %d", res.StatusCode)
	}
	// Undo of what one has not seen is refused and says what was done.
	res, b := r.request("POST", "/api/v1/reels/1/undo", []byte(fmt.Sprintf(`{"base":%d}`, base+1)), nil)
	if res.StatusCode != 409 || !strings.Contains(string(b), "conflict") {
		t.Errorf("undo of the unseen: %d %s", res.StatusCode, b)
	}
}

// Requests that hold nothing sound are answered with what is wrong, never with
// a failure of the server, and each in its time.
func TestMalformedRequests(t *testing.T) {
	r := newRig(t)
	n := 300
	if f := os.Getenv("BLENDSEAM_TORTURE"); f != "" {
		n = 12000
	}
	seen := fuzzRequests(t, r.web.URL, n)
	t.Logf("answers by status: %v", seen)
	before := r.reel(1)
	if err := before.Reel.Check(); err != nil {
		t.Error(err)
	}
	for _, one := range []struct {
		kind, body string
		status     int
	}{
		{"text/plain", `{"name":"x"}`, 415}, {"application/x-www-form-urlencoded", "name=x", 415}, {"", `{"name":"x"}`, 415},
		{"application/json", `{"name":"x"} {"name":"y"}`, 400}, {"application/json; charset=utf-8", `{"name":"x"}`, 400},
	} {
		res, b := r.request("POST", "/api/v1/reels", []byte(one.body), func(q *http.Request) {
			q.Header.Del("Content-Type")
			if one.kind != "" {
				q.Header.Set("Content-Type", one.kind)
			}
		})
		if res.StatusCode != one.status {
			t.Errorf("%q %s: %d %s", one.kind, one.body, res.StatusCode, b)
		}
	}
}

// Numbers out of all bounds are refused, and neither reel nor shelf is held.
func TestExtremeNumbersHoldNothing(t *testing.T) {
	r := newRig(t)
	var list struct{ Reels []store.Entry }
	r.api(200, "GET", "/reels", nil, &list)
	v := r.reel(1)
	clip := v.Reel.Clips[0]
	for _, n := range []int64{math.MinInt64, math.MaxInt64, -1 << 53, 1 << 62} {
		for _, e := range []string{
			`{"do":"move","with":{"clips":[%[1]d],"by":%[2]d}}`, `{"do":"trim","with":{"clips":[%[1]d],"end":"tail","by":%[2]d,"later":"follow"}}`,
			`{"do":"removeSpan","with":{"from":%[2]d,"to":9223372036854775807,"tracks":[%[3]d]}}`, `{"do":"slip","with":{"clips":[%[1]d],"by":%[2]d}}`,
			`{"do":"insertTime","with":{"at":%[2]d,"length":%[2]d,"tracks":[%[3]d]}}`,
		} {
			body := fmt.Sprintf(`{"base":%d,"edit":%s}`, v.Revision, fmt.Sprintf(e, clip.ID, n, clip.Track))
			for _, path := range []string{"/reels/1/edits", "/reels/1/dry-run"} {
				if res, b := r.request("POST", "/api/v1"+path, []byte(body), nil); res.StatusCode != 422 {
					t.Errorf("%s %s: %d %s", path, body, res.StatusCode, b)
				}
			}
		}
		for _, path := range []string{"pcm?from=%[1]d&to=%[1]d", "closeup?left=1&right=2&from=%[1]d&to=0", "export?from=%[1]d&to=5", "tone?source=1&from=%[1]d&to=%[1]d", "continuity?from=%[1]d&to=%[1]d", "pauses?from=%[1]d&to=%[1]d&tracks=1"} {
			if res, b := r.request("GET", "/api/v1/reels/1/"+fmt.Sprintf(path, n), nil, nil); res.StatusCode >= 500 || res.StatusCode == 200 && len(b) > 1<<20 {
				t.Errorf("%s: %d", fmt.Sprintf(path, n), res.StatusCode)
			}
		}
	}
	r.api(200, "GET", "/reels", nil, &list)
	if r.reel(1).Revision != v.Revision {
		t.Error("something was done")
	}
}

// slowly opens a connection by hand, with a small buffer to read into.
func slowly(t *testing.T, r *rig, request string) net.Conn {
	t.Helper()
	c, err := net.Dial("tcp", r.web.Listener.Addr().String())
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { c.Close() })
	_ = c.(*net.TCPConn).SetReadBuffer(4096)
	if _, err := io.WriteString(c, request); err != nil {
		t.Fatal(err)
	}
	return c
}

// Answers that nobody reads hold little memory, and end after a time; files
// and bodies that stall do as well.
func TestWhoStallsIsLetGo(t *testing.T) {
	r := rigWith(t, dbtest.DSN(t), gate.Times{Write: 700 * time.Millisecond, Read: 700 * time.Millisecond})
	heap := func() float64 { // in MB; pools are emptied by the second collection only
		runtime.GC()
		runtime.GC()
		var m runtime.MemStats
		runtime.ReadMemStats(&m)
		return float64(m.HeapAlloc) / (1 << 20)
	}
	before, began := heap(), time.Now()
	var conns []net.Conn
	for i := range 60 {
		conns = append(conns, slowly(t, r, fmt.Sprintf("GET /api/v1/reels/1/pcm?from=%d&to=%d HTTP/1.1\r\nHost: localhost\r\n\r\n", i, i+29*48000)))
	}
	time.Sleep(300 * time.Millisecond)
	held := heap() - before // less than nothing where an earlier test's memory went meanwhile
	t.Logf("60 unread answers hold %.0f MB", held)
	if held > 120 {
		t.Errorf("60 unread answers hold %.0f MB", held)
	}
	sending := func() int {
		stack := make([]byte, 8<<20)
		return strings.Count(string(stack[:runtime.Stack(stack, true)]), ").streamPCM(")
	}
	if n := sending(); n == 0 {
		t.Error("nothing is unread")
	}
	for n := sending(); n > 0; n = sending() {
		if time.Since(began) > 20*time.Second {
			t.Fatalf("%d unread answers go on after %v", n, time.Since(began))
		}
		time.Sleep(50 * time.Millisecond)
	}
	for _, c := range conns {
		c.Close()
	}
	up := slowly(t, r, "POST /api/v1/reels/1/uploads?name=a.wav HTTP/1.1\r\nHost: localhost\r\nContent-Length: 5000000\r\n\r\nRIFF")
	_ = up.SetReadDeadline(time.Now().Add(20 * time.Second))
	res, err := http.ReadResponse(bufio.NewReader(up), nil)
	if err != nil || res.StatusCode != 422 {
		t.Errorf("a stalled upload: %v %v", res, err)
	}
	var imports struct{ Imports []work.Incoming }
	r.api(200, "GET", "/reels/1/imports", nil, &imports)
	if len(imports.Imports) != 1 || imports.Imports[0].State != "failed" || imports.Imports[0].Kind != "cutOff" {
		t.Errorf("%+v", imports.Imports)
	}
}

// A step of thousands of edits ends when the one who asked for it has left:
// well before it would have come to its end, and nothing of it is saved.
func TestWhoLeavesEndsHisWork(t *testing.T) {
	r := newRig(t)
	doc := *r.reel(1).Reel
	first := doc.Clips[0]
	for i := range int64(6000) { // each edit copies them all
		c := first
		c.ID, c.Start, c.Length = doc.NextID, doc.Length()+i*100, 100
		c.FadeIn, c.FadeOut = reel.NoFade, reel.NoFade
		doc.NextID++
		doc.Clips = append(doc.Clips, c)
	}
	id, err := r.store.Create(context.Background(), &doc)
	if err != nil {
		t.Fatal(err)
	}
	v := r.reel(id)
	all := &reel.Together{Label: "many"}
	for i := range 5000 {
		db := float64(i%9) - 20
		all.Edits = append(all.Edits, &reel.SetClip{Clip: v.Reel.Clips[i].ID, GainDB: &db})
	}
	began := time.Now()
	if _, err := all.Apply(v.Reel); err != nil {
		t.Fatal(err)
	}
	whole := time.Since(began)
	text, err := reel.Encode(all)
	if err != nil {
		t.Fatal(err)
	}
	working := func() bool {
		stack := make([]byte, 8<<20)
		return strings.Contains(string(stack[:runtime.Stack(stack, true)]), "reel.(*Together).apply")
	}
	ctx, leave := context.WithCancel(context.Background())
	req, _ := http.NewRequestWithContext(ctx, "POST", fmt.Sprintf("%s/api/v1/reels/%d/edits", r.web.URL, id), strings.NewReader(fmt.Sprintf(`{"base":%d,"edit":%s}`, v.Revision, text)))
	req.Header.Set("Content-Type", "application/json")
	gone := make(chan bool)
	go func() {
		res, err := http.DefaultClient.Do(req)
		if err == nil {
			res.Body.Close()
		}
		gone <- err != nil
	}()
	for !working() {
		time.Sleep(time.Millisecond)
	}
	began = time.Now()
	leave()
	if !<-gone {
		t.Fatal("it was answered before its sender left")
	}
	for working() {
		time.Sleep(time.Millisecond)
	}
	ended := time.Since(began)
	t.Logf("the whole takes %v; it ended within %v", whole, ended)
	if ended > whole/2 {
		t.Errorf("it went on for %v of %v", ended, whole)
	}
	if now := r.reel(id); now.Revision != v.Revision {
		t.Errorf("revision %d: it was saved", now.Revision)
	}
	r.edit(id, &reel.AddMarker{At: 5, Text: "next"})
}
