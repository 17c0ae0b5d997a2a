package server

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"testing"
	"time"

	"blendseam/server/answer"
	"blendseam/server/api"
	"blendseam/work"
)

func (r *rig) upload(name string, file []byte) (int, work.Incoming) {
	r.t.Helper()
	res, body := r.request("POST", "/api/v1/reels/1/uploads?name="+url.QueryEscape(name), file, nil)
	if res.StatusCode != 202 {
		return res.StatusCode, work.Incoming{Detail: string(body)}
	}
	var j work.Incoming
	if err := json.Unmarshal(body, &j); err != nil {
		r.t.Fatal(err)
	}
	for {
		var list struct{ Imports []work.Incoming }
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
	job := func(name string, ended bool) work.Incoming {
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
		return work.Incoming{}
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

// over reports whether an import has come to its end.
func over(j work.Incoming) bool {
	return slices.Contains([]string{"done", "failed", "cancelled"}, j.State)
}
