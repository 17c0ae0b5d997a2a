package server

import (
	"archive/zip"
	"bytes"
	"fmt"
	"io"
	"strings"
	"testing"

	"blendseam/media/wav"
	"blendseam/server/answer"
	"blendseam/store"
)

// Stretches of a recording are saved in one go: as files that hold its samples bit for
// bit, with names by a pattern and their time, and as sources that sound the same.
func TestExtracts(t *testing.T) {
	r := newRig(t)
	v := r.reel(1)
	a := named(v, "Warden 1")
	src, _ := v.Reel.Source(a.Source)
	ask := map[string]any{
		"source": src.ID, "pattern": "{source} {number} {name} {timecode} {marker}", "files": true, "sources": true, "file": "wav", "bits": 32,
		"stretches": []map[string]any{
			{"name": "first", "from": a.Offset, "to": a.Offset + 48000}, {"name": "same", "from": 0, "to": 1}, {"name": "same", "from": src.Length - 7777, "to": src.Length},
		},
	}
	var made struct{ ID int64 }
	r.api(201, "POST", "/reels/1/extracts", ask, &made)
	j := r.job(made.ID)
	if j.State != store.Done || j.KeptUntil == nil || !strings.Contains(j.Detail, "3 saved as sources") {
		t.Fatalf("%+v", j)
	}
	_, got := r.request("GET", fmt.Sprintf("/api/v1/jobs/%d/file", made.ID), nil, nil)
	z, err := zip.NewReader(bytes.NewReader(got), int64(len(got)))
	if err != nil || len(z.File) != 3 {
		t.Fatal(z, err)
	}
	marker := ""
	for _, m := range v.Reel.Markers {
		if m.At <= a.Start {
			marker = " " + m.Text
		}
	}
	p := v.Reel.Props
	tc := strings.ReplaceAll(p.FrameRate.Format(p.FrameRate.Frame(max(src.StartTC, 0)+a.Offset, p.SampleRate)), ":", ".")
	if want := fmt.Sprintf("%s 001 first %s%s.wav", src.Name, tc, marker); z.File[0].Name != want {
		t.Errorf("%q, not %q", z.File[0].Name, want)
	}
	whole, err := r.library.Sound(src, p.SampleRate)
	if err != nil {
		t.Fatal(err)
	}
	for i, at := range []int64{a.Offset, 0, src.Length - 7777} {
		f, _ := z.File[i].Open()
		b, _ := io.ReadAll(f)
		w, err := wav.NewReader(bytes.NewReader(b), int64(len(b)))
		n := []int{48000, 1, 7777}[i]
		have, want := make([]float32, n+1), make([]float32, n)
		if err == nil {
			err = whole.ReadAt(want, 0, at)
		}
		if err != nil || w.TimeReference != max(src.StartTC, 0)+at {
			t.Errorf("%s: time %d, %v", z.File[i].Name, w.TimeReference, err)
		}
		if k, _ := w.Read([][]float32{have}); k != n {
			t.Errorf("%s has %d samples", z.File[i].Name, k)
		}
		for k := range want {
			if have[k] != want[k] {
				t.Fatalf("%s: sample %d", z.File[i].Name, k)
			}
		}
	}
	now := r.reel(1).Reel
	if len(now.Sources) != len(v.Reel.Sources)+3 {
		t.Errorf("%d sources, were %d", len(now.Sources), len(v.Reel.Sources))
	}
	last := now.Sources[len(now.Sources)-3]
	if last.Length != 48000 || src.StartTC >= 0 && last.StartTC != src.StartTC+a.Offset {
		t.Errorf("%+v", last)
	}
	// Repeated, nothing is listed twice.
	r.api(201, "POST", fmt.Sprintf("/jobs/%d/repeat", made.ID), nil, &made)
	if j := r.job(made.ID); j.State != store.Done || len(r.reel(1).Reel.Sources) != len(now.Sources) {
		t.Errorf("%+v", j)
	}
	for says, alter := range map[string]func(){
		"words that stand for nothing": func() { ask["pattern"] = "{nmae}" },
		"outside":                      func() { ask["stretches"] = []map[string]any{{"name": "x", "from": 5, "to": src.Length + 1}} },
		"From 1 to":                    func() { ask["stretches"] = []map[string]any{} },
		"not in this reel":             func() { ask["source"] = 9999 },
		"as files, as sources":         func() { ask["files"], ask["sources"] = false, false },
	} {
		pattern, stretches, source := ask["pattern"], ask["stretches"], ask["source"]
		alter()
		var p answer.Problem
		r.api(400, "POST", "/reels/1/extracts", ask, &p)
		if !strings.Contains(p.Detail, says) {
			t.Errorf("%q: %+v", says, p)
		}
		ask["pattern"], ask["stretches"], ask["source"], ask["files"], ask["sources"] = pattern, stretches, source, true, true
	}
}
