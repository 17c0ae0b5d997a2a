package edl

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"blendseam/core/timecode"
	"blendseam/outside"
)

// node has Node.js run a script that finds the project's packages.
func node(t *testing.T, script string, args ...string) []byte {
	t.Helper()
	root, err := filepath.Abs("../..")
	if err != nil {
		t.Fatal(err)
	}
	path := filepath.Join(t.TempDir(), "script.cjs")
	if err := os.WriteFile(path, []byte(fmt.Sprintf("const need = require('module').createRequire(%q);\n%s", filepath.Join(root, "package.json"), script)), 0o600); err != nil {
		t.Fatal(err)
	}
	return outside.Run(t, nil, "node", append([]string{path}, args...)...)
}

// Lists written by the npm package edl_composer (1.0.3) are read as what was asked of it:
// names, tapes, and record times that its own seconds give.
func TestListsOfAComposer(t *testing.T) {
	type event struct {
		ID        int     `json:"id"`
		StartTime float64 `json:"startTime"`
		EndTime   float64 `json:"endTime"`
		ReelName  string  `json:"reelName"`
		ClipName  string  `json:"clipName"`
		Offset    string  `json:"offset"`
		FPS       float64 `json:"fps"`
	}
	events := []event{
		{1, 10, 20, "A001", "warden take 3.wav", "00:00:28:08", 25},
		{2, 45.52, 55, "NA", "grower, take “2”.mov", "00:00:00:00", 25},
		{3, 100, 100.04, "B17", "one frame.mov", "00:00:00:00", 25},
		{4, 3600, 3725.2, "A001", "warden take 3.wav", "00:00:28:08", 25},
	}
	asked, err := json.Marshal(map[string]any{"title": "Frost Warning", "events": events})
	if err != nil {
		t.Fatal(err)
	}
	text := node(t, "const EDL = need('edl_composer'); process.stdout.write(new EDL(JSON.parse(process.argv[2])).compose());", string(asked))
	l := read(t, string(text), timecode.Rate25)
	if l.Title != "Frost Warning" {
		t.Errorf("its title is %q", l.Title)
	}
	at := 0.0
	for _, tr := range l.Tracks {
		if len(tr.Events) != len(events) {
			t.Fatalf("%s has %d events of %d:\n%s", tr.Name, len(tr.Events), len(events), text)
		}
		at = 0
		for i, e := range tr.Events {
			w := events[i]
			long := w.EndTime - w.StartTime
			frames := func(n int64) float64 { return float64(n) / 1920 }
			if d := frames(e.Record) - at*25; d < -1.01 || d > 1.01 {
				t.Errorf("event %d is recorded at frame %.1f, not %.1f", i+1, frames(e.Record), at*25)
			}
			if d := frames(e.Length) - long*25; d < -1.01 || d > 1.01 {
				t.Errorf("event %d is %.1f frames long, not %.1f", i+1, frames(e.Length), long*25)
			}
			if e.Name != w.ClipName || w.ReelName != "NA" && e.Tape != w.ReelName {
				t.Errorf("event %d is of %q on %q", i+1, e.Name, e.Tape)
			}
			at += long
		}
	}
	if len(l.Tracks) < 2 || !strings.Contains(string(text), "AA/V") {
		t.Errorf("%d tracks of picture and sound", len(l.Tracks))
	}
}
