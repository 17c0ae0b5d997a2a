package server

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"os"
	"regexp"
	"strings"
	"testing"
	"time"

	"blendseam/core/reel"
	"blendseam/core/reel/reeltest"
)

// pieces are what malformed requests are made of.
var pieces = []string{
	`null`, `true`, `{}`, `[]`, `""`, `-1`, `0`, `1e308`, `-9223372036854775808`, `9223372036854775807`, `99999999999999999999`, `NaN`, `"\u0000"`, `"\u202e"`, `"..\/..\/etc\/passwd"`,
	`[[[[[[[[[[[[]]]]]]]]]]]]`, `{"base":1}`, `"` + strings.Repeat("x", 3000) + `"`, `0.5`, `[1,2,3]`, `[9223372036854775807]`, "\xff\xfe",
}

// fuzzRequests sends requests that hold nothing sound, or hold it in the wrong
// place, to all addresses, and fails on an answer of 5xx or one that takes
// long. It gives how many were answered with which status.
func fuzzRequests(t *testing.T, url string, n int) map[int]int {
	t.Helper()
	rng := rand.New(rand.NewPCG(uint64(n), 11))
	seen := map[int]int{}
	paths := []string{
		"POST /reels/1/edits", "POST /reels/1/dry-run", "POST /reels/1/undo", "POST /reels/1/redo", "POST /reels/1/go", "POST /reels/1/versions", "POST /reels/1/versions/9/go", "POST /reels/1/accept",
		"POST /reels/1/sweep", "POST /reels/1/excerpts", "POST /reels/1/fills", "POST /reels/1/copy", "POST /reels", "PUT /presets", "PUT /keys/x", "POST /keys/choose", "PATCH /reels/1/sources/2",
		"POST /reels/1/imports/x/channels", "DELETE /reels/1/imports/x", "POST /reels/1/lists", "POST /reels/999/restore", "DELETE /reels/999", "DELETE /reels/1/versions/9",
		"GET /reels/1/pcm", "GET /reels/1/closeup", "GET /reels/1/seams", "GET /reels/1/export", "GET /reels/1/export/survey", "GET /reels/1/history", "GET /reels/1/timecode", "GET /reels/1/better", "GET /reels/1/spectrum",
		"GET /reels/1/bed", "GET /reels/1/pauses", "GET /reels/1/continuity", "GET /reels/1/tone", "GET /reels/1/leads", "GET /reels/1/missing", "GET /reels/1/lists/edl", "GET /reels/1/lists/x", "GET /curves/linear",
		"GET /pictures/x/frames", "GET /recordings/x/48000/pcm", "GET /reels/1/sources/2/overview/0/0", "GET /reels/1/strikes/9/covers", "GET /reels/1/clips/9/tones", "GET /reels/-1", "GET /reels/9223372036854775807",
	}
	fields := []string{"base", "edit", "do", "with", "name", "revision", "left", "right", "from", "to", "clips", "tracks", "seams", "print", "good", "picks", "closeUp", "gaps", "keys", "presets", "limit", "text", "source", "seed", "count", "hear", "nearest", "sampleRate", "frameRate", "start", "edits", "label"}
	piece := func() string { return pieces[rng.IntN(len(pieces))] }
	var value func(deep int) string
	value = func(deep int) string {
		if deep == 0 || rng.IntN(3) == 0 {
			return piece()
		}
		var b strings.Builder
		b.WriteByte('{')
		for i := range 1 + rng.IntN(4) {
			if i > 0 {
				b.WriteByte(',')
			}
			fmt.Fprintf(&b, "%q:%s", fields[rng.IntN(len(fields))], value(deep-1))
		}
		b.WriteByte('}')
		return b.String()
	}
	kinds := reel.Kinds()
	for i := range n {
		method, path, _ := strings.Cut(paths[rng.IntN(len(paths))], " ")
		body := ""
		if method == "GET" {
			var q []string
			for range rng.IntN(5) {
				q = append(q, fields[rng.IntN(len(fields))]+"="+strings.NewReplacer(" ", "", "\xff", "", "\xfe", "", "&", "").Replace(strings.Trim(piece(), `"`)))
			}
			path += "?" + strings.ReplaceAll(strings.Join(q, "&"), "\\u", "%5Cu")
		} else {
			body = value(3)
			if strings.HasSuffix(path, "/edits") || strings.HasSuffix(path, "/dry-run") {
				body = fmt.Sprintf(`{"base":%s,"edit":{"do":%q,"with":%s}}`, []string{"1", "0", "-1", piece()}[rng.IntN(4)], kinds[rng.IntN(len(kinds))], value(2))
			}
			if rng.IntN(10) == 0 {
				body = body[:rng.IntN(len(body)+1)]
			}
		}
		req, err := http.NewRequest(method, url+"/api/v1"+path, bytes.NewReader([]byte(body)))
		if err != nil {
			continue
		}
		req.Header.Set("Content-Type", "application/json")
		began := time.Now()
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatalf("%d: %s %s %.300s: %v", i, method, path, body, err)
		}
		answer, err := io.ReadAll(res.Body)
		res.Body.Close()
		if took := time.Since(began); res.StatusCode >= 500 || err != nil || took > 20*time.Second {
			t.Fatalf("%d: %s %s %.600s: %d within %v, %v\n%s", i, method, path, body, res.StatusCode, took, err, answer)
		}
		if res.StatusCode >= 400 && !strings.Contains(res.Header.Get("Content-Type"), "json") {
			t.Fatalf("%s %s: %d as %s", method, path, res.StatusCode, res.Header.Get("Content-Type"))
		}
		seen[res.StatusCode]++
	}
	return seen
}

