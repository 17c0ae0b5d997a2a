package reel

import (
	"errors"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
)

// following finds what a following edit moved, and holds that it all moved
// alike and in order.
func checkFollowing(t *testing.T, seed uint64, r, out *Reel, e Edit, own map[ID]bool) {
	t.Helper()
	for _, track := range r.Tracks {
		before, after := r.OnTrack(track.ID), out.OnTrack(track.ID)
		if own[track.ID] {
			continue
		}
		if len(before) != len(after) {
			t.Fatalf("seed %d: %T changed the clips of another track", seed, e)
		}
		var by int64
		for i := range before {
			if before[i].ID != after[i].ID {
				t.Fatalf("seed %d: %T changed the order", seed, e)
			}
			d := after[i].Start - before[i].Start
			if by != 0 && d != by {
				t.Fatalf("seed %d: %T: later clips moved by %d and %d", seed, e, by, d)
			}
			by = d
			if track.Stays && d != 0 {
				t.Fatalf("seed %d: a track that stays has moved", seed)
			}
		}
	}
}

// What follows keeps its order and distances; a roll and a slide keep the
// total length, and a slip everything but content.
func TestWhatStaysAsItWas(t *testing.T) {
	did := map[string]int{}
	for seed := range uint64(4000) {
		rng := rand.New(rand.NewPCG(seed, 5))
		r := grown(rng)
		if rng.IntN(3) == 0 {
			yes := true
			r = mustApply(t, r, &SetTrack{Track: 1 + ID(rng.IntN(3)), Stays: &yes})
		}
		x := trials(rng, r)
		out, err := x.edit.Apply(r)
		var no *Refusal
		if errors.As(err, &no) && no.Offer != nil {
			x.edit = no.Offer
			out, err = no.Offer.Apply(r)
		}
		if err != nil {
			continue
		}
		switch e := x.edit.(type) {
		case *Trim:
			did["trim "+string(e.Later)]++
			c, _ := r.Clip(e.Clips[0])
			d, _ := out.Reel.Clip(e.Clips[0])
			if e.Later == Stay {
				if d.Offset-d.Start != c.Offset-c.Start {
					t.Fatalf("seed %d: a trim moved the content", seed)
				}
				if n := len(diff(r.Clips, out.Reel.Clips)); n > 1 {
					t.Fatalf("seed %d: a trim changed %d clips", seed, n)
				}
				continue
			}
			if d.Start != c.Start {
				t.Fatalf("seed %d: with later clips following, a trim moves no head", seed)
			}
			checkFollowing(t, seed, r, out.Reel, e, map[ID]bool{c.Track: true})
			for _, o := range r.OnTrack(c.Track) {
				n, _ := out.Reel.Clip(o.ID)
				if want := d.Length - c.Length; o.Start > c.Start && n.Start-o.Start != want || o.Start < c.Start && n != o {
					t.Fatalf("seed %d: a clip of the same track moved by %d, not %d", seed, n.Start-o.Start, want)
				}
			}
		case *Roll, *Slide:
			did["roll or slide"]++
			if out.Reel.Length() != r.Length() {
				t.Fatalf("seed %d: %T changed the reel's length", seed, e)
			}
			for _, track := range r.Tracks {
				if cover(r.OnTrack(track.ID)) != cover(out.Reel.OnTrack(track.ID)) {
					t.Fatalf("seed %d: %T opened or closed something", seed, e)
				}
			}
		case *Slip:
			did["slip"]++
			for _, c := range r.Clips {
				n, _ := out.Reel.Clip(c.ID)
				n.Offset = c.Offset
				n.FadeIn, n.FadeOut = c.FadeIn, c.FadeOut
				if n != c {
					t.Fatalf("seed %d: a slip changed more than content", seed)
				}
			}
		}
	}
	for _, what := range []string{"trim stay", "trim follow", "trim followTrack", "roll or slide", "slip"} {
		if did[what] < 300 {
			t.Errorf("%s was tried %d times", what, did[what])
		}
	}
}

// cover is where clips lie, those that meet made one.
func cover(lane []Clip) string {
	var b strings.Builder
	for i, c := range lane {
		if i == 0 || lane[i-1].End() != c.Start {
			b.WriteString(" from " + itoa(c.Start))
		}
		if i+1 == len(lane) || lane[i+1].Start != c.End() {
			b.WriteString(" to " + itoa(c.End()))
		}
	}
	return b.String()
}

