package conform

import (
	"slices"
	"strings"
	"testing"

	"blendseam/core/reel"
	"blendseam/core/timecode"
	"blendseam/core/treat"
)

// What no list holds of a clip is told before it is written.
func TestWhatIsLostIsTold(t *testing.T) {
	r := &reel.Reel{NextID: 1, Props: reel.Props{Name: "t", SampleRate: 48000, FrameRate: timecode.Rate25}}
	for _, e := range []reel.Edit{
		&reel.AddTrack{Name: "Voice", Role: reel.Dialogue},
		&reel.AddSource{Source: reel.Source{Recording: "a", Name: "a", Right: -1, Length: 9600000, StartTC: 0}},
		&reel.Place{Source: 2, Track: 1, Length: 480000},
		&reel.Place{Source: 2, Track: 1, Start: 480000, Offset: 480000, Length: 480000},
		&reel.Place{Source: 2, Track: 1, Start: 2000000, Offset: 480000, Length: 480000},
		&reel.Treat{Track: 1, Does: &treat.Settings{HighPass: treat.Cut{Hz: 80, Slope: 12}}},
		&reel.FitClip{Clip: 5, Length: 500000, Recording: "f"},
	} {
		done, err := e.Apply(r)
		if err != nil {
			t.Fatal(err)
		}
		r = done.Reel
	}
	m, err := r.Merging([]reel.ID{3, 4}, false)
	if err != nil {
		t.Fatal(err)
	}
	done, err := (&reel.Merge{Merged: reel.Merged{Clips: []reel.ID{3, 4}}, Digest: m.Digest(), Source: reel.Source{Recording: "m", Right: -1, Name: "m"}}).Apply(r)
	if err != nil {
		t.Fatal(err)
	}
	_, lost := FromReel(done.Reel, nil)
	for _, want := range []string{"treatment of a track", "fitted clip names", "merged clip names"} {
		if !slices.ContainsFunc(lost, func(s string) bool { return strings.Contains(s, want) }) {
			t.Errorf("nothing is told of a %s: %q", want, lost)
		}
	}
}
