package seam

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/core/timecode"
	"blendseam/outside"
)

// spoken is a recording of a room in which recorded voices (Debian's package
// alsa-utils) speak at given seconds; it gives where each ends.
func spoken(t *testing.T, at ...float64) (sound.Reader, []float64) {
	t.Helper()
	rng := rand.New(rand.NewPCG(5, 8))
	v := make([]float32, 30*48000)
	for i := range v {
		v[i] = float32(rng.NormFloat64() * 0.0008)
	}
	voices := outside.Voices(t)
	var ends []float64
	for k, sec := range at {
		from, to := bounds(voices[k%len(voices)])
		for i, s := range voices[k%len(voices)][from:to] {
			v[int(sec*48000)+i] += s * 0.5
		}
		ends = append(ends, sec+float64(to-from)/48000)
	}
	return sound.Memory{v}, ends
}

// bounds are where a voice rises over a fiftieth of its peak, and sinks below it.
func bounds(v []float32) (from, to int) {
	top := float32(0)
	for _, s := range v {
		top = max(top, s, -s)
	}
	loud := func(s float32) bool { return s > top/50 || s < -top/50 }
	for from < len(v) && !loud(v[from]) {
		from++
	}
	for to = len(v); to > from && !loud(v[to-1]); to-- {
	}
	return from, to
}

// The lead that is suggested begins just before the voice that is cut off at its
// head, the lag ends where the one that goes out has died away: within three
// frames of where the recorded voices were put.
func TestSuggestionsFindTheWords(t *testing.T) {
	rate := timecode.Rate25
	out, ends := spoken(t, 2, 6) // the second is cut off before its end
	in, _ := spoken(t, 4, 9.4)   // the second begins before the cut
	cutOut, cutIn := ends[1]-0.3, 9.4+0.36
	r, err := reel.New(reel.Props{Name: "split", SampleRate: 48000, FrameRate: rate}, []reel.AddTrack{{Name: "P", Role: reel.PictureRole}, {Name: "D", Role: reel.Dialogue}})
	if err != nil {
		t.Fatal(err)
	}
	do := func(e reel.Edit) []reel.ID {
		done, err := e.Apply(r)
		if err != nil {
			t.Fatalf("%T: %v", e, err)
		}
		r = done.Reel
		return done.Made
	}
	var cams, snds [2]reel.ID
	for i, name := range []string{"a", "b"} {
		cams[i] = do(&reel.AddSource{Source: reel.Source{Recording: name, Name: name + " camera", Left: -1, Right: -1, StartTC: -1, Picture: reel.Picture{Rate: rate, Frames: 750}}})[0]
		snds[i] = do(&reel.AddSource{Source: reel.Source{Recording: name, Name: name, Right: -1, StartTC: -1, Length: 30 * 48000}})[0]
	}
	frame := func(sec float64) int64 { return rate.Sample(int64(math.Round(sec*25)), 48000) }
	first := do(&reel.LayShot{Picture: cams[0], Track: r.Tracks[0].ID, Offset: frame(1), Length: frame(cutOut) - frame(1), Sounds: []reel.LaySound{{Source: snds[0], Track: r.Tracks[1].ID}}})
	second := do(&reel.LayShot{Picture: cams[1], Track: r.Tracks[0].ID, Start: frame(cutOut) - frame(1), Offset: frame(cutIn), Length: frame(4), Sounds: []reel.LaySound{{Source: snds[1], Track: r.Tracks[1].ID}}})
	open := func(s reel.Source) (sound.Reader, error) {
		if s.Recording == "a" {
			return out, nil
		}
		return in, nil
	}
	var at reel.Seam
	for _, s := range r.Seams() {
		if s.Left == first[1] && s.Right == second[1] {
			at = s
		}
	}
	got, err := New(r, open).Leads(context.Background(), r, at)
	if err != nil {
		t.Fatal(err)
	}
	if len(got.Offers) != 3 || got.Frames != 0 {
		t.Fatalf("%+v", got)
	}
	for i, want := range []float64{0.36 * 25, -0.3 * 25, 0} {
		o := got.Offers[i]
		if math.Abs(o.Frames-want) > 3 {
			t.Errorf("suggested %g frames, the word is at %.1f", o.Frames, want)
		}
		if o.After.Verdict == "" {
			t.Error("a suggestion was not measured")
		}
		if next, err := o.Edit.Apply(r); err != nil {
			t.Error(err)
		} else if c, _ := next.Reel.CutOf(first[1], second[1]); c.Lead != o.Frames {
			t.Errorf("a suggestion of %g leads %g", o.Frames, c.Lead)
		}
	}
	// How far it can go is what the material holds.
	// As far as there is something of the clip that gives.
	left, _ := r.Clip(first[1])
	if want := math.Min(float64(frame(cutIn))/1920, math.Ceil(float64(left.Length)/1920)-1); got.MostLead != want {
		t.Errorf("can lead %g, want %g", got.MostLead, want)
	}
	if want := 750 - float64(frame(cutOut))/1920; math.Abs(got.MostLag-math.Min(want, 99)) > 1 {
		t.Errorf("can lag %g, want %g", got.MostLag, math.Min(want, 99))
	}
	// The end of the material is told; the voice before the one that comes in lies
	// too far ahead to be heard by a lead of three seconds' reach.
	if len(got.Warnings) == 0 {
		t.Error("nothing is said of the end of the material")
	}
}