func itoa(n int64) string { return time25().say(n) + string(rune('0'+n%10)) }

func time25() Props { return blank(0, 0, 0).Props }

// No edit of random reels leaves a hole between clips that it did not tell of.
func TestNoHoleIsLeftUntold(t *testing.T) {
	opened := 0
	for seed := range uint64(400) {
		rng := rand.New(rand.NewPCG(seed, 11))
		r := grown(rng)
		for range 25 {
			e := randomEdit(rng, r)
			done, err := e.Apply(r)
			if err != nil {
				continue
			}
			for _, g := range holes(r, done.Reel) {
				opened++
				if !slices.Contains(done.Opens, g) && !pasted(e) {
					t.Fatalf("seed %d: %T %+v left %+v untold; told %+v", seed, e, e, g, done.Opens)
				}
			}
			for _, g := range done.Opens {
				if got, ok := done.Reel.GapAt(g.Track, g.From); !ok || got != g {
					t.Fatalf("seed %d: %T told of %+v, which is not there", seed, e, g)
				}
			}
			r = done.Reel
		}
	}
	if opened < 300 {
		t.Errorf("only %d holes were opened", opened)
	}
}

// pasted reports whether the edit brings gaps of its own.
func pasted(e Edit) bool { _, ok := e.(*Paste); return ok }

// holes are the gaps between clips of out whose clips, both there before, met
// something at that side.
func holes(r, out *Reel) (found []Gap) {
	met := func(c Clip, tail bool) bool {
		was, ok := r.Clip(c.ID)
		if !ok {
			return false
		}
		for _, o := range r.OnTrack(was.Track) {
			if tail && meet(was, o) || !tail && meet(o, was) {
				return true
			}
		}
		return false
	}
	for _, t := range out.Tracks {
		lane := out.OnTrack(t.ID)
		for i := 1; i < len(lane); i++ {
			if a, b := lane[i-1], lane[i]; a.End() < b.Start && (met(a, true) || met(b, false)) {
				found = append(found, Gap{t.ID, a.End(), b.Start})
			}
		}
	}
	return found
}

func TestGapsAndTime(t *testing.T) {
	r := blank(2, 1, 1000)
	for _, at := range []int64{100, 400, 700} {
		r = mustApply(t, r, &Place{Source: 3, Track: 1, Start: at, Length: 200})
	}
	r = mustApply(t, r, &Place{Source: 3, Track: 2, Start: 250, Length: 130})
	r = mustApply(t, r, &Place{Source: 3, Track: 2, Start: 420, Length: 100})
	closed := mustApply(t, r, &CloseGap{Track: 1, At: 350, Later: FollowTrack})
	if lane := closed.OnTrack(1); lane[1].Start != 300 || lane[2].Start != 600 {
		t.Errorf("%+v", lane)
	}
	// 40 lie free on the other track: so much can close on all.
	_, err := (&CloseGap{Track: 1, At: 350, Later: Follow}).Apply(r)
	var no *Refusal
	if !errors.As(err, &no) || no.Limit != 40 {
		t.Fatal(err)
	}
	part := mustApply(t, r, no.Offer)
	if part.OnTrack(1)[1].Start != 360 || part.OnTrack(2)[1].Start != 380 {
		t.Error("the part that can close did not")
	}
	if _, err := (&CloseGap{Track: 1, At: 150}).Apply(r); err == nil {
		t.Error("a gap where a clip lies")
	}
	if _, err := (&CloseGap{Track: 1, At: 2000}).Apply(r); err == nil {
		t.Error("a gap behind everything")
	}
	parted := mustApply(t, r, &InsertTime{At: 450, Length: 1000, Tracks: []ID{1}})
	if lane := parted.OnTrack(1); len(lane) != 4 || lane[1].End() != 450 || lane[2].Start != 1450 || lane[3].Start != 1700 {
		t.Errorf("%+v", lane)
	}
	if lane := parted.OnTrack(2); lane[1].Start != 420 {
		t.Error("a clip across the place was moved on a track that was not chosen")
	}
}
