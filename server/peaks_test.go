package server

import (
	"encoding/binary"
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
