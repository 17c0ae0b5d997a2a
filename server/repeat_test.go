package server

import (
	"bytes"
	"fmt"
	"math"
	"testing"

	"blendseam/core/reel"
	"blendseam/media/wav"
	"blendseam/server/api"
	"blendseam/store"
)

// A shot's fit and a joined take are repeated as what they are, not as something else.
func TestOtherJobsAreRepeated(t *testing.T) {
	r := newRig(t)
	r.film(1)
	doc := r.reel(1).Reel
	var shot, snd reel.Clip
	for _, c := range doc.Clips {
		if src, _ := doc.Source(c.Source); src.Picture.Pace != (reel.Pace{}) {
			shot = c
		}
	}
	for _, s := range doc.Sources {
		if !s.Shows() && s.Length > shot.Length && snd.ID == 0 {
			track := r.edit(1, &reel.AddTrack{Name: "Camera", Role: reel.Dialogue}).Outcome.Made[0]
			id := r.edit(1, &reel.Place{Source: s.ID, Track: track, Start: shot.Start, Length: shot.Length}).Outcome.Made[0]
			snd, _ = r.reel(1).Reel.Clip(id)
		}
	}
	r.edit(1, &reel.TieUp{Clips: []reel.ID{shot.ID, snd.ID}})
	var made struct{ ID int64 }
	r.api(201, "POST", "/reels/1/shot-fits", map[string]any{"base": r.reel(1).Revision, "shot": shot.ID, "length": shot.Length * 9 / 10}, &made)
	if j := r.job(made.ID); j.State != store.Done {
		t.Fatalf("%+v", j)
	}
	fitted, _ := r.reel(1).Reel.Clip(snd.ID)
	if fitted.Source == snd.Source {
		t.Fatal("its sound was not fitted")
	}
	r.api(200, "POST", "/reels/1/undo", nil, nil)
	r.api(201, "POST", fmt.Sprintf("/jobs/%d/repeat", made.ID), nil, &made)
	if j := r.job(made.ID); j.State != store.Done {
		t.Fatalf("again: %+v", j)
	}
	doc = r.reel(1).Reel
	if again, _ := doc.Clip(snd.ID); again.Length != fitted.Length || again.Start != fitted.Start {
		t.Errorf("again it is %+v, was %+v", again, fitted)
	}

	for i := range 2 {
		var b bytes.Buffer
		w, err := wav.NewWriter(&b, wav.Format{Channels: 1, Rate: 48000, Bits: 16}, 48000, false, wav.Meta{TimeReference: int64(40_000+i) * 48000})
		if err != nil {
			t.Fatal(err)
		}
		v := make([]float32, 48000)
		for k := range v {
			v[k] = float32(0.3 * math.Sin(float64(k)*float64(i+2)/90))
		}
		if err := w.Write([][]float32{v}); err != nil {
			t.Fatal(err)
		}
		if err := w.Close(); err != nil {
			t.Fatal(err)
		}
		if j := r.bringIn(1, fmt.Sprintf("T9_%d.wav", i+1), b.Bytes()); j.State != "done" {
			t.Fatalf("%+v", j)
		}
	}
	var takes api.TakeList
	r.api(200, "GET", "/reels/1/takes", nil, &takes)
	if len(takes.Takes) != 1 || takes.Takes[0].Name != "T9" {
		t.Fatalf("%+v", takes)
	}
	r.api(201, "POST", "/reels/1/takes", map[string]any{"sources": takes.Takes[0].Sources}, &made)
	if j := r.job(made.ID); j.State != store.Done || j.Detail != "2 files joined" {
		t.Fatalf("%+v", j)
	}
	// It was joined: that is said, and nothing is exported in its place.
	if res, b := r.request("POST", fmt.Sprintf("/api/v1/jobs/%d/repeat", made.ID), nil, nil); res.StatusCode < 400 || !bytes.Contains(b, []byte("joined before")) {
		t.Errorf("%d %s", res.StatusCode, b)
	}
}
