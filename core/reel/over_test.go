package reel

import (
	"encoding/json"
	"errors"
	"strings"
	"testing"

	"blendseam/core/gain"
)

// two are clips that overlap on two tracks.
func two(t *testing.T, leftLen, rightStart, rightLen int64) (*Reel, ID, ID) {
	t.Helper()
	r := blank(2, 2, 100000)
	r = mustApply(t, r, &Place{Source: r.Sources[0].ID, Track: r.Tracks[0].ID, Start: 0, Offset: 1000, Length: leftLen})
	r = mustApply(t, r, &Place{Source: r.Sources[1].ID, Track: r.Tracks[1].ID, Start: rightStart, Offset: 1000, Length: rightLen})
	return r, r.Clips[0].ID, r.Clips[1].ID
}

func TestBlendOverTwoTracks(t *testing.T) {
	r, left, right := two(t, 10000, 7000, 10000)
	done := mustApply(t, r, &BlendOver{Left: left, Right: right, Law: gain.Matched, Lean: 0.5})
	if err := done.Check(); err != nil {
		t.Fatal(err)
	}
	l, _ := done.Clip(left)
	n, _ := done.Clip(right)
	b := done.Blends[0]
	if l.End() != 8500 || n.Start != 8500 || b.Before != 1500 || b.After != 1500 || l.Track == n.Track {
		t.Errorf("%+v %+v %+v", l, n, b)
	}
	seams := done.Seams()
	if len(seams) != 3 || seams[1].Kind != CutSeam || seams[1].Left != left || seams[1].Right != right || seams[1].Track != l.Track || seams[1].To != n.Track {
		t.Errorf("the seams are %+v", seams)
	}
	// It is kept as one: rolled, altered and taken off like any other.
	done = mustApply(t, done, &Roll{Left: left, Right: right, By: -500})
	if l, _ = done.Clip(left); l.End() != 8000 || len(done.Blends) != 1 {
		t.Errorf("rolled to %d with %d blends", l.End(), len(done.Blends))
	}
	done = mustApply(t, done, &SetBlend{Left: left, Right: right, Before: 100, After: 300, Law: gain.ConstantGain, Lean: 0.4, Out: Side{gain.Smooth, 0.3}})
	if err := done.Check(); err != nil {
		t.Error(err)
	}
	// A clip that is moved off its side takes the blend away, and it is said.
	apart, err := (&Move{Clips: []ID{right}, By: 40}).Apply(done)
	if err != nil || len(apart.Notes) == 0 || !strings.Contains(apart.Notes[0], "no longer meet") {
		t.Errorf("%v %v", apart, err)
	}
	off := mustApply(t, done, &RemoveBlend{Blend: done.Blends[0].ID})
	if s := off.Seams(); len(s) != 4 {
		t.Errorf("without the blend there are %d seams", len(s))
	}
	if _, err := (&Roll{Left: left, Right: right, By: 10}).Apply(off); err == nil {
		t.Error("two clips on two tracks are rolled with nothing that joins them")
	}
}

func TestBlendOverIsRefused(t *testing.T) {
	for name, c := range map[string][3]int64{"apart": {5000, 7000, 9000}, "within": {20000, 5000, 3000}, "only meeting": {5000, 5000, 9000}} {
		r, left, right := two(t, c[0], c[1], c[2])
		_, err := (&BlendOver{Left: left, Right: right, Law: gain.ConstantPower, Lean: 0.5}).Apply(r)
		var no *Refusal
		if !errors.As(err, &no) || no.Possible == "" {
			t.Errorf("%s: %v", name, err)
		}
	}
	r, left, right := two(t, 10000, 7000, 10000)
	_, err := (&SetBlend{Left: left, Right: right, Before: 10, After: 10, Law: gain.ConstantPower, Lean: 0.5}).Apply(r)
	var no *Refusal
	if !errors.As(err, &no) || no.Offer == nil {
		t.Errorf("%v", err)
	} else if _, ok := no.Offer.(*BlendOver); !ok {
		t.Errorf("the offer is %T", no.Offer)
	}
	// A fade at the far end stands in the way of an overlap that reaches it.
	r = mustApply(t, r, &SetFade{Clip: left, End: Head, Fade: Fade{9000, gain.Linear, 0.5}})
	if _, err := (&BlendOver{Left: left, Right: right, Law: gain.ConstantPower, Lean: 0.5}).Apply(r); err == nil {
		t.Error("the blend lies over a fade")
	}
	locked := true
	r, left, right = two(t, 10000, 7000, 10000)
	r = mustApply(t, r, &SetTrack{Track: r.Tracks[1].ID, Locked: &locked})
	if _, err := (&BlendOver{Left: left, Right: right, Law: gain.ConstantPower, Lean: 0.5}).Apply(r); err == nil {
		t.Error("a locked track is edited")
	}
}

