package reel

import (
	"errors"
	"math/rand/v2"
	"strings"
	"testing"

	"blendseam/core/gain"
	"blendseam/core/timecode"
)

// scene is three shots with their sound, cut straight, 100 frames each: ids of
// the shots and of their sounds.
func scene(t *testing.T, rate timecode.Rate) (*Reel, [3]ID, [3]ID) {
	t.Helper()
	r, err := New(Props{Name: "scene", SampleRate: 48000, FrameRate: rate, StartFrame: rate.Nominal() * 3600}, []AddTrack{{Name: "Picture", Role: PictureRole}, {Name: "Dialogue", Role: Dialogue}, {Name: "Music", Role: Music}})
	if err != nil {
		t.Fatal(err)
	}
	do := func(e Edit) Outcome {
		done, err := e.Apply(r)
		if err != nil {
			t.Fatalf("%T: %v", e, err)
		}
		r = done.Reel
		return done.Outcome
	}
	do(&AddSource{Source{Recording: "p", Name: "camera", Left: -1, Right: -1, StartTC: -1, Picture: Picture{Rate: rate, Frames: 5000}}})
	do(&AddSource{Source{Recording: "p", Name: "camera sound", Right: -1, StartTC: -1, Length: rate.Sample(5000, 48000)}})
	var shots, sounds [3]ID
	for i := range 3 {
		n := int64(i)
		made := do(&LayShot{Picture: r.Sources[0].ID, Track: r.Tracks[0].ID, Start: rate.Sample(100*n, 48000), Offset: rate.Sample(1000*n+500, 48000), Length: rate.Sample(100, 48000), Sounds: []LaySound{{r.Sources[1].ID, r.Tracks[1].ID}}}).Made
		shots[i], sounds[i] = made[0], made[1]
	}
	return r, shots, sounds
}

// A lead of n frames puts the sound's cut n frames before the picture's, at
// every rate; the picture, all else and sync stay; the same back makes it
// straight again, bit for bit.
func TestLeadIsExact(t *testing.T) {
	for _, rate := range timecode.Rates {
		r, shots, sounds := scene(t, rate)
		cut := SoundCut{sounds[0], sounds[1]}
		for _, n := range []float64{1, 12, -7, 50, -50} {
			led := mustApply(t, r, &Lead{Cuts: []SoundCut{cut}, Frames: n})
			p := led.Props
			a, _ := led.Clip(sounds[0])
			b, _ := led.Clip(sounds[1])
			if want := p.sample(100 - int64(n)); a.End() != want || b.Start != want {
				t.Fatalf("%s, %g: the sound cuts at %d and %d, want %d", rate, n, a.End(), b.Start, want)
			}
			for i := range 3 {
				was, _ := r.Clip(shots[i])
				is, _ := led.Clip(shots[i])
				if was != is || led.Off(led.TieOf(sounds[i])) != 0 {
					t.Fatalf("%s, %g: shot %d moved or its sound went out of step", rate, n, i)
				}
			}
			at, ok := led.CutOf(sounds[0], sounds[1])
			if !ok || at.Lead != n {
				t.Fatalf("%s: a lead of %g reads %g", rate, n, at.Lead)
			}
			if back := mustApply(t, led, &Lead{Cuts: []SoundCut{cut}}); !same(back, r) {
				t.Fatalf("%s, %g: straight again is not as it was", rate, n)
			}
		}
		// The limits are told in frames, and are exactly reachable.
		for _, want := range []float64{9000, -9000} {
			_, err := (&Lead{Cuts: []SoundCut{cut}, Frames: want}).Apply(r)
			var no *Refusal
			if !errors.As(err, &no) || no.Offer == nil {
				t.Fatalf("%s: %v", rate, err)
			}
			fit := no.Offer.(*Lead).Frames
			mustApply(t, r, no.Offer)
			if _, err := (&Lead{Cuts: []SoundCut{cut}, Frames: fit + want/9000}).Apply(r); err == nil {
				t.Errorf("%s: %g was offered as the furthest, and one frame more works", rate, fit)
			}
		}
	}
}

