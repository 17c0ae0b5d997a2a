package reel

import (
	"errors"
	"math/rand/v2"
	"reflect"
	"strings"
	"testing"

	"blendseam/core/gain"
)

func must(t *testing.T, r *Reel, e Edit) (*Reel, Outcome) {
	t.Helper()
	done, err := e.Apply(r)
	if err != nil {
		t.Fatalf("%T: %v", e, err)
	}
	if err := done.Reel.Check(); err != nil {
		t.Fatalf("%T leaves %v", e, err)
	}
	return done.Reel, done.Outcome
}

// struckReel is a clip of 1,000 samples at 500 that plays a source from 200 on,
// struck from 600 to 800.
func struckReel(t *testing.T) (*Reel, ID, ID) {
	r := blank(2, 1, 5000)
	r, o := must(t, r, &Place{Source: r.Sources[0].ID, Track: r.Tracks[0].ID, Start: 500, Offset: 200, Length: 1000})
	clip := o.Made[0]
	r, o = must(t, r, &StrikeSpan{From: 600, To: 800, Tracks: []ID{r.Tracks[0].ID}, Fade: 20, Shape: gain.QuarterSine})
	return r, clip, o.Made[0]
}

func TestWhatIsStruckStaysOnTheSound(t *testing.T) {
	r, clip, strike := struckReel(t)
	s, _ := r.Strike(strike)
	if s.From != 300 || s.To != 500 || s.Fall.Length != 20 || s.Rise.Length != 20 {
		t.Fatalf("%+v", s)
	}
	where := func(r *Reel) [2]int64 {
		s, _ := r.Strike(strike)
		c, _ := r.Clip(s.Clip)
		from, to, _ := s.In(c)
		return [2]int64{from, to}
	}
	for name, e := range map[string]struct {
		Edit
		at [2]int64
	}{
		"moved":           {&Move{Clips: []ID{clip}, By: 70}, [2]int64{670, 870}},
		"slipped":         {&Slip{Clips: []ID{clip}, By: 30}, [2]int64{630, 830}},
		"head trimmed":    {&Trim{Clips: []ID{clip}, End: Head, By: 50}, [2]int64{600, 800}},
		"trimmed into":    {&Trim{Clips: []ID{clip}, End: Head, By: 150}, [2]int64{650, 800}},
		"head, following": {&Trim{Clips: []ID{clip}, End: Head, By: 50, Later: Follow}, [2]int64{550, 750}},
	} {
		out, _ := must(t, r, e.Edit)
		if got := where(out); got != e.at {
			t.Errorf("%s: struck at %v, want %v", name, got, e.at)
		}
	}
	// Trimmed off and back, it is there again.
	out, _ := must(t, r, &Trim{Clips: []ID{clip}, End: Head, By: 400})
	if len(out.Seams()) != 2 {
		t.Errorf("%d seams once the struck span is trimmed off", len(out.Seams()))
	}
	out, _ = must(t, out, &Trim{Clips: []ID{clip}, End: Head, By: -400})
	if where(out) != [2]int64{600, 800} {
		t.Error("the struck span did not come back with the sound")
	}
	// Split within it, both parts are struck; joined, it is one again.
	out, o := must(t, r, &Split{Clips: []ID{clip}, At: 700})
	if n := len(out.Strikes); n != 2 {
		t.Fatalf("%d struck spans after a split", n)
	}
	back, _ := must(t, out, &Join{Left: clip, Right: o.Made[0]})
	if !reflect.DeepEqual(back.Strikes, r.Strikes) {
		t.Errorf("joined: %+v, want %+v", back.Strikes, r.Strikes)
	}
	// Altered on one side, they no longer join, and the refusal says why.
	other := out.StrikesOf(o.Made[0])[0]
	to := other.To + 10
	out, _ = must(t, out, &SetStrike{Strike: other.ID, To: &to})
	if _, err := (&Join{Left: clip, Right: o.Made[0]}).Apply(out); err == nil || !strings.Contains(err.Error(), "different strikes") {
		t.Errorf("joined two clips that are struck differently: %v", err)
	}
	// It goes with its clip, and comes back by the inverse.
	gone, _ := must(t, r, &Remove{Clips: []ID{clip}})
	if len(gone.Strikes) != 0 {
		t.Error("a struck span was left without its clip")
	}
	again, err := Diff(r, gone).Invert().Apply(gone)
	if err != nil || !reflect.DeepEqual(again.Strikes, r.Strikes) {
		t.Errorf("undone: %v, %+v", err, again)
	}
}

