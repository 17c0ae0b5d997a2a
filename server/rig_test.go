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
	"strings"
	"testing"

	"blendseam/core/reel"
	"blendseam/dbserver/dbtest"
	"blendseam/demo"
	"blendseam/media"
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
func rigWith(t *testing.T, dsn string, times gate.Times) *rig { return rigOf(t, dsn, times, 2) }

// rigOf is one that works at so many jobs at a time.
func rigOf(t *testing.T, dsn string, times gate.Times, workers int) *rig {
	t.Helper()
	r := bareRig(t, dsn, times, workers)
	if err := demo.Load(context.Background(), r.store, r.library); err != nil {
		t.Fatal(err)
	}
	return r
}

// bareRig is a server without a reel or a recording.
func bareRig(t *testing.T, dsn string, times gate.Times, workers int) *rig {
	t.Helper()
	st, err := store.Open(context.Background(), dsn)
	if err != nil {
		t.Fatal(err)
	}
	library, err := media.OpenLibrary(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	s, err := New(Config{Store: st, Library: library, Log: slog.New(slog.NewTextHandler(io.Discard, nil)), Times: times, Workers: workers})
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
func (r *rig) imports(id int64) []work.Incoming {
	r.t.Helper()
	var list struct{ Imports []work.Incoming }
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
