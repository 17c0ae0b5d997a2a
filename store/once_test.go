package store

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"sync"
	"testing"
	"time"

	"blendseam/core/reel"
	"blendseam/dbserver/dbtest"
)

// A request that comes again is answered with what it led to the first time.
func TestARequestIsDoneOnce(t *testing.T) {
	ctx, dsn := context.Background(), dbtest.DSN(t)
	s := open(t, dsn)
	id := start(t, s, 8)
	doing := Once(ctx, "k1", []byte("x"))
	first, err := s.Do(doing, id, 1, &reel.Trim{Clips: []reel.ID{3}, End: reel.Tail, By: -100, Later: reel.Follow})
	must(t, first, err)
	between, err := s.Do(ctx, id, first.Revision, &reel.AddMarker{At: 5, Text: "here"})
	must(t, between, err)
	for _, one := range []*Store{s, open(t, dsn)} {
		again, err := one.Do(doing, id, 1, &reel.Trim{Clips: []reel.ID{3}, End: reel.Tail, By: -100, Later: reel.Follow})
		must(t, again, err)
		a, b := fmt.Sprintf("%+v %d %q %q", again.Outcome, again.Revision, again.Undo, again.Redo), fmt.Sprintf("%+v %d %q %q", first.Outcome, first.Revision, first.Undo, first.Redo)
		if a != b || !again.Again || len(again.Change.Shifts) != 1 || len(again.Change.Clips) != 1 {
			t.Errorf("again it says\n%s %+v\nnot\n%s", a, again.Change, b)
		}
	}
	if v := mustLoad(t, s, id); v.Revision != between.Revision {
		t.Errorf("it was done again: revision %d", v.Revision)
	}
	// The key of one request is not that of another, on this reel or the next.
	if _, err := s.Do(Once(ctx, "k1", []byte("y")), id, 1, &reel.AddMarker{At: 6, Text: "b"}); !errors.Is(err, ErrOtherRequest) {
		t.Errorf("another request with the key: %v", err)
	}
	if _, err := s.Undo(Once(ctx, "k1", []byte("x")), start(t, s, 1), Any); !errors.Is(err, ErrOtherRequest) {
		t.Errorf("another reel with the key: %v", err)
	}
	// Undo, redo, versions and new reels as well; what changed nothing too.
	undo := Once(ctx, "k2")
	for range 2 {
		r, err := s.Undo(undo, id, Any)
		if must(t, r, err); r.Undo != first.Undo {
			t.Errorf("undone twice: %q", r.Undo)
		}
	}
	made := map[int64]bool{}
	kept := map[int64]bool{}
	for range 3 {
		n, err := s.Copy(Once(ctx, "k3"), id, "copy")
		k, kerr := s.Keep(Once(ctx, "k4"), id, "v")
		if err != nil || kerr != nil {
			t.Fatal(err, kerr)
		}
		made[n], kept[k.ID] = true, true
	}
	if len(made) != 1 || len(kept) != 1 {
		t.Errorf("%d copies and %d versions", len(made), len(kept))
	}
	g := 0.0
	for range 2 {
		if r, err := s.Do(Once(ctx, "k5"), id, mustLoad(t, s, id).Revision, &reel.SetClip{Clip: 3, GainDB: &g}); err != nil || !r.Change.Empty() {
			t.Errorf("a step that changes nothing: %v", err)
		}
	}
	// The same request many times at one moment.
	var wg sync.WaitGroup
	before := mustLoad(t, s, id).Revision
	for i := range 8 {
		wg.Add(1)
		go func() {
			defer wg.Done()
			one := s
			if i%2 == 0 {
				one = open(t, dsn)
			}
			if _, err := one.Do(Once(ctx, "k6"), id, before, &reel.AddMarker{At: 60, Text: "once"}); err != nil {
				t.Error(err)
			}
			if n, err := one.Copy(Once(ctx, "k7"), id, "once"); err != nil || n == 0 {
				t.Error(n, err)
			}
		}()
	}
	wg.Wait()
	if v := mustLoad(t, s, id); v.Revision != before+1 {
		t.Errorf("eight at once made %d steps", v.Revision-before)
	}
	reels, err := s.Shelf(ctx, false)
	once := 0
	for _, e := range reels {
		if e.Props.Name == "once" {
			once++
		}
	}
	if err != nil || once != 1 {
		t.Errorf("eight at once made %d copies, %v", once, err)
	}
	if err := s.ForgetRequests(ctx, time.Now().Add(time.Hour)); err != nil {
		t.Error(err)
	}
}

// Undo is of the step that its maker saw.
func TestUndoOfWhatWasSeen(t *testing.T) {
	ctx, dsn := context.Background(), dbtest.DSN(t)
	a, b := open(t, dsn), open(t, dsn)
	id := start(t, a, 3)
	mine, err := a.Do(ctx, id, 1, &reel.AddMarker{At: 5, Text: "mine"})
	must(t, mine, err)
	theirs, err := b.Do(ctx, id, mine.Revision, &reel.AddMarker{At: 9, Text: "theirs"})
	must(t, theirs, err)
	var stale *Conflict
	if _, err := a.Undo(ctx, id, mine.Revision); !errors.As(err, &stale) || !strings.Contains(stale.Error(), "mark") {
		t.Errorf("the step of another was undone: %v", err)
	}
	if _, err := a.Redo(ctx, id, mine.Revision); !errors.As(err, &stale) {
		t.Error(err)
	}
	if _, err := a.Undo(ctx, id, 99); !errors.As(err, &stale) {
		t.Error(err)
	}
	// A recording that came in meanwhile is no step.
	lib, err := b.Library(ctx, id, &reel.AddSource{Source: reel.Source{Recording: "bb", Name: "n", Right: -1, Length: 9, StartTC: -1}})
	must(t, lib, err)
	if r, err := a.Undo(ctx, id, theirs.Revision); err != nil || r.Undo != mine.Outcome.Label {
		t.Errorf("undo: %v", err)
	}
}

