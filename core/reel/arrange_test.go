package reel

import (
	"cmp"
	"errors"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"blendseam/core/gain"
)

// grown is a random reel with clips that meet, gaps, blends and fades on three
// tracks; its sources have handles.
func grown(rng *rand.Rand) *Reel {
	r := blank(3, 3, 1200)
	for _, t := range []ID{1, 2, 3} {
		at := rng.Int64N(100)
		for range 5 {
			if rng.IntN(3) == 0 {
				at += rng.Int64N(200)
			}
			n := 1 + rng.Int64N(400)
			if next, err := (&Place{Source: 4 + ID(rng.IntN(3)), Track: t, Start: at, Offset: rng.Int64N(1200 - n), Length: n}).Apply(r); err == nil {
				r = next.Reel
				at += n
			}
		}
	}
	for range 8 {
		s := pick(rng, cuts(r))
		if next, err := (&SetBlend{Left: s.Left, Right: s.Right, Before: rng.Int64N(60), After: rng.Int64N(60), Law: gain.ConstantPower, Lean: 0.5}).Apply(r); err == nil {
			r = next.Reel
		}
	}
	return r
}

// trial is an edit that has a limit: with gives it for another amount.
type trial struct {
	edit Edit
	by   int64
	with func(int64) Edit
}

// trials are random edits that can be asked for any amount.
func trials(rng *rand.Rand, r *Reel) trial {
	by := rng.Int64N(3000) - 1500
	switch rng.IntN(5) {
	case 0, 1:
		e := Trim{Clips: []ID{pick(rng, r.Clips).ID}, End: pick(rng, []End{Head, Tail}), By: by, Later: pick(rng, []Later{Stay, Follow, FollowTrack})}
		return trial{&e, by, func(n int64) Edit { f := e; f.By = n; return &f }}
	case 2:
		s := pick(rng, cuts(r))
		e := Roll{Left: s.Left, Right: s.Right, By: by}
		return trial{&e, by, func(n int64) Edit { f := e; f.By = n; return &f }}
	case 3:
		e := Slip{Clips: []ID{pick(rng, r.Clips).ID}, By: by}
		return trial{&e, by, func(n int64) Edit { f := e; f.By = n; return &f }}
	default:
		e := Slide{Clip: pick(rng, r.Clips).ID, By: by}
		return trial{&e, by, func(n int64) Edit { f := e; f.By = n; return &f }}
	}
}

// The limit that a refused trim, roll, slip or slide names is exactly
// reachable, one sample more is refused, and everything short of it is not.
func TestLimitsAreExact(t *testing.T) {
	named := 0
	for seed := range uint64(4000) {
		rng := rand.New(rand.NewPCG(seed, 3))
		r := grown(rng)
		x := trials(rng, r)
		_, err := x.edit.Apply(r)
		var no *Refusal
		if err == nil || !errors.As(err, &no) || no.Offer == nil {
			continue
		}
		if _, other := no.Offer.(*Move); other {
			continue // a slide without neighbours offers a move
		}
		named++
		step := int64(1)
		if x.by < 0 {
			step = -1
		}
		if no.Limit*step <= 0 {
			t.Fatalf("seed %d: %T by %d has the limit %d", seed, x.edit, x.by, no.Limit)
		}
		out, err := x.with(no.Limit).Apply(r)
		if err != nil {
			t.Fatalf("seed %d: %T by %d: its limit %d is refused: %v", seed, x.edit, x.by, no.Limit, err)
		}
		if err := out.Reel.Check(); err != nil {
			t.Fatal(err)
		}
		if _, err := x.with(no.Limit + step).Apply(r); err == nil {
			t.Fatalf("seed %d: %T %+v goes beyond its limit %d", seed, x.edit, x.edit, no.Limit)
		}
		if half := no.Limit / 2; half != 0 {
			mustApply(t, r, x.with(half))
		}
	}
	if named < 1000 {
		t.Errorf("only %d limits were named", named)
	}
}

