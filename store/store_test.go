package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"sync"
	"syscall"
	"testing"

	"blendseam/core/gain"
	"blendseam/core/reel"
	"blendseam/core/timecode"
	"blendseam/dbserver"
	"blendseam/dbserver/dbtest"
)

func TestMain(m *testing.M) { dbtest.Main(m) }

func open(t testing.TB, dsn string) *Store {
	t.Helper()
	s, err := Open(context.Background(), dsn)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	return s
}

// start makes a reel with a track (1), a source (2) and n clips that meet.
func start(t testing.TB, s *Store, n int) int64 {
	t.Helper()
	r := &reel.Reel{NextID: 1, Props: reel.Props{Name: "Frost", SampleRate: 48000, FrameRate: timecode.Rate2997Drop, StartFrame: 107892}}
	edits := []reel.Edit{
		&reel.AddTrack{Name: "Warden", Role: reel.Dialogue},
		&reel.AddSource{Source: reel.Source{Recording: "aa", Name: "take 3", Right: -1, Length: 1 << 40, StartTC: 7}},
	}
	for i := range n {
		edits = append(edits, &reel.Place{Source: 2, Track: 1, Start: int64(i) * 1000, Offset: 5000, Length: 1000})
	}
	for _, e := range edits {
		did, err := e.Apply(r)
		if err != nil {
			t.Fatal(err)
		}
		r = did.Reel
	}
	id, err := s.Create(context.Background(), r)
	if err != nil {
		t.Fatal(err)
	}
	return id
}

func text(r *reel.Reel) string {
	b, _ := json.Marshal(r)
	return string(b)
}

func must(t testing.TB, r Result, err error) Result {
	t.Helper()
	if err != nil {
		t.Fatal(err)
	}
	return r
}

// Edits, undo and redo, each seen by a second process over the same database
// that reads from the tables alone.
func TestEverythingIsInTheTables(t *testing.T) {
	ctx, dsn := context.Background(), dbtest.DSN(t)
	s := open(t, dsn)
	id := start(t, s, 4)
	gainDB, name, yes := -3.5, "Wärter “2” 日本", true
	edits := []reel.Edit{
		&reel.SetBlend{Left: 3, Right: 4, Before: 100, After: 200, Law: gain.ConstantGain, Lean: 0.4},
		&reel.SetFade{Clip: 3, End: reel.Head, Fade: reel.Fade{Length: 300, Shape: gain.Smooth, Bend: 0.3}},
		&reel.SetFade{Clip: 6, End: reel.Tail, Fade: reel.Fade{Length: 30, Shape: gain.Linear, Bend: 0.5}},
		&reel.SetClip{Clip: 5, Name: &name, GainDB: &gainDB},
		&reel.AddTrack{Name: "Fan", Role: reel.RoomTone},
		&reel.SetTrack{Track: 1, GainDB: &gainDB, Pan: &gainDB},
		&reel.SetTrack{Track: 1, Mute: &yes},
		&reel.Move{Clips: []reel.ID{5, 6}, By: 500, ToTrack: 8},
		&reel.SetReel{Name: &name},
		&reel.Remove{Clips: []reel.ID{3}},
		&reel.RemoveTrack{Track: 8},
	}
	states := []string{text(mustLoad(t, s, id).Reel)}
	check := func(what string, got Version) {
		t.Helper()
		other := open(t, dsn)
		read := mustLoad(t, other, id)
		a, b := *read.Reel, *got.Reel
		if a.NextID != b.NextID || text(norm(&a)) != text(norm(&b)) || read.Revision != got.Revision || read.Undo != got.Undo || read.Redo != got.Redo {
			t.Fatalf("%s: the tables say\n%s\n%+v\nnot\n%s\n%+v", what, text(&a), read, text(&b), got)
		}
		if err := read.Reel.Check(); err != nil {
			t.Fatalf("%s: %v", what, err)
		}
	}
	done := 0
	for _, e := range edits {
		v := mustLoad(t, s, id)
		r, err := s.Do(ctx, id, v.Revision, e)
		var no *reel.Refusal
		if errors.As(err, &no) {
			if _, ok := e.(*reel.SetTrack); !ok {
				t.Fatal(err)
			}
			continue // pan of −3.5
		}
		must(t, r, err)
		check(fmt.Sprintf("%T", e), r.Version)
		states = append(states, text(norm(r.Reel)))
		done++
	}
	for i := done - 1; i >= 0; i-- {
		r, err := s.Undo(ctx, id, Any)
		check("undo", must(t, r, err).Version)
		if i > 0 && text(norm(r.Reel)) != states[i] {
			t.Fatalf("undo to step %d:\n%s\nwant\n%s", i, text(norm(r.Reel)), states[i])
		}
	}
	if _, err := s.Undo(ctx, id, Any); !errors.Is(err, ErrNothing) {
		t.Errorf("undo of nothing: %v", err)
	}
	// A restarted server finds the line of redo.
	s = open(t, dsn)
	for i := 1; i <= done; i++ {
		r, err := s.Redo(ctx, id, Any)
		check("redo", must(t, r, err).Version)
		if text(norm(r.Reel)) != states[i] {
			t.Fatalf("redo of step %d:\n%s\nwant\n%s", i, text(norm(r.Reel)), states[i])
		}
	}
	if _, err := s.Redo(ctx, id, Any); !errors.Is(err, ErrNothing) {
		t.Errorf("redo of nothing: %v", err)
	}
	steps, err := s.History(ctx, id, 0, 100, false)
	if err != nil || len(steps) != 1+3*done {
		t.Errorf("%d rows of history, %v; want %d", len(steps), err, 1+3*done)
	}
}