// Dropped onto its neighbours, a clip is blended by just the overlaps; without
// being asked to, the move is refused as ever.
func TestDropBlend(t *testing.T) {
	r := blank(1, 1, 100000)
	lay := func(start, length int64) {
		r = mustApply(t, r, &Place{Source: r.Sources[0].ID, Track: r.Tracks[0].ID, Start: start, Offset: 20000, Length: length})
	}
	lay(0, 10000)
	lay(12000, 6000)
	lay(20000, 5000)
	mid := r.Clips[1].ID
	if _, err := (&Move{Clips: []ID{mid}, By: -2400}).Apply(r); err == nil {
		t.Error("a move lays a clip on another")
	}
	did, err := (&DropBlend{Clip: mid, By: -2400, Law: gain.ConstantPower, Lean: 0.5}).Apply(r)
	if err != nil || len(did.Reel.Blends) != 1 || did.Reel.Blends[0].Length() != 400 || len(did.Made) != 1 {
		t.Fatalf("%v %+v", err, did.Reel)
	}
	if a, _ := did.Reel.Clip(r.Clips[0].ID); a.End() != 9800 {
		t.Errorf("the cut lies at %d", a.End())
	}
	if err := did.Reel.Check(); err != nil {
		t.Error(err)
	}
	both := mustApply(t, mustApply(t, r, &Remove{Clips: []ID{mid}}), &Place{Source: r.Sources[0].ID, Track: r.Tracks[0].ID, Start: 40000, Offset: 20000, Length: 10800})
	wide := both.Clips[len(both.Clips)-1].ID
	did.Reel = mustApply(t, both, &DropBlend{Clip: wide, By: -30400, Law: gain.ConstantGain, Lean: 0.5})
	if len(did.Reel.Blends) != 2 || did.Reel.Blends[0].Length() != 400 || did.Reel.Blends[1].Length() != 400 {
		t.Errorf("over both neighbours: %+v", did.Reel.Blends)
	}
	if err := did.Reel.Check(); err != nil {
		t.Error(err)
	}
	if _, err := (&DropBlend{Clip: mid, By: -11000, Law: gain.ConstantGain, Lean: 0.5}).Apply(r); err == nil {
		t.Error("a clip that lies within another is blended into it")
	}
	free := mustApply(t, r, &DropBlend{Clip: mid, By: 50000, Law: gain.ConstantGain, Lean: 0.5})
	if len(free.Blends) != 0 {
		t.Error("a drop onto nothing makes a blend")
	}
}

func TestTogether(t *testing.T) {
	r, left, right := two(t, 10000, 10000, 10000)
	three, db := 3.0, 61.0
	e := &Together{Label: "sweep", Edits: []Edit{
		&SetBlend{Left: left, Right: right, Before: 100, After: 100, Law: gain.ConstantPower, Lean: 0.5},
		&SetClip{Clip: left, GainDB: &three},
	}}
	text, err := Encode(e)
	if err != nil {
		t.Fatal(err)
	}
	again, err := Decode(text)
	if err != nil {
		t.Fatal(err)
	}
	a, b := mustApply(t, r, e), mustApply(t, r, again)
	if !same(a, b) || len(a.Blends) != 1 || a.Clips[0].GainDB != 3 {
		t.Error("read back it does something else")
	}
	back, err := Diff(r, a).Invert().Apply(a)
	if err != nil || !same(back, r) {
		t.Errorf("it is not taken back whole: %v", err)
	}
	// Refused whole, with the step that cannot be.
	bad := &Together{Label: "sweep", Edits: []Edit{e.Edits[0], &SetClip{Clip: left, GainDB: &db}}}
	if _, err := bad.Apply(r); err == nil || !strings.Contains(err.Error(), "Step 2 of 2") {
		t.Errorf("%v", err)
	}
	for _, text := range []string{
		`{"do":"together","with":{"label":"x","edits":[{"do":"together","with":{"label":"y","edits":[]}}]}}`,
		`{"do":"together","with":{"label":"x","edits":[{"do":"nothing","with":{}}]}}`,
		`{"do":"together","with":{"label":"x","edits":{}}}`,
		`{"do":"together","with":{"label":"x","more":1}}`,
	} {
		if _, err := Decode([]byte(text)); err == nil {
			t.Errorf("%s is taken", text)
		}
	}
	for _, e := range []Edit{&Together{Label: "x"}, &Together{Edits: e.Edits}} {
		if _, err := e.Apply(r); err == nil {
			t.Error("nothing, or a step without a name, is done")
		}
	}
}

func TestSidesAndPresets(t *testing.T) {
	b := Blend{Before: 500, After: 500, Law: gain.ConstantPower, Lean: 0.3}
	if b.OutCurve() != b.Law.Out(1000, 0.3) || b.InCurve() != b.Law.In(1000, 0.3) {
		t.Error("without sides of its own a blend is not its law")
	}
	b.In = Side{gain.Linear, 0.5}
	b.Out = Side{gain.Linear, 0.5}
	for i := int64(0); i <= 1000; i++ {
		if s := b.InCurve().At(i) + b.OutCurve().At(i); s < 1-1e-12 || s > 1+1e-12 {
			t.Fatalf("even linear sides add up to %g", s)
		}
	}
	text, _ := json.Marshal(Blend{})
	if strings.Contains(string(text), "out") {
		t.Errorf("sides that are left to the law are written: %s", text)
	}
	for _, bad := range []Side{{"", 0.5}, {gain.Linear, 0}, {"matched", 0.5}} {
		if bad.check() == nil {
			t.Errorf("%+v is taken", bad)
		}
	}
	list := append([]Preset(nil), ShippedPresets...)
	if err := CheckPresets(list); err != nil {
		t.Error(err)
	}
	for name, alter := range map[string]func([]Preset){
		"no name":   func(l []Preset) { l[0].Name = " " },
		"one name":  func(l []Preset) { l[0].Name = l[1].Name },
		"no length": func(l []Preset) { l[0].Milliseconds = 0 },
		"too long":  func(l []Preset) { l[0].Milliseconds = 1e9 },
		"no lie":    func(l []Preset) { l[0].Position = "" },
		"no law":    func(l []Preset) { l[0].Law = "loud" },
		"lean":      func(l []Preset) { l[0].Lean = 2 },
		"two usual": func(l []Preset) { l[1].Usual = true },
		"no usual":  func(l []Preset) { l[0].Usual = false },
	} {
		list := append([]Preset(nil), ShippedPresets...)
		alter(list)
		if CheckPresets(list) == nil {
			t.Errorf("%s is taken", name)
		}
	}
}
