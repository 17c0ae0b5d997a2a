package reel

import (
	"encoding/json"
	"errors"
	"math"
	"math/rand/v2"
	"reflect"
	"strings"
	"testing"

	"blendseam/core/gain"
	"blendseam/core/timecode"
)

func mustApply(t *testing.T, r *Reel, e Edit) *Reel {
	t.Helper()
	out, err := e.Apply(r)
	if err != nil {
		t.Fatalf("%T %+v: %v", e, e, err)
	}
	return out.Reel
}

// same compares reels but for the id that is given next, which never falls.
func same(a, b *Reel) bool {
	x, y := *a, *b
	x.NextID, y.NextID = 0, 0
	ja, _ := json.Marshal(x)
	jb, _ := json.Marshal(y)
	return strings.ReplaceAll(string(ja), "null", "[]") == strings.ReplaceAll(string(jb), "null", "[]")
}

// Random reels and random edits: the rules hold after each, a refused edit
// changes nothing, an offer made by a refusal can be taken, a change survives
// JSON, and taking it back gives the reel of before.
func TestRandomEdits(t *testing.T) {
	done, refused, offers := map[string]int{}, map[string]int{}, 0
	for seed := range uint64(300) {
		rng := rand.New(rand.NewPCG(seed, 7))
		r := blank(3, 3, 1200)
		if seed%2 == 1 {
			r = blankPicture()
		}
		first := r
		var history []Change
		for range 80 {
			e := randomEdit(rng, r)
			before, _ := json.Marshal(r)
			did, err := e.Apply(r)
			if after, _ := json.Marshal(r); string(after) != string(before) {
				t.Fatalf("seed %d: %T altered the reel it was given", seed, e)
			}
			name := reflect.TypeOf(e).String()
			if err != nil {
				var no *Refusal
				if !errors.As(err, &no) {
					t.Fatalf("seed %d: %T failed without a refusal: %v", seed, e, err)
				}
				refused[name]++
				if no.Offer != nil {
					offers++
					if _, err := no.Offer.Apply(r); err != nil {
						t.Fatalf("seed %d: %T %+v was refused (%v) and its offer %+v too: %v", seed, e, e, no, no.Offer, err)
					}
				}
				continue
			}
			done[name]++
			if did.Label == "" {
				t.Fatalf("%T has no label", e)
			}
			if err := did.Reel.Check(); err != nil {
				t.Fatalf("seed %d: after %T %+v: %v", seed, e, e, err)
			}
			text, err := json.Marshal(Diff(r, did.Reel))
			if err != nil {
				t.Fatal(err)
			}
			var change Change
			if err := json.Unmarshal(text, &change); err != nil {
				t.Fatal(err)
			}
			if again, err := change.Apply(r); err != nil || !same(again, did.Reel) || again.NextID != did.Reel.NextID {
				t.Fatalf("seed %d: the change of %T does not lead where the edit did: %v", seed, e, err)
			}
			if back, err := change.Invert().Apply(did.Reel); err != nil || !same(back, r) {
				t.Fatalf("seed %d: %T cannot be taken back: %v", seed, e, err)
			}
			history = append(history, change)
			r = did.Reel
		}
		for i := len(history) - 1; i >= 0; i-- {
			var err error
			if r, err = history[i].Invert().Apply(r); err != nil {
				t.Fatalf("seed %d: undo of step %d: %v", seed, i, err)
			}
		}
		if !same(r, first) {
			t.Fatalf("seed %d: undoing all does not lead back to the start", seed)
		}
	}
	for _, make := range kinds {
		name := reflect.TypeOf(make()).String()
		if done[name] == 0 {
			t.Errorf("%s was never possible", name)
		}
		if refused[name] == 0 && name != "*reel.SetReel" {
			t.Errorf("%s was never refused", name)
		}
	}
	if offers < 100 {
		t.Errorf("only %d refusals came with an offer", offers)
	}
}

