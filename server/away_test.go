package server

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"log/slog"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"blendseam/core/reel"
	"blendseam/dbserver/dbtest"
	"blendseam/server/live"
	"blendseam/work"
)

// The database goes away: pages and API say so within two seconds, and work
// goes on when it is back. Nothing that was acknowledged is lost.
func TestTheDatabaseGoesAway(t *testing.T) {
	line, dsn := dbtest.NewLine(t, dbtest.DSN(t))
	r := rigOn(t, dsn)
	var told sync.Map
	events, err := http.Get(r.web.URL + "/api/v1/reels/1/events")
	if err != nil {
		t.Fatal(err)
	}
	defer events.Body.Close()
	go func() {
		lines := bufio.NewScanner(events.Body)
		lines.Buffer(nil, 1<<22) // a list of seams is one line
		for lines.Scan() {
			told.Store(lines.Text(), true)
		}
	}()
	heard := func(text string) {
		t.Helper()
		for range 300 {
			if _, ok := told.Load(text); ok {
				return
			}
			time.Sleep(20 * time.Millisecond)
		}
		t.Errorf("nobody was told %s", text)
	}
	base, marks := r.reel(1).Revision, len(r.reel(1).Reel.Markers)
	body := func(at int) []byte {
		return []byte(fmt.Sprintf(`{"base":%d,"edit":{"do":"addMarker","with":{"at":%d,"text":"m"}}}`, base, at))
	}
	for i, way := range []func(bool){line.Hold, line.Down} {
		way(true)
		var waits []time.Duration // the machine is shared: the middle one counts
		for n := range 3 {
			for _, get := range []string{"/", "/reels/1", "/api/v1/reels/1", "/api/v1/reels", "/api/v1/health"} {
				began := time.Now()
				res, b := r.request("GET", get, nil, func(q *http.Request) { q.Header.Set("Accept", "text/html") })
				waits = append(waits, time.Since(began))
				if res.StatusCode != 503 {
					t.Errorf("way %d.%d: %s: %d: %s", i, n, get, res.StatusCode, b)
				}
				if res.Header.Get("Retry-After") == "" || get != "/api/v1/health" && !strings.Contains(string(b), "database does not answer") {
					t.Errorf("%s says %q", get, b)
				}
			}
			res, b := r.request("POST", "/api/v1/reels/1/edits", body(100+i), keyed(fmt.Sprint("away", i)))
			if res.StatusCode != 503 || res.Header.Get("Retry-After") == "" {
				t.Errorf("an edit: %d %s", res.StatusCode, b)
			}
		}
		slices.Sort(waits)
		t.Logf("it was told within %v, at most %v", waits[len(waits)/2], waits[len(waits)-1])
		if waits[len(waits)/2] > 2*time.Second || waits[len(waits)-1] > 10*time.Second {
			t.Errorf("it was told after %v", waits)
		}
		heard(`data: {"away":true}`)
		way(false)
		for range 200 {
			if res, _ := r.request("GET", "/api/v1/health", nil, nil); res.StatusCode == 200 {
				break
			}
			time.Sleep(20 * time.Millisecond)
		}
		for range 100 {
			if !r.store.Away() {
				break
			}
			time.Sleep(20 * time.Millisecond)
		}
		if res, b := r.request("POST", "/api/v1/reels/1/edits", body(100+i), keyed(fmt.Sprint("away", i))); res.StatusCode != 200 {
			t.Errorf("after it is back: %d %s", res.StatusCode, b)
		}
		if v := r.reel(1); len(v.Reel.Markers) != marks+i+1 {
			t.Errorf("%d markers", len(v.Reel.Markers))
		}
		heard(`data: {"away":false}`)
		told.Clear()
	}
}

// Two servers work on one database: who watches a reel through one hears of
// edits made through the other within a second.
func TestTwoServersOnOneDatabase(t *testing.T) {
	dsn := dbtest.DSN(t)
	a := rigOn(t, dsn)
	b := rigOn(t, dsn)
	res, err := http.Get(a.web.URL + "/api/v1/reels/1/events")
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	got := make(chan live.Changed, 64)
	go func() {
		lines := bufio.NewScanner(res.Body)
		lines.Buffer(nil, 1<<20)
		name := ""
		for lines.Scan() {
			if n, ok := strings.CutPrefix(lines.Text(), "event: "); ok {
				name = n
			}
			if text, ok := strings.CutPrefix(lines.Text(), "data: "); ok && name == "change" {
				var c live.Changed
				if json.Unmarshal([]byte(text), &c) == nil {
					got <- c
				}
			}
		}
	}()
	base, marks := a.reel(1).Revision, len(a.reel(1).Reel.Markers)
	var slowest time.Duration
	for i := range 6 {
		one := b
		if i%3 == 2 {
			one = a // its own edits are told once
		}
		began := time.Now()
		c := one.edit(1, &reel.AddMarker{At: int64(1000 * (i + 1)), Text: fmt.Sprint(i)})
		select {
		case told := <-got:
			if told.Revision != c.Revision || told.Undo != c.Undo || len(told.Change.Markers) != 1 {
				t.Errorf("told of %d (undo %q), it was %d (undo %q)", told.Revision, told.Undo, c.Revision, c.Undo)
			}
			slowest = max(slowest, time.Since(began))
		case <-time.After(5 * time.Second):
			t.Fatal("nobody was told")
		}
	}
	t.Logf("the slowest was told within %v", slowest)
	if v := a.reel(1); v.Revision != base+6 || len(v.Reel.Markers) != marks+6 {
		t.Errorf("revision %d", v.Revision)
	}
	select {
	case c := <-got:
		t.Errorf("told again: %d", c.Revision)
	case <-time.After(time.Second):
	}
}

