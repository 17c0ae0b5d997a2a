package server

import (
	"bytes"
	"context"
	"encoding/binary"
	"fmt"
	"log/slog"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"blendseam/core/reel"
	"blendseam/core/timecode"
	"blendseam/demo"
	"blendseam/interchange/edl"
	"blendseam/outside"
	"blendseam/server/api"
	"blendseam/work"
)

// pictured is a rig with the demo's picture reel, the third.
func pictured(t *testing.T) *rig {
	t.Helper()
	r := newRig(t)
	if err := demo.LoadPicture(context.Background(), r.store, r.library); err != nil {
		t.Fatal(err)
	}
	return r
}

// The edit list that ships is the picture reel's own edit.
func TestShippedEditListIsTheReel(t *testing.T) {
	r := pictured(t)
	_, got := r.request("GET", "/api/v1/reels/3/lists/edl", nil, nil)
	want, err := os.ReadFile("../demo/picture/frost warning.edl")
	if err != nil {
		t.Fatal(err)
	}
	if !bytes.Equal(got, want) {
		t.Errorf("demo/picture/frost warning.edl differs from what the reel is written as; write it anew:\n%s", got)
	}
	if l, err := edl.Read(want, timecode.Rate25, 48000); err != nil || len(l.Notes) > 0 {
		t.Errorf("it reads with %v, %v", err, l.Notes)
	}
}

// bringIn brings a file in and waits until it is listed.
func (r *rig) bringIn(id int64, name string, file []byte) work.Incoming {
	r.t.Helper()
	var j work.Incoming
	res, body := r.request("POST", fmt.Sprintf("/api/v1/reels/%d/uploads?name=%s", id, strings.ReplaceAll(name, " ", "%20")), file, nil)
	if res.StatusCode != http.StatusAccepted {
		r.t.Fatalf("%s: %d %s", name, res.StatusCode, body)
	}
	for range 600 {
		var list struct{ Imports []work.Incoming }
		r.api(200, "GET", fmt.Sprintf("/reels/%d/imports", id), nil, &list)
		if j = list.Imports[len(list.Imports)-1]; over(j) {
			return j
		}
		time.Sleep(50 * time.Millisecond)
	}
	r.t.Fatalf("%s was never taken in: %+v", name, j)
	return j
}

// frames asks for frames and reads their numbers.
func (r *rig) frames(hash, query string) (out []int) {
	r.t.Helper()
	res, b := r.request("GET", "/api/v1/pictures/"+hash+"/frames?"+query, nil, nil)
	if res.StatusCode != 200 || !strings.Contains(res.Header.Get("Cache-Control"), "immutable") {
		r.t.Fatalf("frames: %d %s", res.StatusCode, res.Header.Get("Cache-Control"))
	}
	for len(b) >= 4 {
		n := binary.LittleEndian.Uint32(b)
		out = append(out, outside.CodeOf(r.t, b[4:4+n]))
		b = b[4+n:]
	}
	return out
}

// A film comes in as a picture and its sound; its frames are sent by number and
// are the ones that are coded in them.
func TestAFilmComesInAndIsSeen(t *testing.T) {
	r := newRig(t)
	path := filepath.Join(t.TempDir(), "boat.mkv")
	outside.CodedFile(t, path, 100, "25", "-f", "lavfi", "-i", "sine=440:d=4:r=48000", "-map", "0", "-map", "1", "-c:v", "mpeg4", "-q:v", "3", "-c:a", "pcm_s16le", "-metadata", "timecode=10:00:00:00")
	file, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	if j := r.bringIn(1, "boat.mkv", file); j.State != "done" || len(j.Pictures) != 1 || j.Source == 0 {
		t.Fatalf("%+v", j)
	}
	v := r.reel(1)
	pic, snd := v.Reel.Sources[len(v.Reel.Sources)-2], v.Reel.Sources[len(v.Reel.Sources)-1]
	if !pic.Shows() || pic.Picture.Frames != 100 || pic.Length != 100*1920 || pic.StartTC != 36000*48000 || snd.Shows() || snd.StartTC != pic.StartTC || snd.Recording != pic.Recording {
		t.Errorf("%+v, %+v", pic, snd)
	}
	if got := r.frames(pic.Recording, "from=37&count=3"); !slices.Equal(got, []int{37, 38, 39}) {
		t.Errorf("frames 37 to 39 show %v", got)
	}
	if got := r.frames(pic.Recording, "from=90&count=5&step=4"); !slices.Equal(got, []int{90, 94, 98}) {
		t.Errorf("every fourth from 90 shows %v", got)
	}
	for _, bad := range []string{"from=-1", "count=0", "count=9999", "step=0", "from=x"} {
		if res, _ := r.request("GET", "/api/v1/pictures/"+pic.Recording+"/frames?"+bad, nil, nil); res.StatusCode != 400 {
			t.Errorf("%s: %d", bad, res.StatusCode)
		}
	}
	if res, _ := r.request("GET", "/api/v1/pictures/"+strings.Repeat("0", 64)+"/frames", nil, nil); res.StatusCode != 404 {
		t.Errorf("a picture that is not there: %d", res.StatusCode)
	}
	if res, _ := r.request("GET", "/api/v1/pictures/..%2f..%2fetc/frames", nil, nil); res.StatusCode == 200 {
		t.Error("a path was taken for a picture")
	}
	// The same again is told, not failed.
	if j := r.bringIn(1, "boat.mkv", file); j.State != "done" || !strings.Contains(j.Detail, "already") {
		t.Errorf("%+v", j)
	}
	// Pictures are not heard: neither quiet stretches nor seams of them.
	track := r.edit(1, &reel.AddTrack{Name: "Picture", Role: reel.PictureRole}).Outcome.Made[0]
	before := len(r.reel(1).Reel.Seams())
	r.edit(1, &reel.LayShot{Picture: pic.ID, Track: track, Length: 50 * 1920})
	if after := len(r.reel(1).Reel.Seams()); after != before {
		t.Errorf("a shot made %d seams", after-before)
	}
	// Frames that are damaged with their original are told of until the film comes again.
	dir := filepath.Join(r.library.Dir(), pic.Recording[:2], pic.Recording)
	for _, name := range []string{"original", "picture/frames"} {
		if err := os.Truncate(filepath.Join(dir, name), 100); err != nil {
			t.Fatal(err)
		}
	}
	told := func() bool {
		_, b := r.request("GET", "/api/v1/health", nil, nil)
		return strings.Contains(string(b), "“boat.mkv” is damaged on the disk. Import")
	}
	if err := work.CheckAll(context.Background(), r.store, r.library, slog.New(slog.DiscardHandler)); err != nil {
		t.Fatal(err)
	}
	for n := 0; !told(); n++ {
		if n > 400 {
			t.Fatal("nobody is told that the frames are damaged")
		}
		time.Sleep(20 * time.Millisecond)
	}
	if j := r.bringIn(1, "boat.mkv", file); j.State != "done" {
		t.Errorf("%+v", j)
	}
	if told() {
		t.Error("it is still told")
	}
	if got := r.frames(pic.Recording, "from=37&count=3"); !slices.Equal(got, []int{37, 38, 39}) {
		t.Errorf("frames 37 to 39 show %v", got)
	}
}