// Taking a stretch out of the middle of a clip, in one gesture, with the gap
// left and with it closed; and what is asked for as the opposite.
func TestTakingOutTheMiddle(t *testing.T) {
	r := blank(2, 1, 1000)
	r = mustApply(t, r, &Place{Source: 3, Track: 1, Start: 100, Offset: 100, Length: 500})
	r = mustApply(t, r, &Place{Source: 3, Track: 1, Start: 600, Offset: 0, Length: 100})
	r = mustApply(t, r, &Place{Source: 3, Track: 2, Start: 650, Offset: 0, Length: 100})
	r = mustApply(t, r, &SetBlend{Left: 4, Right: 5, Before: 0, After: 40, Law: gain.ConstantGain, Lean: 0.5})
	r = mustApply(t, r, &AddMarker{At: 650, Text: "reply"})

	left := mustApply(t, r, &RemoveSpan{From: 200, To: 300, Tracks: []ID{1}})
	lane := left.OnTrack(1)
	if len(lane) != 3 || lane[0].ID != 4 || lane[0].End() != 200 || lane[1].Start != 300 || lane[1].Offset != 300 || lane[2] != r.Clips[1] {
		t.Errorf("with the gap left: %+v", lane)
	}
	if b := left.Blends[0]; b.Left != lane[1].ID || b.After != 40 {
		t.Errorf("the blend at the tail: %+v", b)
	}
	closed := mustApply(t, r, &RemoveSpan{From: 200, To: 300, Tracks: []ID{1}, Later: Follow})
	lane = closed.OnTrack(1)
	if lane[1].Start != 200 || lane[1].Offset != 300 || lane[2].Start != 500 || closed.OnTrack(2)[0].Start != 550 || closed.Markers[0].At != 550 {
		t.Errorf("closed: %+v and %+v", lane, closed.OnTrack(2))
	}
	one := mustApply(t, r, &RemoveSpan{From: 200, To: 300, Tracks: []ID{1}, Later: FollowTrack})
	if one.OnTrack(2)[0].Start != 650 || one.OnTrack(1)[2].Start != 500 || one.Markers[0].At != 650 {
		t.Error("closing up on one track moved another")
	}
	// Something that lies across the closing on another track holds it up, and
	// closing up on the one track is offered.
	across := mustApply(t, r, &Place{Source: 3, Track: 2, Start: 150, Offset: 0, Length: 500})
	_, err := (&RemoveSpan{From: 200, To: 300, Tracks: []ID{1}, Later: Follow}).Apply(across)
	var no *Refusal
	if !errors.As(err, &no) || no.Offer.(*RemoveSpan).Later != FollowTrack || !strings.Contains(no.Reason, "on t") {
		t.Errorf("held up: %v", err)
	}
	keep := mustApply(t, r, &KeepSpan{From: 200, To: 300, Tracks: []ID{1}, Later: FollowTrack})
	if lane := keep.OnTrack(1); lane[0].Start != 100 || lane[0].Offset != 200 || lane[0].Length != 100 || lane[1].Start != 200 {
		t.Errorf("kept: %+v", lane)
	}
}

// A split is undone by a join, at the same ids, with blends and fades.
func TestSplitAndJoin(t *testing.T) {
	for seed := range uint64(500) {
		rng := rand.New(rand.NewPCG(seed, 17))
		r := grown(rng)
		c := pick(rng, r.Clips)
		e := &Split{Clips: []ID{c.ID}, At: c.Start + rng.Int64N(c.Length+1)}
		done, err := e.Apply(r)
		var no *Refusal
		if errors.As(err, &no) {
			if no.Offer == nil {
				continue
			}
			done, err = no.Offer.Apply(r)
		}
		if err != nil {
			t.Fatal(err)
		}
		back := mustApply(t, done.Reel, &Join{Left: c.ID, Right: done.Made[0]})
		if !same(back, r) {
			t.Fatalf("seed %d: joining what was split is not the way back", seed)
		}
	}
	r, a, b := pair(t)
	if _, err := (&Join{Left: a.ID, Right: b.ID}).Apply(r); err == nil || !strings.Contains(err.Error(), "different recordings") {
		t.Error(err)
	}
}