// numbersIn finds the numbers of an edit's JSON, and texts its strings.
var (
	numbersIn = regexp.MustCompile(`:-?\d+(\.\d+)?|\[-?\d+`)
	textsIn   = regexp.MustCompile(`:"[^"]*"`)
)

// Edits of all kinds, a number or a text of each made extreme, are done or
// refused in their time, and leave a sound reel.
func TestMutatedEdits(t *testing.T) {
	r := newRig(t)
	n := 250
	if os.Getenv("BLENDSEAM_TORTURE") != "" {
		n = 26000
	}
	rng := rand.New(rand.NewPCG(9, uint64(n)))
	numbers := []string{"-9223372036854775808", "9223372036854775807", "9007199254740993", "-9007199254740993", "2199023255552", "-2199023255552", "0", "-1", "1", "1e300", "-1e300", "5e-324"}
	texts := []string{`""`, `"\u0000"`, `"\u202e"`, `"` + strings.Repeat("x", 5000) + `"`, `"` + strings.Repeat("長", 201) + `"`, `null`, `7`}
	seen := map[int]int{}
	doc := r.reel(1)
	for i := range n {
		text, err := reel.Encode(reeltest.Edit(rng, doc.Reel))
		if err != nil {
			continue
		}
		change := func(where *regexp.Regexp, into []string) {
			if all := where.FindAllIndex(text, -1); len(all) > 0 {
				at := all[rng.IntN(len(all))]
				text = append(append(append([]byte{}, text[:at[0]+1]...), into[rng.IntN(len(into))]...), text[at[1]:]...)
			}
		}
		switch rng.IntN(4) {
		case 0:
			change(textsIn, texts)
		case 1, 2:
			change(numbersIn, numbers)
		}
		path := "/api/v1/reels/1/" + []string{"edits", "dry-run"}[rng.IntN(2)]
		body := fmt.Sprintf(`{"base":%d,"edit":%s}`, doc.Revision, text)
		began := time.Now()
		res, answer := r.request("POST", path, []byte(body), nil)
		if took := time.Since(began); res.StatusCode >= 500 || took > 25*time.Second {
			t.Fatalf("%d: %.900s: %d within %v\n%s", i, body, res.StatusCode, took, answer)
		}
		if strings.Contains(string(answer), `"unsound"`) {
			t.Errorf("%d: %.900s leaves a reel that is not sound: %s", i, body, answer)
		}
		if seen[res.StatusCode]++; res.StatusCode == 200 && strings.HasSuffix(path, "edits") {
			doc = r.reel(1)
		}
		if i%2000 == 1999 {
			r.api(200, "POST", "/reels/1/go", map[string]any{"revision": 0}, nil)
			doc = r.reel(1)
		}
	}
	t.Logf("answers by status: %v", seen)
	if found, err := r.store.VerifyReel(context.Background(), 1, false); err != nil || len(found) > 0 {
		t.Error(found, err)
	}
}