// pair is a reel of two clips that meet at 500, each with handles of 100.
func pair(t *testing.T) (*Reel, Clip, Clip) {
	r := blank(1, 2, 700)
	r = mustApply(t, r, &Place{Source: 2, Track: 1, Start: 0, Offset: 100, Length: 500})
	r = mustApply(t, r, &Place{Source: 3, Track: 1, Start: 500, Offset: 100, Length: 500})
	return r, r.Clips[0], r.Clips[1]
}

// The longest blend that a refusal names is exactly reachable, and one sample
// more is refused; before, after and across the cut.
func TestLongestBlendIsExact(t *testing.T) {
	r, a, b := pair(t)
	set := func(before, after int64) *SetBlend {
		return &SetBlend{Left: a.ID, Right: b.ID, Before: before, After: after, Law: gain.ConstantPower, Lean: 0.5}
	}
	for _, c := range []struct{ before, after, wantBefore, wantAfter int64 }{
		{101, 0, 100, 0}, {0, 5000, 0, 100}, {150, 150, 100, 100}, {101, 100, 100, 100}, {500, 20, 100, 20},
	} {
		_, err := set(c.before, c.after).Apply(r)
		var no *Refusal
		if !errors.As(err, &no) || no.Offer == nil {
			t.Fatalf("%d+%d: %v", c.before, c.after, err)
		}
		offer := no.Offer.(*SetBlend)
		if offer.Before != c.wantBefore || offer.After != c.wantAfter || no.Limit != offer.Before+offer.After {
			t.Errorf("%d+%d: offered %d+%d, limit %d", c.before, c.after, offer.Before, offer.After, no.Limit)
		}
		mustApply(t, r, offer)
	}
	// A fade at the far end holds the blend up as well as a handle would.
	f := mustApply(t, r, &SetFade{Clip: b.ID, End: Tail, Fade: Fade{450, gain.Linear, 0.5}})
	mustApply(t, f, set(0, 50))
	if _, err := set(0, 51).Apply(f); err == nil || !strings.Contains(err.Error(), "free after the cut") {
		t.Errorf("blend into a fade: %v", err)
	}
	// And the fade is held up by the blend.
	blended := mustApply(t, r, set(0, 60))
	mustApply(t, blended, &SetFade{Clip: b.ID, End: Tail, Fade: Fade{440, gain.Linear, 0.5}})
	if _, err := (&SetFade{Clip: b.ID, End: Tail, Fade: Fade{441, gain.Linear, 0.5}}).Apply(blended); err == nil {
		t.Error("a fade reached into a blend")
	}
	if _, err := (&SetFade{Clip: b.ID, End: Head, Fade: Fade{1, gain.Linear, 0.5}}).Apply(blended); err == nil || !strings.Contains(err.Error(), "blend") {
		t.Errorf("a fade on a blend: %v", err)
	}
}

func TestNoHandleAtAll(t *testing.T) {
	r := blank(1, 2, 500)
	r = mustApply(t, r, &Place{Source: 2, Track: 1, Start: 0, Offset: 0, Length: 500})
	r = mustApply(t, r, &Place{Source: 3, Track: 1, Start: 500, Offset: 0, Length: 500})
	_, err := (&SetBlend{Left: 4, Right: 5, Before: 50, After: 50, Law: gain.ConstantGain, Lean: 0.5}).Apply(r)
	if err == nil || !strings.Contains(err.Error(), "No handle on either side") {
		t.Errorf("no handle: %v", err)
	}
	// With a handle on one side only, lying across offers the other way.
	r = mustApply(t, r, &Remove{Clips: []ID{5}})
	r = mustApply(t, r, &Place{Source: 3, Track: 1, Start: 500, Offset: 80, Length: 400})
	_, err = (&SetBlend{Left: 4, Right: r.Clips[1].ID, Before: 50, After: 50, Law: gain.ConstantGain, Lean: 0.5}).Apply(r)
	var no *Refusal
	if !errors.As(err, &no) || no.Offer.(*SetBlend).Before != 80 || no.Offer.(*SetBlend).After != 0 || !strings.Contains(no.Possible, "before the cut") {
		t.Errorf("one handle: %v", err)
	}
}

