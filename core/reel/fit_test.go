package reel

import (
	"math"
	"strings"
	"testing"

	"blendseam/core/gain"
	"blendseam/core/treat"
)

// reading is a track with a clip of ten seconds in a recording of a minute, with a strike,
// a ride, a treatment and a blend into the clip after it; and a clip of music.
func reading(t *testing.T) (*Reel, Clip) {
	t.Helper()
	r := blank(2, 2, 60*48000)
	do := func(e Edit) []ID {
		t.Helper()
		done, err := e.Apply(r)
		if err != nil {
			t.Fatal(err)
		}
		r = done.Reel
		return done.Made
	}
	id := do(&Place{Source: r.Sources[0].ID, Track: r.Tracks[0].ID, Start: 48000, Offset: 480000, Length: 480000})[0]
	next := do(&Place{Source: r.Sources[1].ID, Track: r.Tracks[0].ID, Start: 528000, Offset: 480000, Length: 96000})[0]
	do(&Place{Source: r.Sources[1].ID, Track: r.Tracks[1].ID, Start: 0, Offset: 0, Length: 900000})
	do(&SetBlend{Left: id, Right: next, Before: 1000, After: 1000, Law: gain.ConstantPower, Lean: 0.5})
	do(&StrikeSpan{From: 96000, To: 144000, Clips: []ID{id}, Tracks: []ID{r.Tracks[0].ID}, Fade: 480, Shape: gain.Smooth})
	for i, at := range []int64{480000, 700000, 900000} {
		db := float64(-i)
		do(&AddPoint{Clip: id, At: at, DB: &db})
	}
	do(&Treat{Clips: []ID{id}, Does: &treat.Settings{HighPass: treat.Cut{Hz: 80, Slope: 12}}})
	c, _ := r.Clip(id)
	return r, c
}

// A clip is fitted: exactly so long, with all that is kept in its time where its factor
// puts it; and taken back it is as it was, whatever was done between.
func TestFitAndBack(t *testing.T) {
	for _, length := range []int64{480000 * 112 / 100, 480000 * 88 / 100, 480000 * 9 / 4, 480001, 479999, 120000, 1919999} {
		r, was := reading(t)
		done, err := (&FitClip{Clip: was.ID, Length: length, Later: Follow, Recording: "f"}).Apply(r)
		if err != nil {
			t.Fatal(length, err)
		}
		if err := done.Reel.Check(); err != nil {
			t.Fatal(err)
		}
		c, _ := done.Reel.Clip(was.ID)
		src, _ := done.Reel.Source(c.Source)
		q := float64(length) / 480000
		if c.Length != length || c.Start != was.Start || !src.Fitted() || src.Fit.Of != "a" || src.Fit.From != 0 || src.Fit.To != 480000+480000+480000 {
			t.Errorf("%d: %+v of %+v", length, c, src)
		}
		near := func(what string, at, then int64) {
			t.Helper()
			if want := float64(then-src.Fit.From) * src.Factor(); math.Abs(float64(at)-want) > 1 {
				t.Errorf("%d: %s at %d, expected at %g", length, what, at, want)
			}
		}
		near("the in point", c.Offset, was.Offset)
		a, b := r.StrikesOf(was.ID)[0], done.Reel.StrikesOf(was.ID)[0]
		near("the strike", b.From, a.From)
		near("its end", b.To, a.To)
		near("its fall", b.From-b.Fall.Length, a.From-a.Fall.Length)
		for i, p := range done.Reel.Line(was.ID) {
			near("a point", p.At, r.Line(was.ID)[i].At)
		}
		after := done.Reel.OnTrack(c.Track)[1]
		if after.Start != c.End() || len(done.Reel.Blends) != 1 {
			t.Errorf("%d: what follows is at %d, the clip ends at %d", length, after.Start, c.End())
		}
		if natural := math.Abs(q-1) <= 0.15; natural != (len(done.Notes) == 0) {
			t.Errorf("%d: %q", length, done.Notes)
		}
		back, err := (&FitClip{Clip: was.ID, Later: Follow}).Apply(done.Reel)
		if err != nil {
			t.Fatal(err)
		}
		if now, _ := back.Reel.Clip(was.ID); now != was {
			t.Errorf("%d: taken back it is %+v, was %+v", length, now, was)
		}
		if k := back.Reel.StrikesOf(was.ID)[0]; max(k.From-a.From, a.From-k.From, k.To-a.To, a.To-k.To) > int64(math.Ceil(1/q)) {
			t.Errorf("%d: the strike came back as %+v, was %+v", length, k, a)
		}
	}
}