// Many cuts at once are one step; where some cannot, the others are offered.
func TestLeadsOfManyCuts(t *testing.T) {
	r, _, sounds := scene(t, timecode.Rate2997Drop)
	both := []SoundCut{{sounds[0], sounds[1]}, {sounds[1], sounds[2]}}
	done, err := (&Lead{Cuts: both, Frames: 8, Remake: &Usual{Length: 3200, Blend: SetBlend{Law: gain.ConstantPower, Lean: 0.5}}}).Apply(r)
	if err != nil || len(done.Reel.Blends) != 2 || !strings.Contains(done.Label, "leads 8 frames at 2 cuts") {
		t.Fatalf("%v %+v", err, done.Outcome)
	}
	// A blend goes along with its cut.
	moved := mustApply(t, done.Reel, &Lead{Cuts: both[:1], Frames: 20})
	if len(moved.Blends) != 2 || moved.Blends[0] != done.Reel.Blends[0] {
		t.Errorf("the blend did not go along: %+v", moved.Blends)
	}
	var no *Refusal
	_, err = (&Lead{Cuts: append(both, SoundCut{sounds[2], 0}), Frames: 8}).Apply(r)
	if !errors.As(err, &no) || !strings.Contains(no.Possible, "2 of the 3") {
		t.Errorf("%v", err)
	}
	if _, err := no.Offer.Apply(r); err != nil {
		t.Error(err)
	}
}

// A picture dissolve and a sound crossfade on one cut are two things.
func TestDissolveAndCrossfadeAreTwoThings(t *testing.T) {
	r, shots, sounds := scene(t, timecode.Rate25)
	seen := mustApply(t, r, &SetBlend{Left: shots[0], Right: shots[1], Before: 7000, After: 7000, Law: gain.ConstantPower, Lean: 0.3})
	if b := seen.Blends[0]; len(seen.Blends) != 1 || b.Before != 4*1920 || b.Law != gain.ConstantGain {
		t.Errorf("a dissolve is %+v", seen.Blends)
	}
	heard := mustApply(t, seen, &SetBlend{Left: sounds[0], Right: sounds[1], Before: 500, After: 500, Law: gain.Matched, Lean: 0.5})
	led := mustApply(t, heard, &Lead{Cuts: []SoundCut{{sounds[0], sounds[1]}}, Frames: 10})
	if len(led.Blends) != 2 || led.Blends[0] != seen.Blends[0] {
		t.Errorf("%+v", led.Blends)
	}
	gone := mustApply(t, led, &RemoveBlend{Blend: led.Blends[1].ID})
	if len(gone.Blends) != 1 || gone.Blends[0] != seen.Blends[0] {
		t.Error("taking the crossfade off touched the dissolve")
	}
	if _, err := (&SetBlend{Left: shots[0], Right: sounds[1], Before: 10, After: 10, Law: gain.ConstantPower, Lean: 0.5}).Apply(r); err == nil {
		t.Error("a picture was blended with sound")
	}
}

