package reel_test

import (
	"errors"
	"fmt"

	"blendseam/core/gain"
	"blendseam/core/reel"
	"blendseam/core/timecode"
)

// twoClips is a reel of one dialogue track with two clips of a second that meet,
// each with a second of material beyond its edges.
func twoClips() (*reel.Reel, reel.ID, reel.ID) {
	r, _ := reel.New(reel.Props{Name: "Scene 12", SampleRate: 48000, FrameRate: timecode.Rate{Num: 25, Den: 1}}, reel.Starter)
	done, _ := (&reel.AddSource{Source: reel.Source{Recording: "a recording", Name: "take 1", Right: -1, Length: 3 * 48000, StartTC: -1}}).Apply(r)
	source, track := done.Made[0], r.Order()[0].ID
	var ids [2]reel.ID
	for i := range ids {
		done, _ = (&reel.Place{Source: source, Track: track, Start: int64(i) * 48000, Offset: 48000, Length: 48000}).Apply(done.Reel)
		ids[i] = done.Made[0]
	}
	return done.Reel, ids[0], ids[1]
}

// An edit is a value. Applied to a reel it gives a new one, and says what it did.
func Example() {
	r, left, right := twoClips()
	done, err := (&reel.SetBlend{Left: left, Right: right, Before: 2880, After: 2880, Law: gain.ConstantPower, Lean: gain.Even}).Apply(r)
	fmt.Println(done.Label, err)
	fmt.Println(len(r.Blends), len(done.Reel.Blends)) // the reel before is as it was
	change := reel.Diff(r, done.Reel)
	back, _ := change.Invert().Apply(done.Reel)
	fmt.Println(reel.Diff(r, back).Empty())
	// Output:
	// blend “take 1” into “take 1” <nil>
	// 0 1
	// true
}

// What cannot be done is refused, with what could.
func ExampleRefusal() {
	r, left, _ := twoClips()
	_, err := (&reel.Trim{Clips: []reel.ID{left}, End: reel.Head, By: 3 * 48000}).Apply(r)
	var no *reel.Refusal
	fmt.Println(errors.As(err, &no))
	fmt.Println(no.Reason)
	// Output:
	// true
	// “take 1” is 1.00 s (25.0 frames) long.
}

// Seams are derived: where two clips meet, and where one begins or ends alone.
func ExampleReel_Seams() {
	r, _, _ := twoClips()
	for _, s := range r.Seams() {
		fmt.Println(s.Kind, s.At)
	}
	// Output:
	// head 0
	// cut 48000
	// tail 96000
}