// norm makes absent and empty lists alike and leaves the next id aside.
func norm(r *reel.Reel) *reel.Reel {
	out := *r
	out.NextID = 0
	out.Tracks, out.Clips = append([]reel.Track{}, r.Tracks...), append([]reel.Clip{}, r.Clips...)
	out.Markers = append([]reel.Marker{}, r.Markers...)
	out.Strikes, out.Swatches = append([]reel.Strike{}, r.Strikes...), append([]reel.Swatch{}, r.Swatches...)
	out.Sources, out.Blends = append([]reel.Source{}, r.Sources...), append([]reel.Blend{}, r.Blends...)
	return &out
}

func mustLoad(t testing.TB, s *Store, id int64) Version {
	t.Helper()
	v, err := s.Load(context.Background(), id)
	if err != nil {
		t.Fatal(err)
	}
	return v
}

func TestANewStepEndsTheLineOfRedoButALibraryRowDoesNot(t *testing.T) {
	ctx := context.Background()
	s := open(t, dbtest.DSN(t))
	id := start(t, s, 2)
	do := func(e reel.Edit) Result {
		r, err := s.Do(ctx, id, mustLoad(t, s, id).Revision, e)
		return must(t, r, err)
	}
	do(&reel.AddTrack{Name: "a", Role: reel.Music})
	do(&reel.AddTrack{Name: "b", Role: reel.Music})
	r, err := s.Undo(ctx, id, Any)
	must(t, r, err)
	r, err = s.Library(ctx, id, &reel.AddSource{Source: reel.Source{Recording: "bb", Name: "n", Right: -1, Length: 9, StartTC: -1}})
	if must(t, r, err); r.Redo == "" || r.Undo == "" {
		t.Fatalf("a new source ended the line: %+v", r.Version)
	}
	r, err = s.Redo(ctx, id, Any)
	must(t, r, err)
	r, err = s.Undo(ctx, id, Any)
	must(t, r, err)
	if r := do(&reel.AddTrack{Name: "c", Role: reel.Music}); r.Redo != "" {
		t.Error("redo is still possible")
	}
	if _, err := s.Redo(ctx, id, Any); !errors.Is(err, ErrNothing) {
		t.Error(err)
	}
	// A step that changes nothing is none.
	gainDB := 0.0
	before := mustLoad(t, s, id).Revision
	if r := do(&reel.SetTrack{Track: 1, GainDB: &gainDB}); r.Revision != before {
		t.Error("an empty step was saved")
	}
}

// Two editors over one database, each with its own process's view: no
// acknowledged edit is lost, an edit of what has changed is refused and says
// what, and an edit of other things passes.
func TestTwoEditors(t *testing.T) {
	ctx, dsn := context.Background(), dbtest.DSN(t)
	a, b := open(t, dsn), open(t, dsn)
	id := start(t, a, 20)
	base := mustLoad(t, a, id).Revision
	g := -1.0
	r, err := a.Do(ctx, id, base, &reel.SetClip{Clip: 3, GainDB: &g})
	must(t, r, err)
	var stale *Conflict
	if _, err := b.Do(ctx, id, base, &reel.SetClip{Clip: 3, GainDB: &g}); !errors.As(err, &stale) || stale.By == "" {
		t.Fatalf("an edit of a changed clip: %v", err)
	}
	r, err = b.Do(ctx, id, base, &reel.SetClip{Clip: 4, GainDB: &g})
	must(t, r, err)
	if _, err := b.Do(ctx, id, 999, &reel.SetClip{Clip: 4, GainDB: &g}); !errors.As(err, &stale) {
		t.Errorf("an edit against a revision to come: %v", err)
	}
	var wg sync.WaitGroup
	for k, s := range []*Store{a, b} {
		wg.Add(1)
		go func() {
			defer wg.Done()
			for i := range 30 {
				name := fmt.Sprintf("%d-%d", k, i)
				if _, err := s.Do(ctx, id, mustLoad(t, s, id).Revision, &reel.AddTrack{Name: name, Role: reel.Spots}); err != nil {
					t.Error(err)
				}
			}
		}()
	}
	wg.Wait()
	va, vb := mustLoad(t, a, id), mustLoad(t, b, id)
	if text(norm(va.Reel)) != text(norm(vb.Reel)) || len(va.Reel.Tracks) != 61 {
		t.Errorf("%d and %d tracks", len(va.Reel.Tracks), len(vb.Reel.Tracks))
	}
	since, err := a.Since(ctx, id, base)
	if err != nil || len(since) != 62 {
		t.Errorf("%d changes since, %v", len(since), err)
	}
}