// Edits go through ties or around them; what stands off is told in samples and
// comes back by a move or a slip.
func TestTies(t *testing.T) {
	r, shots, sounds := scene(t, timecode.Rate2997)
	frame := func(n int64) int64 { return r.Props.sample(n) }
	start := func(r *Reel, id ID) int64 { c, _ := r.Clip(id); return c.Start }
	moved := mustApply(t, r, &Move{Clips: []ID{shots[2]}, By: frame(30), Tied: true})
	if start(moved, shots[2]) != frame(230) || start(moved, sounds[2])-start(r, sounds[2]) != frame(30) || moved.Off(moved.TieOf(sounds[2])) != 0 {
		t.Error("the sound did not go along with its shot")
	}
	around := mustApply(t, r, &Move{Clips: []ID{shots[2]}, By: frame(30)})
	if off := around.Off(around.TieOf(sounds[2])); off > -frame(30)+2 || off < -frame(30)-2 || around.Props.Late(off) != "30 frames early" {
		t.Errorf("the sound stands %d off", off)
	}
	for _, way := range []Way{ByMove, BySlip} {
		back := mustApply(t, around, &Resync{Clips: []ID{sounds[2]}, Way: way})
		if back.Off(back.TieOf(sounds[2])) != 0 {
			t.Errorf("by a %s it is still %d off", way, back.Off(back.TieOf(sounds[2])))
		}
	}
	// Rolled through the tie both cuts move, around it the one.
	rolled := mustApply(t, r, &Roll{Left: shots[0], Right: shots[1], By: frame(9), Tied: true})
	if start(rolled, shots[1]) != frame(109) || start(rolled, sounds[1]) != frame(109) {
		t.Errorf("rolled to %d and %d", start(rolled, shots[1]), start(rolled, sounds[1]))
	}
	alone := mustApply(t, r, &Roll{Left: shots[0], Right: shots[1], By: frame(9)})
	if at, _ := alone.CutOf(sounds[0], sounds[1]); at.Lead != 9 {
		t.Errorf("rolling the picture alone leads %g", at.Lead)
	}
	// A split of both parts the tie with them.
	parted := mustApply(t, r, &Split{Clips: []ID{shots[0]}, At: frame(50), Tied: true})
	if len(parted.Ties) != 4 {
		t.Fatalf("%d ties after a split of both", len(parted.Ties))
	}
	for _, tie := range parted.Ties {
		shot, _ := parted.Clip(tie.Shot)
		sound, _ := parted.Clip(tie.Clip)
		if shot.Start != sound.Start || shot.End() != sound.End() {
			t.Errorf("%v to %v", shot, sound)
		}
	}
	if left := mustApply(t, r, &Remove{Clips: []ID{shots[1]}, Tied: true}); len(left.Clips) != 4 || len(left.Ties) != 2 {
		t.Error("a shot that is taken out leaves its sound")
	}
	// Trimmed through the tie, a split edit keeps its step.
	led := mustApply(t, r, &Lead{Cuts: []SoundCut{{sounds[1], sounds[2]}}, Frames: 6})
	gap := mustApply(t, led, &Trim{Clips: []ID{shots[2]}, End: Head, By: frame(10), Tied: true})
	if c, _ := gap.Clip(shots[2]); c.Start != frame(210) || start(gap, sounds[2]) != start(led, sounds[2])+frame(10) {
		t.Errorf("trimmed to %d and %d", c.Start, start(gap, sounds[2]))
	}
	untied := mustApply(t, r, &Untie{Clips: []ID{shots[1]}})
	if len(untied.Ties) != 2 {
		t.Error("it is still tied")
	}
	if again := mustApply(t, untied, &TieUp{Clips: []ID{sounds[1]}}); again.TieOf(sounds[1]).Shot != shots[1] {
		t.Error("by itself it is tied to another shot")
	}
}

// Pictures follow by whole frames only; parts of a frame are refused with what
// works, so that sync is never lost by rounding.
func TestPicturesFollowByFrames(t *testing.T) {
	r, _, sounds := scene(t, timecode.Rate2997Drop)
	e := &Trim{Clips: []ID{sounds[0]}, End: Tail, By: 5000, Later: Follow}
	_, err := e.Apply(r)
	var no *Refusal
	if !errors.As(err, &no) || no.Offer == nil || !strings.Contains(no.Reason, "whole frames") {
		t.Fatal(err)
	}
	if fit := no.Offer.(*Trim); fit.By != r.Props.sample(3) {
		t.Errorf("offered %d", fit.By)
	}
}