// What is copied is pasted as it was: fades, gains and blends inside it, over
// several tracks, by clips and by a span.
func TestCopyAndPaste(t *testing.T) {
	for seed := range uint64(300) {
		rng := rand.New(rand.NewPCG(seed, 23))
		r := grown(rng)
		x, err := r.CopySpan(0, r.Length(), []ID{1, 2, 3})
		if err != nil {
			t.Fatal(err)
		}
		out := mustApply(t, r, &Paste{What: x, Track: r.Order()[slices.IndexFunc(r.Order(), func(o Track) bool { return len(r.OnTrack(o.ID)) > 0 })].ID, At: 5000})
		if len(out.Clips) != 2*len(r.Clips) || len(out.Blends) != 2*len(r.Blends) {
			t.Fatalf("seed %d: %d clips and %d blends became %d and %d", seed, len(r.Clips), len(r.Blends), len(out.Clips), len(out.Blends))
		}
		for _, track := range r.Tracks {
			lane := out.OnTrack(track.ID)
			for i, c := range lane[:len(lane)/2] {
				d := lane[len(lane)/2+i]
				d.ID, d.Start = c.ID, d.Start-5000
				if c != d {
					t.Fatalf("seed %d: pasted %+v of %+v", seed, d, c)
				}
			}
		}
	}
	r, a, b := pair(t)
	x, err := r.CopyClips([]ID{b.ID})
	if err != nil {
		t.Fatal(err)
	}
	_, err = (&Paste{What: x, Track: 1, At: 100}).Apply(r)
	var no *Refusal
	if !errors.As(err, &no) || !strings.Contains(no.Possible, "follow") || no.Offer.(*Paste).At != 1000 {
		t.Errorf("no room: %v", err)
	}
	made := mustApply(t, r, &Paste{What: x, Track: 1, At: 100, Later: Follow})
	if lane := made.OnTrack(1); len(lane) != 4 || lane[0].End() != 100 || lane[1].Length != b.Length || lane[2].Start != 600 || lane[3].Start != 1000 {
		t.Errorf("room made: %+v", lane)
	}
	gone := mustApply(t, r, &Remove{Clips: []ID{a.ID, b.ID}})
	mustApply(t, gone, &Paste{What: x, Track: 1, At: 0})
	x.Lanes, x.Clips[0].Lane = 4, 3
	if _, err := (&Paste{What: x, Track: 1, At: 0}).Apply(gone); err == nil || !strings.Contains(err.Error(), "4 tracks") {
		t.Errorf("too few tracks: %v", err)
	}
}

func TestFillTakesExactlyWhatIsAskedFor(t *testing.T) {
	r := blank(1, 1, 1000)
	for _, at := range []int64{100, 700} {
		r = mustApply(t, r, &Place{Source: 2, Track: 1, Start: at, Length: 200})
	}
	in := mustApply(t, r, &Fill{Source: 2, Track: 1, From: 400, Mark: 50, Anchor: AnchorIn})
	if c := in.OnTrack(1)[1]; c.Start != 300 || c.Length != 400 || c.Offset != 50 {
		t.Errorf("from the in point: %+v", c)
	}
	out := mustApply(t, r, &Fill{Source: 2, Track: 1, From: 400, Mark: 950, Anchor: AnchorOut})
	if c := out.OnTrack(1)[1]; c.Start != 300 || c.Offset != 550 || c.Offset+c.Length != 950 {
		t.Errorf("to the out point: %+v", c)
	}
	_, err := (&Fill{Source: 2, Track: 1, From: 320, To: 520, Mark: 900, Anchor: AnchorIn}).Apply(r)
	var no *Refusal
	if !errors.As(err, &no) || no.Offer.(*Place).Length != 100 || no.Offer.(*Place).Start != 320 {
		t.Errorf("too little: %v", err)
	}
	_, err = (&Fill{Source: 2, Track: 1, From: 320, To: 520, Mark: 100, Anchor: AnchorOut}).Apply(r)
	if !errors.As(err, &no) || no.Offer.(*Place).Start != 420 || no.Offer.(*Place).Offset != 0 {
		t.Errorf("too little before the out point: %v", err)
	}
}

