package server

import (
	"encoding/binary"
	"encoding/json"
	"fmt"
	"math"
	"strings"
	"testing"

	"blendseam/core/reel"
)

// What is told of a clip's peak is what its sound has, as it is rendered alone.
func TestPeaksOfClips(t *testing.T) {
	r := newRig(t)
	type peaks struct {
		Clips []struct {
			Clip reel.ID
			DBFS *float64
			Over bool
		}
		Words string
		Over  bool
	}
	v := r.reel(1)
	for _, db := range []float64{0, 6.5, 60, -144} {
		c := named(v, "Warden 2")
		e := &reel.Gain{Clips: []reel.ID{c.ID}, ToDB: &db}
		text, _ := reel.Encode(e)
		var dry struct{ Peaks *peaks }
		r.api(200, "POST", "/reels/1/dry-run", fmt.Sprintf(`{"edit":%s}`, text), &dry)
		r.edit(1, e)
		var got peaks
		r.api(200, "GET", fmt.Sprintf("/reels/1/peaks?clips=%d", c.ID), nil, &got)
		if dry.Peaks == nil || dry.Peaks.Words != got.Words || len(got.Clips) != 1 {
			t.Fatalf("%g dB: tried it is %+v, done %+v", db, dry.Peaks, got)
		}
		var rest []string
		for _, o := range v.Reel.Clips {
			if o.ID != c.ID {
				rest = append(rest, fmt.Sprint(o.ID))
			}
		}
		_, b := r.request("GET", fmt.Sprintf("/api/v1/reels/1/pcm?from=%d&to=%d&silent=%s", c.Start, c.End(), strings.Join(rest, ",")), nil, nil)
		heard := 0.0
		for ; len(b) > 0; b = b[4:] {
			heard = max(heard, math.Abs(float64(math.Float32frombits(binary.LittleEndian.Uint32(b)))))
		}
		switch one := got.Clips[0]; {
		case db == -144:
			if one.DBFS != nil || heard != 0 || got.Words != "silent" {
				t.Errorf("silence: %+v, heard %g", got, heard)
			}
		case one.DBFS == nil || math.Abs(*one.DBFS-20*math.Log10(heard)) > 0.01 || one.Over != (heard >= 1) || one.Over != strings.Contains(got.Words, "clip"):
			t.Errorf("%g dB: %+v, heard %g", db, got, heard)
		}
	}
	var none peaks
	r.api(200, "GET", "/reels/1/peaks?clips=99999", nil, &none)
	if len(none.Clips) != 0 || none.Over {
		t.Errorf("of a clip that is gone: %+v", none)
	}
	r.api(400, "GET", "/reels/1/peaks?clips="+strings.TrimSuffix(strings.Repeat("1,", 501), ","), nil, nil)
}

// Clips are matched by what is proposed; asked again, nothing is left to do.
func TestMatchOfClips(t *testing.T) {
	r := newRig(t)
	v := r.reel(1)
	a, b := named(v, "Warden 2"), named(v, "Grower 2")
	var got struct {
		LUFS float64
		Rows []struct{ ByDB, ToDB, Before float64 }
		Edit *struct {
			Do   string
			With json.RawMessage
		}
		Words string
	}
	body := fmt.Sprintf(`{"clips":[%d,%d],"reference":%d}`, a.ID, b.ID, a.ID)
	r.api(200, "POST", "/reels/1/match", body, &got)
	if got.Edit == nil || len(got.Rows) != 1 || math.Abs(got.Rows[0].Before+got.Rows[0].ByDB-got.LUFS) > 0.06 {
		t.Fatalf("%+v", got)
	}
	if r.reel(1).Revision != v.Revision {
		t.Error("it was done, not proposed")
	}
	text, _ := json.Marshal(map[string]any{"do": got.Edit.Do, "with": got.Edit.With})
	r.api(200, "POST", "/reels/1/edits", fmt.Sprintf(`{"base":%d,"edit":%s}`, v.Revision, text), nil)
	if now := named(r.reel(1), "Grower 2"); now.GainDB != got.Rows[0].ToDB {
		t.Errorf("it is at %g dB", now.GainDB)
	}
	got.Edit = nil
	r.api(200, "POST", "/reels/1/match", body, &got)
	if got.Edit != nil || !strings.Contains(got.Words, "already") {
		t.Errorf("matched again: %+v", got)
	}
	for status, bodies := range map[int][]string{
		400: {`{"clips":[]}`, fmt.Sprintf(`{"clips":[%d],"reference":%d,"lufs":-23}`, b.ID, a.ID)},
		422: {fmt.Sprintf(`{"clips":[%d],"lufs":3}`, a.ID), fmt.Sprintf(`{"clips":[%d],"reference":99999}`, a.ID)},
	} {
		for _, body := range bodies {
			r.api(status, "POST", "/reels/1/match", body, nil)
		}
	}
}
