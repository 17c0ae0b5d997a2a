package store

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"sync"
	"testing"

	"blendseam/core/reel"
	"blendseam/dbserver/dbtest"
)

// arranged makes a reel of two tracks with clips that meet, and does edits of
// every new kind to it: tracks, markers, splits, pastes, and later clips that
// follow by the dozen.
func arranged(t *testing.T, s *Store) (id int64, states []string, steps []int64) {
	t.Helper()
	ctx := context.Background()
	id = start(t, s, 20)
	yes, tall, rose, word := true, 150, reel.Rose, "breath “2”"
	at := int64(700)
	edits := []reel.Edit{
		&reel.Trim{Clips: []reel.ID{3}, End: reel.Tail, By: 300, Later: reel.Follow},
		&reel.AddMarker{At: 500, Text: "line"},
		&reel.AddTrack{Name: "Fan", Role: reel.RoomTone},
		&reel.SetTrack{Track: 24, Stays: &yes, Height: &tall, Colour: &rose},
		&reel.Split{Clips: []reel.ID{5}, At: 2900},
		&reel.SetMarker{Marker: 23, At: &at, Text: &word},
		&reel.RemoveSpan{From: 2000, To: 2100, Tracks: []reel.ID{1}, Later: reel.FollowTrack},
		&reel.MoveTrack{Track: 24, To: 0},
		&reel.SetTrack{Track: 24, Locked: &yes},
		&reel.RemoveMarker{Marker: 23},
		&reel.Trim{Clips: []reel.ID{3}, End: reel.Head, By: 100, Later: reel.Follow},
	}
	states = []string{text(norm(mustLoad(t, s, id).Reel))}
	for _, e := range edits {
		r, err := s.Do(ctx, id, mustLoad(t, s, id).Revision, e)
		if err != nil {
			t.Fatalf("%T: %v", e, err)
		}
		states, steps = append(states, text(norm(r.Reel))), append(steps, r.Revision)
	}
	return id, states, steps
}

// Another process, reading from the tables alone, sees what was done.
func TestArrangedReelIsInTheTables(t *testing.T) {
	dsn := dbtest.DSN(t)
	s := open(t, dsn)
	id, states, _ := arranged(t, s)
	other := open(t, dsn)
	read := mustLoad(t, other, id)
	if err := read.Reel.Check(); err != nil {
		t.Error(err)
	}
	if text(norm(read.Reel)) != states[len(states)-1] {
		t.Errorf("the tables say\n%s\nnot\n%s", text(norm(read.Reel)), states[len(states)-1])
	}
	// The change of a step in which all later clips follow is small.
	since, err := s.Since(context.Background(), id, 1)
	if err != nil || len(since[0].Change.Shifts) != 1 || len(since[0].Change.Shifts[0].Clips) != 19 || len(since[0].Change.Clips) != 1 {
		t.Errorf("%+v %v", since[0].Change, err)
	}
}

// Any state of the history can be gone to, back and forth, in any order, and
// after a restart; those that a later step dropped from the line as well.
func TestGoToAnyState(t *testing.T) {
	ctx, dsn := context.Background(), dbtest.DSN(t)
	s := open(t, dsn)
	id, states, steps := arranged(t, s)
	at := func(i int) int64 { // the revision of the step that led to state i
		if i == 0 {
			return 0
		}
		return steps[i-1]
	}
	here := len(states) - 1
	for _, i := range []int{3, 9, 0, 11, 5, 4, 6} {
		r, err := s.GoTo(ctx, id, at(i))
		if err != nil {
			t.Fatalf("from %d to %d: %v", here, i, err)
		}
		if got := text(norm(r.Reel)); got != states[i] {
			t.Fatalf("from %d to %d:\n%s\nwant\n%s", here, i, got, states[i])
		}
		if i > 0 && r.Undo == "" || i < len(steps) && r.Redo == "" {
			t.Errorf("at %d undo is %q and redo %q", i, r.Undo, r.Redo)
		}
		here = i
		s = open(t, dsn)
		if got := text(norm(mustLoad(t, s, id).Reel)); got != states[i] {
			t.Fatalf("after a restart at %d: %s", i, got)
		}
	}
	if r, err := s.GoTo(ctx, id, at(here)); err == nil {
		t.Errorf("going to where one is made a step: %+v", r.Version.Revision)
	}
	// Another way is taken: the five steps after it leave the line.
	r, err := s.Do(ctx, id, mustLoad(t, s, id).Revision, &reel.AddTrack{Name: "Other", Role: reel.Music})
	must(t, r, err)
	other := text(norm(r.Reel))
	list, err := s.History(ctx, id, 0, 100, true)
	if err != nil {
		t.Fatal(err)
	}
	dropped := 0
	for _, st := range list {
		if st.State == "dropped" {
			dropped++
		}
	}
	if dropped != len(steps)-here {
		t.Errorf("%d steps were dropped, not %d", dropped, len(steps)-here)
	}
	back, err := s.GoTo(ctx, id, at(10))
	if err != nil || text(norm(back.Reel)) != states[10] || !strings.HasPrefix(back.Undo, "back to “") {
		t.Fatalf("a dropped state: %v, undo %q", err, back.Undo)
	}
	undone, err := s.Undo(ctx, id, Any)
	if err != nil || text(norm(undone.Reel)) != other {
		t.Errorf("undo of coming back: %v", err)
	}
	for _, no := range []int64{1, 99999} {
		if _, err := s.GoTo(ctx, id, no); !errors.Is(err, ErrNothing) {
			t.Errorf("going to revision %d: %v", no, err)
		}
	}
}