// An edit that was acknowledged survives kill -9 of the database.
func TestDatabaseKilled(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	srv, err := dbserver.Start(ctx, dir)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { srv.Stop() }()
	if _, err := dbserver.Start(ctx, dir); !errors.Is(err, dbserver.ErrBusy) {
		t.Errorf("a second server on the same folder: %v", err)
	}
	s := open(t, srv.DSN("x"))
	id := start(t, s, 3)
	acknowledged := 0
	killed := make(chan struct{})
	for i := 0; ; i++ {
		if i == 25 {
			go func() {
				_ = syscall.Kill(srv.PID(), syscall.SIGKILL)
				close(killed)
			}()
		}
		if _, err := s.Do(ctx, id, int64(i)+1, &reel.AddTrack{Name: fmt.Sprint(i), Role: reel.Spots}); err != nil {
			break
		}
		acknowledged++
	}
	<-killed
	srv.Stop()
	if srv, err = dbserver.Start(ctx, dir); err != nil {
		t.Fatal(err)
	}
	v := mustLoad(t, open(t, srv.DSN("x")), id)
	if n := len(v.Reel.Tracks) - 1; n < acknowledged || n > acknowledged+1 || acknowledged < 20 {
		t.Errorf("%d tracks after %d acknowledged edits", n, acknowledged)
	}
	if v.Revision != int64(len(v.Reel.Tracks)) {
		t.Errorf("revision %d for %d tracks", v.Revision, len(v.Reel.Tracks))
	}
}

func TestShelf(t *testing.T) {
	ctx := context.Background()
	s := open(t, dbtest.DSN(t))
	id := start(t, s, 3)
	twin, err := s.Copy(ctx, id, "Twin")
	if err != nil {
		t.Fatal(err)
	}
	if v := mustLoad(t, s, twin); v.Reel.Props.Name != "Twin" || len(v.Reel.Clips) != 3 || v.Undo != "" {
		t.Errorf("the copy is %+v", v)
	}
	if err := s.Remove(ctx, id); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Load(ctx, id); !errors.Is(err, ErrNoReel) {
		t.Error(err)
	}
	if _, err := s.Do(ctx, id, 1, &reel.AddTrack{Name: "x", Role: reel.Spots}); !errors.Is(err, ErrNoReel) {
		t.Error(err)
	}
	here, _ := s.Shelf(ctx, false)
	gone, _ := s.Shelf(ctx, true)
	if len(here) != 1 || here[0].ID != twin || here[0].Clips != 3 || here[0].Length != 3000 || len(gone) != 1 || gone[0].ID != id {
		t.Errorf("shelf %+v, removed %+v", here, gone)
	}
	if err := s.Restore(ctx, id); err != nil {
		t.Fatal(err)
	}
	if err := s.Restore(ctx, id); !errors.Is(err, ErrNoReel) {
		t.Error(err)
	}
	mustLoad(t, s, id)
	rec := Recording{Hash: "aa", Rate: 48000, FileName: "a.wav", Format: "WAV", Channels: 2, Length: 5, StartTC: -1}
	if err := s.SaveRecording(ctx, rec); err != nil {
		t.Fatal(err)
	}
	if got, ok, err := s.Recording(ctx, "aa", 48000); !ok || err != nil || got.Channels != 2 {
		t.Errorf("%+v %v %v", got, ok, err)
	}
	if _, ok, err := s.Recording(ctx, "aa", 44100); ok || err != nil {
		t.Error("a recording that is not there")
	}
}

// BenchmarkEdit is an edit on a reel of 2,000 clips, journal included.
func BenchmarkEdit(b *testing.B) {
	ctx := context.Background()
	s := open(b, dbtest.DSN(b))
	id := start(b, s, 2000)
	v := mustLoad(b, s, id)
	b.ResetTimer()
	for i := range b.N {
		g := float64(i%20) - 10
		r, err := s.Do(ctx, id, v.Revision, &reel.SetClip{Clip: reel.ID(3 + i%2000), GainDB: &g})
		if err != nil {
			b.Fatal(err)
		}
		v = r.Version
	}
}