func TestStrikesKeepApartOrJoin(t *testing.T) {
	r, clip, first := struckReel(t)
	track := []ID{r.Tracks[0].ID}
	// Near: the fades share what lies between.
	out, o := must(t, r, &StrikeSpan{From: 810, To: 900, Tracks: track, Fade: 20, Shape: gain.Linear})
	a, _ := out.Strike(first)
	b, _ := out.Strike(o.Made[0])
	if len(out.Strikes) != 2 || a.Rise.Length+b.Fall.Length > 10 {
		t.Errorf("%+v and %+v", a, b)
	}
	// Over it: one.
	out, o = must(t, r, &StrikeSpan{From: 700, To: 900, Tracks: track, Fade: 5, Shape: gain.Linear})
	if len(out.Strikes) != 1 || len(o.Notes) != 1 {
		t.Fatalf("%+v, %v", out.Strikes, o.Notes)
	}
	if s := out.Strikes[0]; s.From != 300 || s.To != 600 || s.Fall.Length != 20 || s.Rise.Length != 5 {
		t.Errorf("joined: %+v", s)
	}
	// At the recording's ends the fades shorten.
	full, o := must(t, blankWith(t, 100), &StrikeSpan{From: 0, To: 100, Tracks: []ID{1}, Fade: 20, Shape: gain.Linear})
	if s, _ := full.Strike(o.Made[0]); s.Fall.Length != 0 || s.Rise.Length != 0 {
		t.Errorf("a fade reaches past the recording: %+v", s)
	}
	// A clip of one sample.
	one, o := must(t, blankWith(t, 1), &StrikeSpan{From: 0, To: 1, Tracks: []ID{1}, Fade: 480, Shape: gain.QuarterSine, LowerDB: 12})
	if s, _ := one.Strike(o.Made[0]); s.To-s.From != 1 || s.Left() > 0.2512 || s.Left() < 0.2511 {
		t.Errorf("%+v", s)
	}
	var no *Refusal
	from := int64(700)
	if _, err := (&SetStrike{Strike: first, From: &from}).Apply(r); !errors.As(err, &no) || no.Offer == nil {
		t.Errorf("an edge went past the other: %v", err)
	} else if out, err := no.Offer.Apply(r); err != nil || out.Reel.Strikes[0].To-out.Reel.Strikes[0].From != 1 {
		t.Errorf("what is offered does not work: %v", err)
	}
	for _, e := range []Edit{
		&StrikeSpan{From: 5000, To: 5100, Tracks: track, Shape: gain.Linear},
		&StrikeSpan{From: 600, To: 700, Tracks: track, Shape: "x"},
		&StrikeSpan{From: 600, To: 700, Tracks: track, Shape: gain.Linear, LowerDB: 200},
		&StrikeSpan{From: 600, To: 600, Tracks: track, Shape: gain.Linear},
		&Lift{}, &Lift{Strikes: []ID{clip}},
		&CoverStrike{Strike: first, Tone: &Tone{Source: r.Sources[0].ID, From: 10, To: 9000, Seed: 1}},
		&CoverStrike{Strike: first, Tone: &Tone{Source: r.Sources[0].ID, From: 10, To: 90}},
		&CoverStrike{Strike: first, Tone: &Tone{Room: "nowhere", Seed: 1}},
	} {
		if _, err := e.Apply(r); !errors.As(err, &no) {
			t.Errorf("%T %+v: %v", e, e, err)
		}
	}
}