func TestVersions(t *testing.T) {
	ctx := context.Background()
	s := open(t, dbtest.DSN(t))
	id, states, _ := arranged(t, s)
	k, err := s.Keep(ctx, id, " rough ")
	if err != nil || k.Name != "rough" {
		t.Fatal(k, err)
	}
	if _, err := s.Keep(ctx, id, " "); err == nil {
		t.Error("a version without a name")
	}
	// A source comes in and clips go; the version brings the clips back and
	// leaves the source listed.
	lib, err := s.Library(ctx, id, &reel.AddSource{Source: reel.Source{Recording: "cc", Name: "late", Right: -1, Length: 9, StartTC: -1}})
	must(t, lib, err)
	gone, err := s.Do(ctx, id, lib.Revision, &reel.Remove{Clips: []reel.ID{4, 6, 7}})
	must(t, gone, err)
	back, err := s.GoToVersion(ctx, id, k.ID)
	must(t, back, err)
	was := *back.Reel
	was.Sources = was.Sources[:1]
	if text(norm(&was)) != states[len(states)-1] || len(back.Reel.Sources) != 2 || back.Undo != "back to version “rough”" {
		t.Errorf("gone back to\n%s\nnot\n%s\n%q", text(norm(&was)), states[len(states)-1], back.Undo)
	}
	undone, err := s.Undo(ctx, id, Any)
	if err != nil || text(norm(undone.Reel)) != text(norm(gone.Reel)) {
		t.Error("undo does not lead back to where one was")
	}
	made, err := s.OpenVersion(ctx, id, k.ID)
	if err != nil {
		t.Fatal(err)
	}
	if v := mustLoad(t, s, made); len(v.Reel.Clips) != len(back.Reel.Clips) || v.Reel.Props.Name != "Frost, rough" || v.Reel.Check() != nil {
		t.Errorf("opened: %+v", v.Reel.Props)
	}
	// A long name does not keep a version from being opened.
	long, err := s.Keep(ctx, id, strings.Repeat("夜", 66))
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.OpenVersion(ctx, id, long.ID); err != nil {
		t.Errorf("a version with a long name: %v", err)
	}
	if err := s.LetGo(ctx, id, long.ID); err != nil {
		t.Error(err)
	}
	list, err := s.Versions(ctx, id)
	if err != nil || len(list) != 1 || list[0].ID != k.ID {
		t.Error(list, err)
	}
	if err := s.LetGo(ctx, id, k.ID); err != nil {
		t.Error(err)
	}
	for _, err := range []error{s.LetGo(ctx, id, k.ID), second(s.GoToVersion(ctx, id, k.ID)), second(s.OpenVersion(ctx, id, 77))} {
		if !errors.Is(err, ErrNoVersion) {
			t.Error(err)
		}
	}
}

func second[T any](_ T, err error) error { return err }

