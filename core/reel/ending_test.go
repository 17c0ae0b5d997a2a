package reel

import (
	"strings"
	"testing"

	"blendseam/core/gain"
)

// What goes beyond the place is trimmed to it and fades; what has ended long before,
// what begins later, and dialogue stay.
func TestEndTracks(t *testing.T) {
	r := blank(3, 1, 900000)
	r.Tracks[1].Role, r.Tracks[2].Role = Music, Music
	src := r.Sources[0].ID
	place := func(track int, start, length int64) (id ID) {
		var made []ID
		r, made = mustDo(t, r, &Place{Source: src, Track: r.Tracks[track].ID, Start: start, Offset: 1000, Length: length})
		return made[0]
	}
	said, before, across, beside, later := place(0, 0, 400000), place(1, 0, 50000), place(1, 60000, 400000), place(2, 100000, 90000), place(2, 300000, 50000)
	done, err := (&EndTracks{At: 200000, Length: 96000}).Apply(r)
	if err != nil {
		t.Fatal(err)
	}
	for id, want := range map[ID][2]int64{said: {400000, 0}, before: {50000, 0}, across: {140000, 96000}, beside: {90000, 90000}, later: {50000, 0}} {
		if c, _ := done.Reel.Clip(id); c.Length != want[0] || c.FadeOut.Length != want[1] {
			t.Errorf("clip %d is %d long with a fade of %d, not %v", id, c.Length, c.FadeOut.Length, want)
		}
	}
	if back, err := Diff(r, done.Reel).Invert().Apply(done.Reel); err != nil || !Diff(back, r).Empty() {
		t.Error("it is not taken back whole")
	}
	// A spot effect is not faded, nor is what fades out already made to fade otherwise.
	spots := mustApply(t, r, &SetTrack{Track: r.Tracks[1].ID, Role: ptr(Spots)})
	if done, err := (&EndTracks{At: 200000}).Apply(spots); err != nil {
		t.Error(err)
	} else if c, _ := done.Reel.Clip(across); c.Length != 400000 {
		t.Error("a spot effect was ended")
	}
	long := mustApply(t, r, &SetFade{Clip: across, End: Tail, Fade: Fade{Length: 200000, Shape: gain.Smooth, Bend: gain.Even}})
	if _, err := (&EndTracks{Where: EndReel}).Apply(long); err == nil || !strings.Contains(err.Error(), "fades already") {
		t.Errorf("a long fade at the end: %v", err)
	}
	// At the end of the reel nothing is cut off.
	done, err = (&EndTracks{Where: EndReel, Length: 10000}).Apply(r)
	if err != nil {
		t.Fatal(err)
	}
	if c, _ := done.Reel.Clip(across); c.Length != 400000 || c.FadeOut.Length != 10000 {
		t.Errorf("at the end of the reel: %+v", c)
	}
	for _, c := range []struct {
		e    EndTracks
		says string
	}{{EndTracks{At: 55000, Length: 100}, "no music"}, {EndTracks{Where: EndPicture, Length: 100}, "no picture"}, {EndTracks{At: -1, Length: 100}, "outside"}, {EndTracks{At: 200000, Length: -1}, "negative"}} {
		if _, err := c.e.Apply(r); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%+v: %v", c.e, err)
		}
	}
}