func blankWith(t *testing.T, length int64) *Reel {
	r := blank(1, 1, length)
	r, _ = must(t, r, &Place{Source: r.Sources[0].ID, Track: r.Tracks[0].ID, Length: length})
	return r
}

func TestToneIsLaidBetweenClipsAndGlides(t *testing.T) {
	r := blank(1, 1, 90000)
	src, track := r.Sources[0].ID, r.Tracks[0].ID
	r, a := must(t, r, &Place{Source: src, Track: track, Start: 0, Offset: 0, Length: 20000})
	r, b := must(t, r, &Place{Source: src, Track: track, Start: 40000, Offset: 30000, Length: 20000})
	r, _ = must(t, r, &SetFade{Clip: a.Made[0], End: Tail, Fade: Fade{500, gain.Linear, 0.5}})
	tone, into := Tone{Source: src, From: 20000, To: 30000, Seed: 1}, Tone{Room: Rooms[0], Seed: 3}
	out, o := must(t, r, &LayTone{Track: track, From: 30000, Tone: tone, Into: &into, Blend: 800, Fade: 100})
	if len(o.Made) != 2 || len(out.Blends) != 3 || len(out.OnTrack(track)) != 4 {
		t.Fatalf("%+v", out.OnTrack(track))
	}
	for _, s := range out.Seams() {
		if s.Kind == CutSeam && s.Blend == 0 {
			t.Errorf("no blend at %d", s.At)
		}
	}
	if c, _ := out.Clip(a.Made[0]); c.FadeOut.Length != 0 || c.Length != 20000 {
		t.Errorf("the fade is still there: %+v", c)
	}
	// The same tone is one source, however often it is laid.
	again, _ := must(t, out, &LayTone{Track: track, From: 70000, To: 80000, Tone: tone, Fade: 100})
	if len(again.Sources) != len(out.Sources) {
		t.Error("the same bed was listed twice")
	}
	if c := again.OnTrack(track)[4]; c.FadeIn.Length != 100 || c.FadeOut.Length != 100 || c.Offset == 0 {
		t.Errorf("%+v", c)
	}
	// Where a clip lies there is no room.
	if _, err := (&LayTone{Track: track, From: 10, To: 100, Tone: tone}).Apply(r); err == nil {
		t.Error("tone was laid over a clip")
	}
	// A gap of more than an hour.
	far, _ := must(t, r, &Place{Source: src, Track: track, Start: 2 * 3600 * 48000, Length: 1000})
	far, _ = must(t, far, &LayTone{Track: track, From: 70000, Tone: tone, Blend: 800})
	if g, ok := far.GapAt(track, 70000); ok {
		t.Errorf("a gap is left: %+v", g)
	}
	_ = b
}

// Random strikes and trims: what is struck of the sound stays what it was,
// sample by sample of the source, on every clip that plays it.
func TestStrikesAreOfTheSourceNotOfThePlace(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 1))
	for range 300 {
		r, clip, _ := struckReel(t)
		gone := func(r *Reel, at int64) (bool, bool) { // a sample of the source: is it played, is it struck
			for _, c := range r.Clips {
				if at < c.Offset || at >= c.Offset+c.Length {
					continue
				}
				for _, s := range r.StrikesOf(c.ID) {
					if at >= s.From && at < s.To {
						return true, true
					}
				}
				return true, false
			}
			return false, false
		}
		out := r
		for range 6 {
			var e Edit
			c := pick(rng, out.Clips)
			switch rng.IntN(4) {
			case 0:
				e = &Trim{Clips: []ID{c.ID}, End: pick(rng, []End{Head, Tail}), By: rng.Int64N(600) - 300, Later: pick(rng, []Later{Stay, Follow})}
			case 1:
				e = &Split{Clips: []ID{c.ID}, At: c.Start + rng.Int64N(c.Length)}
			case 2:
				e = &Move{Clips: []ID{c.ID}, By: rng.Int64N(500) - 200}
			case 3:
				e = &RemoveSpan{From: c.Start + rng.Int64N(c.Length), To: c.End() + 1, Tracks: []ID{c.Track}, Later: Follow}
			}
			if next, err := e.Apply(out); err == nil {
				out = next.Reel
			}
		}
		for at := int64(0); at < 5000; at += 7 {
			if played, struck := gone(out, at); played && struck != (at >= 300 && at < 500) {
				t.Fatalf("sample %d of the source is struck: %v", at, struck)
			}
		}
		_ = clip
	}
}