// A recording whose working copy is cut short is found when it is asked for,
// never heard as silence, and made again from its original; where that is
// damaged too, it is said, and the file itself brings it back.
func TestDamagedRecordings(t *testing.T) {
	r := newRig(t)
	v := r.reel(1)
	src := v.Reel.Sources[0]
	dir := filepath.Join(r.library.Dir(), src.Recording[:2], src.Recording)
	name := filepath.Join(dir, "48000", "ch0.f32")
	whole, err := os.ReadFile(name)
	if err != nil {
		t.Fatal(err)
	}
	_, want := r.request("GET", "/api/v1/reels/1/export?bits=32", nil, nil)
	pcm := fmt.Sprintf("/api/v1/recordings/%s/48000/pcm?from=0&to=48000", src.Recording)
	_, heard := r.request("GET", pcm, nil, nil)
	// Cut short while it is open.
	if err := os.Truncate(name, 4000); err != nil {
		t.Fatal(err)
	}
	res, b := r.request("GET", pcm, nil, nil)
	if res.StatusCode != 409 || !strings.Contains(string(b), "damaged") {
		t.Fatalf("%d %.200s", res.StatusCode, b)
	}
	again := func(path string, want []byte) {
		t.Helper()
		for range 400 {
			res, b := r.request("GET", path, nil, nil)
			if res.StatusCode == 200 {
				if !bytes.Equal(b, want) {
					t.Errorf("%s sounds otherwise than before", path)
				}
				return
			}
			if res.StatusCode != 409 {
				t.Fatalf("%d %.300s", res.StatusCode, b)
			}
			time.Sleep(20 * time.Millisecond)
		}
		t.Errorf("%s never came back", path)
	}
	again(pcm, heard)
	if now, err := os.ReadFile(name); err != nil || !bytes.Equal(now, whole) {
		t.Error("it was not made again as it was")
	}
	// Altered, of the same length: found by looking through.
	altered := bytes.Clone(whole)
	altered[len(altered)/2] ^= 0x10
	if err := os.WriteFile(name, altered, 0o600); err != nil {
		t.Fatal(err)
	}
	if err := work.CheckAll(context.Background(), r.store, r.library, slog.New(slog.DiscardHandler)); err != nil {
		t.Fatal(err)
	}
	again(pcm, heard)
	// The original is damaged too.
	original, err := os.ReadFile(filepath.Join(dir, "original"))
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(dir, "original"), original[:len(original)/2], 0o600); err != nil {
		t.Fatal(err)
	}
	if err := os.Truncate(name, 4000); err != nil {
		t.Fatal(err)
	}
	for range 200 {
		if res, b = r.request("GET", "/api/v1/reels/1/export?bits=32", nil, nil); strings.Contains(string(b), "Import the file again") {
			break
		}
		time.Sleep(20 * time.Millisecond)
	}
	if res.StatusCode != 409 {
		t.Errorf("an export of what is lost: %d, %d bytes", res.StatusCode, len(b))
	}
	if _, b := r.request("GET", "/api/v1/health", nil, nil); !strings.Contains(string(b), "damaged on the disk") {
		t.Errorf("health says %s", b)
	}
	if status, j := r.upload("again.flac", original); status != 202 || j.State != "done" {
		t.Errorf("importing it again: %d %+v", status, j)
	}
	again(pcm, heard)
	if res, b := r.request("GET", "/api/v1/reels/1/export?bits=32", nil, nil); res.StatusCode != 200 || !bytes.Equal(b[700:], want[700:]) {
		t.Errorf("the export after it came back: %d", res.StatusCode)
	}
	if _, b := r.request("GET", "/api/v1/health", nil, nil); strings.Contains(string(b), "damaged on the disk") {
		t.Errorf("health still says %s", b)
	}
}
