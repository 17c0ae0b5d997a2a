package server

import (
	"bytes"
	"fmt"
	"net/http"
	"strings"
	"testing"
	"time"

	"blendseam/core/reel"
	"blendseam/server/api"
	"blendseam/store"
)

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