// A locked track keeps what is on it, whatever is tried.
func TestLockedTracksKeepTheirClips(t *testing.T) {
	yes := true
	for seed := range uint64(600) {
		rng := rand.New(rand.NewPCG(seed, 29))
		r := mustApply(t, grown(rng), &SetTrack{Track: 2, Locked: &yes})
		before := r.OnTrack(2)
		for range 12 {
			e := randomEdit(rng, r)
			if s, ok := e.(*SetTrack); ok && s.Locked != nil {
				continue
			}
			if out, err := e.Apply(r); err == nil {
				if !slices.Equal(out.Reel.OnTrack(2), before) {
					t.Fatalf("seed %d: %T %+v changed a locked track", seed, e, e)
				}
				r = out.Reel
			}
		}
	}
	r := mustApply(t, grown(rand.New(rand.NewPCG(1, 1))), &SetTrack{Track: 1, Locked: &yes})
	var no *Refusal
	_, err := (&Trim{Clips: []ID{r.OnTrack(1)[0].ID}, End: Tail, By: -1}).Apply(r)
	if !errors.As(err, &no) || !strings.Contains(no.Reason, "locked") {
		t.Fatal(err)
	}
	if unlocked := mustApply(t, r, no.Offer); unlocked.Tracks[0].Locked {
		t.Error("the offer does not unlock")
	}
}

// Numbers beyond all bounds are refused, not reckoned with.
func TestEnormousNumbers(t *testing.T) {
	r, a, b := pair(t)
	for _, n := range []int64{math.MaxInt64, math.MinInt64, 1 << 60, -1 << 60} {
		for _, l := range []Later{Stay, Follow, FollowTrack} {
			for _, e := range []Edit{
				&Trim{Clips: []ID{a.ID}, End: Tail, By: n, Later: l}, &Trim{Clips: []ID{a.ID}, End: Head, By: n, Later: l},
				&TrimTo{Clips: []ID{a.ID}, End: Tail, At: n, Later: l}, &Roll{Left: a.ID, Right: b.ID, By: n}, &Slip{Clips: []ID{a.ID}, By: n},
				&Slide{Clip: a.ID, By: n}, &Split{Clips: []ID{a.ID}, At: n}, &RemoveSpan{From: 5, To: n, Tracks: []ID{1}, Later: l},
				&RemoveSpan{From: n, To: 5, Tracks: []ID{1}, Later: l}, &KeepSpan{From: 5, To: n, Tracks: []ID{1}, Later: l},
				&InsertTime{At: 5, Length: n, Tracks: []ID{1}}, &InsertTime{At: n, Length: 5, Tracks: []ID{1}}, &CloseGap{Track: 1, At: n},
				&Fill{Source: 2, Track: 1, From: 5, To: n, Anchor: AnchorIn}, &AddMarker{At: n, Text: "x"}, &Place{Source: 2, Track: 1, Start: n, Length: 5, Later: l},
				&Move{Clips: []ID{a.ID}, Down: int(n)}, &MoveTrack{Track: 1, To: int(n)},
			} {
				if _, err := e.Apply(r); err == nil {
					t.Errorf("%T %+v was let through", e, e)
				}
			}
		}
	}
}