// What cannot be brought in is said, with what would work, and changes nothing.
func TestListsThatCannotBeBroughtIn(t *testing.T) {
	r := pictured(t)
	was := r.reel(3).Revision
	for _, c := range []struct{ name, body, why string }{
		{"a.edl", "nothing of the kind", "No event"},
		{"a.otio", `{"OTIO_SCHEMA":`, "breaks off"},
		{"b.edl", "001  A  V  C  01:00:00:27 01:00:02:00 01:00:00:00 01:00:02:00", "choose that"},
	} {
		q := "name=" + c.name + "&take=1"
		if c.name == "b.edl" {
			q += "&rate=25"
		}
		res, body := r.request("POST", "/api/v1/reels/3/lists?"+q, []byte(c.body), nil)
		if res.StatusCode != 422 || !strings.Contains(string(body), c.why) || !strings.Contains(string(body), c.name) {
			t.Errorf("%s: %d %s", c.name, res.StatusCode, body)
		}
	}
	if res, _ := r.request("POST", "/api/v1/reels/3/lists?rate=12", []byte("x"), nil); res.StatusCode != 400 {
		t.Errorf("a rate that there is not: %d", res.StatusCode)
	}
	if res, _ := r.request("GET", "/api/v1/reels/3/lists/aaf", nil, nil); res.StatusCode != 400 {
		t.Errorf("a format that there is not: %d", res.StatusCode)
	}
	if now := r.reel(3).Revision; now != was {
		t.Errorf("revision %d became %d", was, now)
	}
}

// A list of 2,000 events is laid in and listed.
func TestTwoThousandEvents(t *testing.T) {
	r := newRig(t)
	var b strings.Builder
	rate := timecode.Rate25
	for i := range int64(1000) {
		in, out := rate.Format(90000+i*50), rate.Format(90000+i*50+50)
		fmt.Fprintf(&b, "%03d  TAPE%02d   B     C        %s %s %s %s\r\n", i+1, i%20, in, out, in, out)
	}
	res, body := r.request("POST", "/api/v1/reels/1/lists?name=long.edl&take=1", []byte(b.String()), nil)
	if res.StatusCode != 200 {
		t.Fatalf("%d %s", res.StatusCode, body)
	}
	v := r.reel(1)
	if n := len(v.Reel.Clips); n < 2000 {
		t.Errorf("%d clips", n)
	}
	if len(v.Reel.Ties) != 1000 {
		t.Errorf("%d ties", len(v.Reel.Ties))
	}
	var list api.SeamList
	r.api(200, "GET", "/reels/1/seams", nil, &list)
	led := 0
	for _, s := range list.Seams {
		if s.Cut.Left != 0 {
			led++
		}
	}
	if led != 999 || len(list.Off) != 0 {
		t.Errorf("%d seams know their picture cut, %d stand off", led, len(list.Off))
	}
	// An export says before what of it will be silent for lack of its media.
	var look struct{ Missing int }
	r.api(200, "GET", "/reels/1/export/survey?from=0&to=480000", nil, &look)
	if look.Missing != 5 {
		t.Errorf("%d clips of ten seconds are said to be silent", look.Missing)
	}
}