// A fitted clip is split, trimmed and fitted again: from what was recorded, never from
// what was fitted.
func TestFittedAgain(t *testing.T) {
	r, was := reading(t)
	do := func(e Edit) Outcome {
		t.Helper()
		done, err := e.Apply(r)
		if err != nil {
			t.Fatal(err)
		}
		if r = done.Reel; r.Check() != nil {
			t.Fatal(r.Check())
		}
		return done.Outcome
	}
	do(&FitClip{Clip: was.ID, Length: 540000, Later: Follow, Recording: "f"})
	right := do(&Split{Clips: []ID{was.ID}, At: was.Start + 270000}).Made[0]
	do(&Trim{Clips: []ID{right}, End: Tail, By: -27000, Later: Follow})
	c, _ := r.Clip(right)
	if src, in, span, _ := r.asRecorded(c); src.Recording != "a" || in != 480000+240000 || span != 240000-24000 {
		t.Errorf("%d samples from %d", span, in)
	}
	do(&FitClip{Clip: right, Length: 216000, Later: Follow, Recording: "g"})
	c, _ = r.Clip(right)
	if src, _ := r.Source(c.Source); src.Fit.Of != "a" || src.Fit.Span != 216000 || math.Abs(src.Factor()-1) > 1e-6 {
		t.Errorf("%+v", src)
	}
	do(&FitClip{Clip: right, Later: Follow})
	if c, _ = r.Clip(right); c.Source != was.Source || c.Offset != 720000 || c.Length != 216000 {
		t.Errorf("%+v", c)
	}
	// From its head: its end stays.
	end := c.End()
	do(&Remove{Clips: []ID{was.ID}})
	do(&FitClip{Clip: right, Length: 230000, End: Head, Recording: "h"})
	if c, _ = r.Clip(right); c.End() != end || c.Length != 230000 {
		t.Errorf("%+v, its end was at %d", c, end)
	}
	at := int64(100000)
	do(&FitClip{Clip: right, Length: 200000, Start: &at, Recording: "i"})
	if c, _ = r.Clip(right); c.Start != at || c.Length != 200000 {
		t.Errorf("%+v", c)
	}
}

// What is no length is refused with the range; without room the longest that fits is
// offered.
func TestFitRefused(t *testing.T) {
	r, was := reading(t)
	for length, says := range map[int64]string{-1: "as short as that", 480000 * 5: "500 %", 100: "0 %", math.MaxInt64: "%", math.MinInt64: "short"} {
		_, err := (&FitClip{Clip: was.ID, Length: length, Recording: "f", Later: Follow}).Apply(r)
		no, ok := err.(*Refusal)
		if !ok || !strings.Contains(no.Reason, says) || !strings.Contains(no.Possible, "25 to 400 %") {
			t.Errorf("%d: %v", length, err)
			continue
		}
		if _, err := no.Offer.Apply(r); err != nil {
			t.Errorf("%d: what is offered is refused: %v", length, err)
		}
	}
	_, err := (&FitClip{Clip: was.ID, Length: 500000, Recording: "f"}).Apply(r)
	if no, ok := err.(*Refusal); !ok || no.Offer != nil && no.Limit != 480000 {
		t.Errorf("%v", err)
	}
	gone, err := (&Remove{Clips: []ID{r.OnTrack(was.Track)[1].ID}}).Apply(r)
	if err != nil {
		t.Fatal(err)
	}
	far, err := (&Place{Source: r.Sources[1].ID, Track: was.Track, Start: 550000, Length: 100}).Apply(gone.Reel)
	if err != nil {
		t.Fatal(err)
	}
	_, err = (&FitClip{Clip: was.ID, Length: 600000, Recording: "f"}).Apply(far.Reel)
	if no, ok := err.(*Refusal); !ok || no.Limit != 550000-48000 || !strings.Contains(no.Possible, "Longest possible") {
		t.Errorf("%v", err)
	}
	for _, id := range []ID{999, r.Tracks[0].ID} {
		if _, err := (&FitClip{Clip: id, Length: 5, Recording: "f"}).Apply(r); err == nil {
			t.Error("what is no clip was fitted")
		}
	}
	if _, err := (&FitClip{Clip: was.ID}).Apply(r); err == nil || !strings.Contains(err.Error(), "as it was recorded") {
		t.Errorf("%v", err)
	}
}
