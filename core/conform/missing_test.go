package conform

import (
	"slices"
	"testing"

	"blendseam/core/reel"
	"blendseam/core/timecode"
)

// Of a folder the files are wanted that have the name of what is missing; where
// one has the very name, another ending of it is not.
func TestWantedFiles(t *testing.T) {
	r, err := reel.New(reel.Props{Name: "x", SampleRate: 48000, FrameRate: timecode.Rate{Num: 25, Den: 1}}, reel.Starter)
	if err != nil {
		t.Fatal(err)
	}
	l := List{Rate: r.Props.FrameRate, Tracks: []Track{{Name: "A1", Events: []Event{
		{Name: "take 1.wav", Record: 0, Length: 48000, Zero: -1},
		{Name: "take 2", Record: 48000, Length: 48000, Zero: -1},
	}}}}
	c := Conform(l, r)
	laid, err := (&reel.Assemble{Name: "x", What: c.What}).Apply(r)
	if err != nil {
		t.Fatal(err)
	}
	r = laid.Reel
	if n := len(MissingOf(r, nil)); n != 2 {
		t.Fatalf("%d are missing", n)
	}
	files := []string{"TAKE 1.WAV", "take 1.mp3", "take 2.flac", "take 2.mov", "take 22.wav", "notes.txt", ""}
	if got, want := Wanted(r, files, nil), []string{"TAKE 1.WAV", "take 2.flac", "take 2.mov"}; !slices.Equal(got, want) {
		t.Errorf("%q, want %q", got, want)
	}
	if got := Wanted(r, nil, nil); got == nil || len(got) > 0 {
		t.Errorf("of none: %#v", got)
	}
}