// Two editors trim with later clips following, at once, from two processes:
// each acknowledged edit is there, and both end up with the same reel.
func TestTwoEditorsTrimAtOnce(t *testing.T) {
	ctx, dsn := context.Background(), dbtest.DSN(t)
	id := start(t, open(t, dsn), 12)
	var wg sync.WaitGroup
	var mu sync.Mutex
	trimmed := map[reel.ID]int64{}
	for k := range 2 {
		s := open(t, dsn)
		wg.Go(func() {
			for i := range 15 {
				clip := reel.ID(3 + 2*(i%5) + k) // each has its own clips
				v, err := s.Load(ctx, id)
				if err != nil {
					t.Error(err)
					return
				}
				_, err = s.Do(ctx, id, v.Revision, &reel.Trim{Clips: []reel.ID{clip}, End: reel.Tail, By: 10, Later: reel.Follow})
				var stale *Conflict
				switch {
				case err == nil:
					mu.Lock()
					trimmed[clip] += 10
					mu.Unlock()
				case !errors.As(err, &stale):
					t.Error(err)
				}
			}
		})
	}
	wg.Wait()
	v := mustLoad(t, open(t, dsn), id)
	if err := v.Reel.Check(); err != nil {
		t.Fatal(err)
	}
	at, total := int64(0), 0
	for _, c := range v.Reel.OnTrack(1) {
		if c.Length != 1000+trimmed[c.ID] || c.Start != at {
			t.Errorf("clip %d is %d long at %d; acknowledged were %d more, and %d is where the one before ends", c.ID, c.Length, c.Start, trimmed[c.ID], at)
		}
		at = c.End()
		total += int(trimmed[c.ID]) / 10
	}
	if total < 15 {
		t.Errorf("only %d of 30 edits were taken", total)
	}
}

func TestKeySets(t *testing.T) {
	ctx := context.Background()
	s := open(t, dbtest.DSN(t))
	if err := s.ChooseKeySet(ctx, "a", "none"); !errors.Is(err, ErrNoKeySet) {
		t.Error(err)
	}
	for i, name := range []string{"left hand", "tonmeister ü"} {
		if err := s.SaveKeySet(ctx, "a", KeySet{Name: name, Chosen: true, Keys: map[string][]string{"split": {fmt.Sprint(i)}}}); err != nil {
			t.Fatal(err)
		}
	}
	sets, err := s.KeySets(ctx, "a")
	if err != nil || len(sets) != 2 || sets[0].Chosen || !sets[1].Chosen || sets[1].Keys["split"][0] != "1" {
		t.Errorf("%+v %v", sets, err)
	}
	if other, _ := s.KeySets(ctx, "b"); len(other) != 0 {
		t.Error("a user sees another's keys")
	}
	if err := s.ChooseKeySet(ctx, "a", ""); err != nil {
		t.Error(err)
	}
	if err := errors.Join(s.RemoveKeySet(ctx, "a", "left hand")); err != nil {
		t.Error(err)
	}
	if err := s.RemoveKeySet(ctx, "a", "left hand"); !errors.Is(err, ErrNoKeySet) {
		t.Error(err)
	}
	if sets, _ := s.KeySets(ctx, "a"); len(sets) != 1 || sets[0].Chosen {
		t.Errorf("%+v", sets)
	}
}

// A span is meant for what lay in it: made against a revision after which
// clips of its tracks have moved, it is refused and nothing is cut. On other
// tracks it is applied.
func TestASpanMeansWhatLayThere(t *testing.T) {
	ctx := context.Background()
	s := open(t, dbtest.DSN(t))
	id := start(t, s, 8)
	base := mustLoad(t, s, id).Revision
	r, err := s.Do(ctx, id, base, &reel.Trim{Clips: []reel.ID{3}, End: reel.Tail, By: 50, Later: reel.Follow})
	must(t, r, err)
	r, err = s.Do(ctx, id, r.Revision, &reel.AddTrack{Name: "Fan", Role: reel.RoomTone})
	fan := must(t, r, err).Outcome.Made[0]
	r, err = s.Do(ctx, id, r.Revision, &reel.Place{Source: 2, Track: fan, Start: 0, Length: 9000})
	at := must(t, r, err).Revision
	r, err = s.Do(ctx, id, at, &reel.SetClip{Clip: 4, GainDB: new(float64)})
	must(t, r, err)
	for _, e := range []reel.Edit{
		&reel.RemoveSpan{From: 1200, To: 1300, Tracks: []reel.ID{1}}, &reel.KeepSpan{From: 1200, To: 1300, Tracks: []reel.ID{1}},
		&reel.InsertTime{At: 1200, Length: 5, Tracks: []reel.ID{1}}, &reel.CloseGap{Track: 1, At: 9999}, &reel.Fill{Source: 2, Track: 1, From: 9999, Anchor: reel.AnchorIn},
	} {
		var stale *Conflict
		if _, err := s.Do(ctx, id, base, e); !errors.As(err, &stale) || !strings.Contains(stale.Error(), "What lies on the track") {
			t.Errorf("%T: %v", e, err)
		}
	}
	if _, err := s.Do(ctx, id, at, &reel.RemoveSpan{From: 1200, To: 1300, Tracks: []reel.ID{fan}}); err != nil {
		t.Error(err)
	}
}