func TestBlendsAndFadesShareACutInTurn(t *testing.T) {
	r, a, b := pair(t)
	r = mustApply(t, r, &SetFade{Clip: a.ID, End: Tail, Fade: Fade{50, gain.Smooth, 0.4}})
	done, err := (&SetBlend{Left: a.ID, Right: b.ID, Before: 10, After: 10, Law: gain.ConstantGain, Lean: 0.5}).Apply(r)
	if err != nil || len(done.Notes) != 1 {
		t.Fatal(done, err)
	}
	r = done.Reel
	if c, _ := r.Clip(a.ID); c.FadeOut != NoFade {
		t.Error("the fade is still under the blend")
	}
	again := mustApply(t, r, &SetBlend{Left: a.ID, Right: b.ID, Before: 20, After: 0, Law: gain.ConstantPower, Lean: 0.3})
	if len(again.Blends) != 1 || again.Blends[0].ID != r.Blends[0].ID {
		t.Error("altering a blend made another")
	}
	moved, err := (&Move{Clips: []ID{b.ID}, By: 1}).Apply(r)
	if err != nil || len(moved.Reel.Blends) != 0 || len(moved.Notes) != 1 || !strings.Contains(moved.Notes[0], "no longer meet") {
		t.Errorf("moving apart: %+v %v", moved, err)
	}
	both, err := (&Move{Clips: []ID{a.ID, b.ID}, By: 100}).Apply(r)
	if err != nil || len(both.Reel.Blends) != 1 || len(both.Notes) != 0 {
		t.Errorf("moving together: %+v %v", both, err)
	}
}

func TestMoveOntoAnotherOffersTheNearestFreePlace(t *testing.T) {
	r := blank(2, 1, 1000)
	for _, start := range []int64{100, 300, 600} {
		r = mustApply(t, r, &Place{Source: 3, Track: 1, Start: start, Length: 100})
	}
	for _, c := range []struct{ by, want int64 }{
		{-150, -200 + 100}, // 600 → 450 touches 300…400? no: free
		{-250, -200},       // 350 overlaps 300…400; 400 is nearest
		{-330, -200},       // 270 overlaps; 400 is 130 away, 200 is 70 away
		{-480, -500 + 100}, // 120 overlaps 100…200; 200 is free, 80 away
		{-520, -600},       // 80 overlaps; 0 is free, 80 away, 200 is 120 away
	} {
		e := &Move{Clips: []ID{6}, By: c.by}
		out, err := e.Apply(r)
		var no *Refusal
		if err == nil {
			if got, _ := out.Reel.Clip(6); got.Start != 600+c.by {
				t.Errorf("moved to %d", got.Start)
			}
			continue
		}
		if !errors.As(err, &no) || no.Offer == nil {
			t.Fatalf("by %d: %v", c.by, err)
		}
		best := int64(math.MaxInt64)
		for by := int64(-600); by < 600; by++ {
			if _, err := (&Move{Clips: []ID{6}, By: by}).Apply(r); err == nil && abs(by-c.by) < abs(best-c.by) {
				best = by
			}
		}
		if got := no.Offer.(*Move).By; abs(got-c.by) != abs(best-c.by) {
			t.Errorf("by %d: offered %d, but %d is nearest", c.by, got, best)
		}
	}
	for _, e := range []Edit{
		&Move{Clips: []ID{4}, By: -101}, &Move{Clips: []ID{4}, By: math.MaxInt64 / 2}, &Move{Clips: nil}, &Move{Clips: []ID{4, 4}, By: 5},
		&Move{Clips: []ID{99}}, &Move{Clips: []ID{4, 5}, ToTrack: 99},
		&Place{Source: 3, Track: 1, Start: 0, Offset: 0, Length: math.MaxInt64}, &Place{Source: 3, Track: 1, Offset: math.MinInt64, Length: 5},
		&SetClip{Clip: 4, GainDB: ptr(math.NaN())}, &SetTrack{Track: 1, Pan: ptr(math.Inf(1))}, &SetFade{Clip: 4, End: "middle", Fade: NoFade},
	} {
		if _, err := e.Apply(r); err == nil {
			t.Errorf("%T %+v was let through", e, e)
		}
	}
}

func ptr[T any](v T) *T { return &v }

func abs(v int64) int64 { return max(v, -v) }