// Sound and picture stay in step within half a frame through an hour at 29.97
// drop, however it is cut: by the arithmetic of SMPTE ST 12-1, and after a
// thousand edits that go through the ties.
func TestInStepThroughAnHour(t *testing.T) {
	rate := timecode.Rate2997Drop
	r, err := New(Props{Name: "hour", SampleRate: 48000, FrameRate: rate}, []AddTrack{{Name: "P", Role: PictureRole}, {Name: "D", Role: Dialogue}})
	if err != nil {
		t.Fatal(err)
	}
	const hour = 107892
	r = mustApply(t, r, &AddSource{Source{Recording: "p", Name: "p", Left: -1, Right: -1, StartTC: -1, Picture: Picture{Rate: rate, Frames: 2 * hour}}})
	r = mustApply(t, r, &AddSource{Source{Recording: "p", Name: "s", Right: -1, StartTC: -1, Length: rate.Sample(2*hour, 48000)}})
	r = mustApply(t, r, &LayShot{Picture: r.Sources[0].ID, Track: r.Tracks[0].ID, Offset: rate.Sample(300, 48000), Length: rate.Sample(hour, 48000), Sounds: []LaySound{{r.Sources[1].ID, r.Tracks[1].ID}}})
	shot := r.OnTrack(r.Tracks[0].ID)[0]
	for n := int64(0); n < hour; n += 97 {
		at := rate.Sample(n, 48000)
		if got := r.Frame(shot, at); got != 300+n {
			t.Fatalf("frame %d shows %d", n, got-300)
		}
		// The sound of that frame begins within half a sample's rounding of it.
		sound, _ := r.Clip(r.Ties[0].Clip)
		if off := at - sound.Start + sound.Offset - rate.Sample(300+n, 48000); off > 1 || off < -1 {
			t.Fatalf("frame %d: its sound is %d samples off", n, off)
		}
	}
	rng := rand.New(rand.NewPCG(3, 3))
	for range 1000 {
		shots := r.OnTrack(r.Tracks[0].ID)
		c := shots[rng.IntN(len(shots))]
		var e Edit = &Split{Clips: []ID{c.ID}, At: c.Start + rng.Int64N(c.Length), Tied: true}
		if len(shots) > 60 {
			e = &Remove{Clips: []ID{c.ID}, Later: Follow, Tied: true}
		} else if rng.IntN(2) == 0 {
			e = &Trim{Clips: []ID{c.ID}, End: Head, By: r.Props.sample(rng.Int64N(40)), Later: Follow, Tied: true}
		}
		if next, err := e.Apply(r); err == nil {
			r = next.Reel
		}
	}
	if err := r.Check(); err != nil {
		t.Fatal(err)
	}
	half := r.Props.sample(1) / 2
	for _, tie := range r.Ties {
		s, _ := r.Clip(tie.Shot)
		c, _ := r.Clip(tie.Clip)
		if off := between(s, c) - tie.Sync; off > half || off < -half {
			t.Errorf("a sound is %d samples off after a thousand edits", off)
		}
	}
	if len(r.Ties) < 10 {
		t.Errorf("only %d ties are left to look at", len(r.Ties))
	}
}

// A source of another rate shows the frame that is on at that moment.
func TestFramesOfAnotherRate(t *testing.T) {
	for _, c := range []struct {
		own, of timecode.Rate
		n, want int64
	}{
		{timecode.Rate25, timecode.Rate24, 24, 25}, {timecode.Rate24, timecode.Rate25, 24, 23}, {timecode.Rate24, timecode.Rate25, 25, 24},
		{timecode.Rate2997, timecode.Rate2997Drop, 107892, 107892}, {timecode.Rate60, timecode.Rate30, 7, 14}, {timecode.Rate23976, timecode.Rate2997, 5, 4}, {timecode.Rate23976, timecode.Rate24, 24024, 24000},
	} {
		if got := c.own.Shown(c.n, c.of); got != c.want {
			t.Errorf("frame %d of %s shows %d of %s, want %d", c.n, c.of, got, c.own, c.want)
		}
	}
}

// A card lasts as long as any reel: where a clip lies, all of it has no place, and that is
// said.
func TestACardWithoutRoom(t *testing.T) {
	r := blankPicture()
	track, card := r.Order()[0].ID, Source{}
	for _, s := range r.Sources {
		if s.Shows() && s.Picture.Frames == 0 {
			card = s
		}
	}
	done, err := (&Place{Source: card.ID, Track: track, Start: 0, Length: 48048}).Apply(r)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := (&Place{Source: card.ID, Track: track, Start: 0, Length: card.Length}).Apply(done.Reel); err == nil {
		t.Error("it was put on top of another")
	}
}