// A blend on a trimmed seam stays as long as its material lasts; when it
// shortens or goes, the outcome says so.
func TestBlendsAlongTrims(t *testing.T) {
	r, a, b := pair(t)
	r = mustApply(t, r, &SetBlend{Left: a.ID, Right: b.ID, Before: 80, After: 80, Law: gain.ConstantPower, Lean: 0.5})
	for _, c := range []struct {
		edit          Edit
		before, after int64
		word          string
	}{
		{&Roll{Left: a.ID, Right: b.ID, By: 20}, 80, 80, ""},
		{&Roll{Left: a.ID, Right: b.ID, By: 21}, 79, 79, "shortened to"},
		{&Roll{Left: a.ID, Right: b.ID, By: -60}, 40, 40, "shortened to"},
		{&Roll{Left: a.ID, Right: b.ID, By: 100}, 0, 0, "no handle left"},
		{&Slip{Clips: []ID{b.ID}, By: 50}, 50, 50, "shortened to"},
		{&Trim{Clips: []ID{a.ID}, End: Tail, By: -30, Later: Follow}, 80, 80, ""},
		{&Trim{Clips: []ID{a.ID}, End: Tail, By: -30}, 0, 0, "no longer meet"},
		{&Trim{Clips: []ID{a.ID}, End: Tail, By: -440, Later: Follow}, 60, 60, "shortened to"},
		{&Split{Clips: []ID{a.ID}, At: 420}, 80, 80, ""},
	} {
		done, err := c.edit.Apply(r)
		if err != nil {
			t.Fatal(err)
		}
		var got Blend
		if len(done.Reel.Blends) > 0 {
			got = done.Reel.Blends[0]
		}
		if got.Before != c.before || got.After != c.after || (len(done.Notes) > 0) != (c.word != "") || c.word != "" && !strings.Contains(done.Notes[0], c.word) {
			t.Errorf("%T %+v: %+v, %q", c.edit, c.edit, got, done.Notes)
		}
	}
	if _, err := (&Split{Clips: []ID{a.ID}, At: 421}).Apply(r); err == nil || !strings.Contains(err.Error(), "at the end") {
		t.Errorf("a split inside a blend: %v", err)
	}
}

// Two edges that are trimmed alike, on two tracks; later clips follow once.
func TestTrimmingSeveralEdges(t *testing.T) {
	r := blank(3, 1, 1000)
	for _, track := range []ID{1, 2} {
		r = mustApply(t, r, &Place{Source: 4, Track: track, Start: 0, Offset: 100, Length: 300})
		r = mustApply(t, r, &Place{Source: 4, Track: track, Start: 300, Offset: 100, Length: 300})
	}
	r = mustApply(t, r, &Place{Source: 4, Track: 3, Start: 350, Length: 300})
	heads := []ID{r.OnTrack(1)[1].ID, r.OnTrack(2)[1].ID}
	out := mustApply(t, r, &TrimTo{Clips: heads, End: Head, At: 340, Later: Follow})
	for _, track := range []ID{1, 2} {
		if c := out.OnTrack(track)[1]; c.Start != 300 || c.Offset != 140 || c.Length != 260 {
			t.Errorf("%+v", c)
		}
	}
	if c := out.OnTrack(3)[0]; c.Start != 310 {
		t.Errorf("what follows begins at %d", c.Start)
	}
	stay := mustApply(t, r, &TrimTo{Clips: heads, End: Head, At: 340})
	if lane := stay.OnTrack(1); lane[1].Start != 340 || stay.OnTrack(3)[0].Start != 350 {
		t.Errorf("%+v", lane)
	}
	tails := []ID{r.OnTrack(1)[0].ID, r.OnTrack(1)[1].ID}
	if _, err := (&Trim{Clips: tails, End: Tail, By: -5, Later: Follow}).Apply(r); err == nil || !strings.Contains(err.Error(), "one by one") {
		t.Error(err)
	}
}

func TestTrackOrder(t *testing.T) {
	r := blank(4, 0, 1)
	for to := range 4 {
		out := mustApply(t, r, &MoveTrack{Track: 2, To: to})
		order := out.Order()
		if order[to].ID != 2 || !slices.IsSortedFunc(slices.DeleteFunc(order, func(o Track) bool { return o.ID == 2 }), func(a, b Track) int { return cmp.Compare(a.ID, b.ID) }) {
			t.Errorf("to %d: %+v", to, order)
		}
	}
}

func TestWords(t *testing.T) {
	p := blank(0, 0, 0).Props // 48 kHz, 25 frames a second: 1920 samples a frame
	for n, want := range map[int64]string{1920: "1 frame", 23040: "12 frames", 2880: "1.5 frames", -960: "0.5 frames", 48: "48 samples", 1: "1 sample"} {
		if got := p.distance(n); got != want {
			t.Errorf("%d is %q, not %q", n, got, want)
		}
	}
	if got := p.change(-23040) + ", " + p.shift(23040); got != "12 frames shorter, 12 frames later" {
		t.Error(got)
	}
}