func TestSources(t *testing.T) {
	r, a, _ := pair(t)
	if _, err := (&RemoveSource{Source: a.Source}).Apply(r); err == nil || !strings.Contains(err.Error(), "00:00:00:00") {
		t.Errorf("a source in use: %v", err)
	}
	r = mustApply(t, r, &Remove{Clips: []ID{a.ID}})
	gone := mustApply(t, r, &RemoveSource{Source: a.Source})
	src, _ := gone.Source(a.Source)
	back := mustApply(t, gone, &AddSource{src})
	if !same(back, r) {
		t.Error("putting a source back is not the way back")
	}
	if _, err := (&AddSource{src}).Apply(back); err == nil {
		t.Error("the same sound was brought in twice")
	}
}

func TestSeams(t *testing.T) {
	r, a, b := pair(t)
	r = mustApply(t, r, &Place{Source: 2, Track: 1, Start: 1200, Length: 10})
	r = mustApply(t, r, &SetBlend{Left: a.ID, Right: b.ID, Before: 1, After: 0, Law: gain.ConstantGain, Lean: 0.5})
	want := []Seam{
		{Kind: HeadSeam, At: 0, Track: 1, Right: 4},
		{Kind: CutSeam, At: 500, Track: 1, Left: 4, Right: 5, Blend: 7},
		{Kind: TailSeam, At: 1000, Track: 1, Left: 5, Gap: 200},
		{Kind: HeadSeam, At: 1200, Track: 1, Right: 6},
		{Kind: TailSeam, At: 1210, Track: 1, Left: 6},
	}
	if got := r.Seams(); !reflect.DeepEqual(got, want) {
		t.Errorf("seams\n%+v\nwant\n%+v", got, want)
	}
}

func TestNew(t *testing.T) {
	p := Props{Name: " Boathouse ", SampleRate: 48000, FrameRate: timecode.Rate25}
	r, err := New(p, Starter)
	if err != nil || r.Props.Name != "Boathouse" || len(r.Order()) != len(Starter) || r.Order()[0].Role != Dialogue {
		t.Fatal(r, err)
	}
	for _, bad := range []Props{{SampleRate: 48000, FrameRate: timecode.Rate25}, {Name: "x", SampleRate: 8000, FrameRate: timecode.Rate25}, {Name: "x", SampleRate: 48000}} {
		var no *Refusal
		if _, err := New(bad, Starter); !errors.As(err, &no) {
			t.Errorf("%+v: %v", bad, err)
		}
	}
}

func TestConflict(t *testing.T) {
	r, a, b := pair(t)
	other := mustApply(t, r, &SetClip{Clip: a.ID, GainDB: ptr(-3.0)})
	change := Diff(r, other)
	if what := change.Conflict((&Move{Clips: []ID{a.ID}}).Names()); !strings.Contains(what, "clip") {
		t.Errorf("conflict %q", what)
	}
	if what := change.Conflict((&Move{Clips: []ID{b.ID}}).Names()); what != "" {
		t.Errorf("no conflict, but %q", what)
	}
	if _, err := change.Apply(other); err == nil {
		t.Error("a change was applied twice")
	}
}

func FuzzDecode(f *testing.F) {
	for _, make := range kinds {
		text, _ := Encode(make())
		f.Add(text)
	}
	f.Add([]byte(`{"do":"move","with":{"clips":[4],"by":1e99}}`))
	r := blank(1, 2, 700)
	laid, err := (&Place{Source: 2, Track: 1, Length: 500}).Apply(r)
	if err != nil {
		f.Fatal(err)
	}
	r = laid.Reel
	f.Fuzz(func(t *testing.T, text []byte) {
		e, err := Decode(text)
		if err != nil {
			return
		}
		again, err := Encode(e)
		if err != nil {
			t.Fatal(err)
		}
		if twice, err := Decode(again); err != nil || !reflect.DeepEqual(e, twice) {
			t.Fatalf("%s does not survive being written: %v", text, err)
		}
		if next, err := e.Apply(r); err == nil {
			if err := next.Reel.Check(); err != nil {
				t.Fatalf("%s: %v", text, err)
			}
		}
	})
}