// The answer to a commit is lost, or the commit itself: either way it is found
// out what became of it, and what was told is what is there.
func TestACommitWhoseAnswerIsLost(t *testing.T) {
	ctx := context.Background()
	line, dsn := dbtest.NewLine(t, dbtest.DSN(t))
	s := open(t, dsn)
	id := start(t, s, 3)
	for i, fate := range []dbtest.Fate{dbtest.CutAfter, dbtest.CutBefore, dbtest.CutAfter, dbtest.CutBefore} {
		before := mustLoad(t, s, id)
		done := false
		line.Heed(func(p []byte) dbtest.Fate {
			if done || !dbtest.Says(p, "COMMIT") {
				return dbtest.Pass
			}
			done = true
			return fate
		})
		r, err := s.Do(ctx, id, before.Revision, &reel.AddMarker{At: int64(i), Text: "m"})
		line.Heed(nil)
		now := mustLoad(t, s, id)
		switch fate {
		case dbtest.CutAfter: // it was saved
			if err != nil || now.Revision != before.Revision+1 || r.Revision != now.Revision {
				t.Errorf("%d: saved and told %v", i, err)
			}
		case dbtest.CutBefore:
			if !errors.Is(err, ErrAway) || now.Revision != before.Revision {
				t.Errorf("%d: not saved and told %v, revision %d", i, err, now.Revision)
			}
		}
	}
	// Nobody can be asked: it is said not to be known, and the key finds out.
	for _, fate := range []dbtest.Fate{dbtest.CutAfter, dbtest.CutAllNext} {
		before := mustLoad(t, s, id)
		line.Heed(func(p []byte) dbtest.Fate {
			if !dbtest.Says(p, "COMMIT") {
				return dbtest.Pass
			}
			if fate == dbtest.CutAfter {
				go line.Down(true)
				time.Sleep(20 * time.Millisecond)
			}
			return fate
		})
		doing := Once(ctx, fmt.Sprint("unknown ", fate))
		_, err := s.Do(doing, id, before.Revision, &reel.AddMarker{At: 77 + int64(fate), Text: "m"})
		if err != nil && !errors.Is(err, ErrUnknown) {
			t.Errorf("%d: %v", fate, err)
		}
		line.Heed(nil)
		line.Down(false)
		r, err := s.Do(doing, id, before.Revision, &reel.AddMarker{At: 77 + int64(fate), Text: "m"})
		if now := mustLoad(t, s, id); err != nil || now.Revision != before.Revision+1 || r.Revision != now.Revision {
			t.Errorf("%d: asked again: %v, revision %d after %d", fate, err, now.Revision, before.Revision)
		}
	}
}

// A database that does not answer is told within two seconds, and work goes on
// by itself when it does again.
func TestADatabaseThatHangs(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	line, dsn := dbtest.NewLine(t, dbtest.DSN(t))
	s := open(t, dsn)
	id := start(t, s, 3)
	told := make(chan bool, 8)
	ended := make(chan struct{})
	go func() {
		s.Watch(ctx, func(away bool) { told <- away })
		close(ended)
	}()
	for !s.pulse.watched.Load() {
		time.Sleep(time.Millisecond)
	}
	for i, way := range []struct {
		name string
		on   func(bool)
	}{{"hangs", line.Hold}, {"is gone", line.Down}} {
		base := mustLoad(t, s, id).Revision
		way.on(true)
		began := time.Now()
		var wg sync.WaitGroup
		for range 20 {
			wg.Add(2)
			go func() {
				defer wg.Done()
				if _, err := s.Load(ctx, id); !errors.Is(err, ErrAway) {
					t.Errorf("%s: reading: %v", way.name, err)
				}
			}()
			go func() {
				defer wg.Done()
				if _, err := s.Do(ctx, id, base, &reel.AddMarker{At: 4, Text: "x"}); !errors.Is(err, ErrAway) && !errors.Is(err, ErrUnknown) {
					t.Errorf("%s: writing: %v", way.name, err)
				}
			}()
		}
		wg.Wait()
		t.Logf("%s: all 40 were told within %v", way.name, time.Since(began))
		for away := range told {
			if away {
				break
			}
		}
		began = time.Now()
		if _, err := s.Load(ctx, id); !errors.Is(err, ErrAway) {
			t.Errorf("%s: %v", way.name, err)
		}
		if took := time.Since(began); took > 5*time.Second {
			t.Errorf("%s: once it is known it still took %v", way.name, took)
		}
		way.on(false)
		if <-told {
			t.Error("away twice")
		}
		if _, err := s.Do(ctx, id, base, &reel.AddMarker{At: 500 + int64(i), Text: "back"}); err != nil {
			t.Errorf("%s, and is back: %v", way.name, err)
		}
	}
	cancel()
	<-ended
}

// A slow answer of a database that lives is waited for.
func TestASlowAnswerIsWaitedFor(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	defer cancel()
	s := open(t, dbtest.DSN(t))
	go s.Watch(ctx, nil)
	for !s.pulse.watched.Load() {
		time.Sleep(time.Millisecond)
	}
	slow := func() (err error) {
		at := ctx
		defer s.guard(&at, &err)()
		_, err = s.db.ExecContext(at, "DO SLEEP(2.5)")
		return err
	}
	if err := slow(); err != nil {
		t.Error(err)
	}
}