// What is struck is copied with its clip, with the tone that covers it: into
// the same reel, and into one that has the recording but not the bed.
func TestStrikesAreCopiedAndPasted(t *testing.T) {
	r, clip, strike := struckReel(t)
	tone := Tone{Source: r.Sources[0].ID, From: 2000, To: 4000, Seed: 2}
	r, _ = must(t, r, &CoverStrike{Strike: strike, Tone: &tone, GainDB: -1})
	x, err := r.CopyClips([]ID{clip})
	if err != nil {
		t.Fatal(err)
	}
	same, o := must(t, r, &Paste{What: x, Track: r.Tracks[1].ID, At: 3000})
	if k := same.StrikesOf(o.Made[0]); len(k) != 1 || k[0].Cover.Source == 0 || len(same.Sources) != len(r.Sources) || !sameStrike(k[0], r.StrikesOf(clip)[0]) {
		t.Errorf("pasted into the same reel: %+v", k)
	}
	other := blank(1, 3, 9000) // its first recording is the same one
	out, o := must(t, other, &Paste{What: x, Track: other.Tracks[0].ID, At: 0})
	k := out.StrikesOf(o.Made[0])
	if len(k) != 1 || len(out.Sources) != 4 {
		t.Fatalf("%+v, %d sources", k, len(out.Sources))
	}
	if src, _ := out.Source(k[0].Cover.Source); src.Bed != (Bed{From: 2000, To: 4000, Seed: 2}) {
		t.Errorf("%+v", src)
	}
	// A span of it takes along what lies in the span, and a reel without the
	// recording says so.
	if x, err = r.CopySpan(650, 700, []ID{r.Tracks[0].ID}); err != nil || len(x.Clips[0].Strikes) != 1 {
		t.Errorf("%v %+v", err, x)
	}
	none := blank(1, 0, 0)
	if _, err := (&Paste{What: x, Track: none.Tracks[0].ID}).Apply(none); err == nil || !strings.Contains(err.Error(), "lacks the recording") {
		t.Error(err)
	}
	if got := TonesOf(&Together{Edits: []Edit{&CoverStrike{Tone: &tone}, &LayTone{Tone: tone, Into: &tone}, &Lift{}, &SetTone{Tone: tone}, &AddSwatch{}}}); len(got) != 5 {
		t.Errorf("%d tones", len(got))
	}
}

// Without a track, tone comes onto a new one beside the tone that is there, as
// one step.
func TestToneIsLaidOnATrackOfItsOwn(t *testing.T) {
	r := blank(2, 1, 5000)
	r, o := must(t, r, &AddTrack{Name: "Music", Role: Music})
	e := &LayTone{From: 100, To: 900, Tone: Tone{Room: Rooms[0], Seed: 1}}
	out, _ := must(t, r, e)
	order := out.Order()
	if len(order) != 4 || order[2].Role != RoomTone || order[3].ID != o.Made[0] || len(out.OnTrack(order[2].ID)) != 1 {
		t.Errorf("%+v", order)
	}
	if again, _ := must(t, out, e); again.Order()[3].Role != RoomTone || len(Diff(out, again).Clips) != 1 {
		t.Errorf("%+v", again.Order())
	}
}
