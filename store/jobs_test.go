package store

import (
	"context"
	"errors"
	"sync"
	"testing"
	"time"

	"blendseam/core/reel"
	"blendseam/dbserver/dbtest"
)

func addJob(t *testing.T, s *Store, kind string) int64 {
	t.Helper()
	id, err := s.AddJob(context.Background(), Job{Kind: kind, Name: "a file", Settings: []byte(`{}`)})
	if err != nil {
		t.Fatal(err)
	}
	return id
}

// Many workers of several processes claim at once: each job is given to one, and
// only jobs of the kinds that are asked for.
func TestEachJobIsGivenToOne(t *testing.T) {
	ctx, dsn := context.Background(), dbtest.DSN(t)
	a, b := open(t, dsn), open(t, dsn)
	const n = 60
	for range n {
		addJob(t, a, "export")
	}
	other := addJob(t, a, "fit")
	var mu sync.Mutex
	given := map[int64]int{}
	var all sync.WaitGroup
	for i := range 8 {
		all.Go(func() {
			s := []*Store{a, b}[i%2]
			for {
				j, err := s.ClaimJob(ctx, string(rune('a'+i)), []string{"export", "import"}, time.Minute)
				if errors.Is(err, ErrNoJob) {
					return
				}
				if err != nil {
					if errors.Is(err, ErrBusy) {
						continue // of two that took the same gap in an index one goes on
					}
					t.Error(err)
					return
				}
				mu.Lock()
				given[j.ID]++
				mu.Unlock()
			}
		})
	}
	all.Wait()
	if len(given) != n || given[other] != 0 {
		t.Errorf("%d of %d jobs were given, the other kind %d times", len(given), n, given[other])
	}
	for id, times := range given {
		if times != 1 {
			t.Errorf("job %d was given %d times", id, times)
		}
	}
}

// A worker that shows no sign loses its job: the next has it, and what the first
// says of it counts no more. One whose workers die each time fails with the reason.
func TestAWorkerDies(t *testing.T) {
	ctx, s := context.Background(), open(t, dbtest.DSN(t))
	id := addJob(t, s, "export")
	const lease = 150 * time.Millisecond
	claim := func(worker string) Job {
		t.Helper()
		for {
			j, err := s.ClaimJob(ctx, worker, []string{"export"}, lease)
			if err == nil {
				return j
			}
			if !errors.Is(err, ErrNoJob) {
				t.Fatal(err)
			}
			time.Sleep(10 * time.Millisecond)
		}
	}
	first := claim("one")
	if _, err := s.ClaimJob(ctx, "two", []string{"export"}, lease); !errors.Is(err, ErrNoJob) {
		t.Errorf("a job that is worked at was given away: %v", err)
	}
	for range 4 { // as long as it shows signs it keeps the job
		time.Sleep(lease / 2)
		if stop, err := s.KeepJob(ctx, first, 0.5, lease); stop || err != nil {
			t.Fatal(stop, err)
		}
	}
	second := claim("two")
	if second.ID != id || second.Tries != 2 {
		t.Errorf("%+v", second)
	}
	put := false
	for name, err := range map[string]error{
		"keeps":      func() error { _, err := s.KeepJob(ctx, first, 0.9, lease); return err }(),
		"ends":       s.EndJob(ctx, first, JobEnd{State: Done}, func() error { put = true; return nil }),
		"gives back": s.GiveJobBack(ctx, first, false),
	} {
		if !errors.Is(err, ErrNotMine) {
			t.Errorf("the first %s: %v", name, err)
		}
	}
	if put {
		t.Error("the file of one who lost the job was put in place")
	}
	// The same worker again is another turn.
	third := claim("two")
	if err := s.EndJob(ctx, second, JobEnd{State: Done}, nil); !errors.Is(err, ErrNotMine) {
		t.Errorf("an earlier turn of the same worker: %v", err)
	}
	if third.Tries != MostTries {
		t.Errorf("%+v", third)
	}
	time.Sleep(lease + 50*time.Millisecond)
	if _, err := s.ClaimJob(ctx, "three", []string{"export"}, lease); !errors.Is(err, ErrNoJob) {
		t.Errorf("begun once more: %v", err)
	}
	if j, err := s.Job(ctx, id); err != nil || j.State != Failed || j.Detail == "" || j.EndedAt == nil {
		t.Errorf("%+v, %v", j, err)
	}
}

// A job is cancelled before it is begun, while it is worked at, and after its worker
// died; what was given back is begun as if it were new.
func TestCancelAndGiveBack(t *testing.T) {
	ctx, s := context.Background(), open(t, dbtest.DSN(t))
	one := addJob(t, s, "export")
	if err := s.CancelJob(ctx, one); err != nil {
		t.Fatal(err)
	}
	if j, _ := s.Job(ctx, one); j.State != Cancelled || j.EndedAt == nil {
		t.Errorf("%+v", j)
	}
	if _, err := s.ClaimJob(ctx, "w", []string{"export"}, time.Minute); !errors.Is(err, ErrNoJob) {
		t.Errorf("a cancelled job was given: %v", err)
	}
	two := addJob(t, s, "export")
	if err := s.RemoveJob(ctx, two); !errors.Is(err, ErrJobRuns) {
		t.Errorf("a job that waits was removed: %v", err)
	}
	j, err := s.ClaimJob(ctx, "w", []string{"export"}, time.Minute)
	if err != nil {
		t.Fatal(err)
	}
	if err := s.GiveJobBack(ctx, j, false); err != nil {
		t.Fatal(err)
	}
	if j, err = s.ClaimJob(ctx, "w", []string{"export"}, 50*time.Millisecond); err != nil || j.Tries != 1 {
		t.Fatal(j, err)
	}
	if err := s.CancelJob(ctx, two); err != nil {
		t.Fatal(err)
	}
	if stop, err := s.KeepJob(ctx, j, 0.2, 50*time.Millisecond); !stop || err != nil {
		t.Errorf("nobody was told to end: %v %v", stop, err)
	}
	time.Sleep(100 * time.Millisecond)
	if _, err := s.ClaimJob(ctx, "v", []string{"export"}, time.Minute); !errors.Is(err, ErrNoJob) {
		t.Errorf("%v", err)
	}
	if j, _ = s.Job(ctx, two); j.State != Cancelled {
		t.Errorf("its worker died after it was cancelled: %+v", j)
	}
	if err := s.CancelJob(ctx, two); err != nil {
		t.Errorf("cancelled twice: %v", err)
	}
	if err := s.RemoveJob(ctx, two); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Job(ctx, two); !errors.Is(err, ErrNoJob) {
		t.Errorf("%v", err)
	}
}

// A reel is brought back to any of its revisions as it was then, also over undo.
func TestAtARevision(t *testing.T) {
	ctx, s := context.Background(), open(t, dbtest.DSN(t))
	id := start(t, s, 3)
	then := []string{text(norm(mustLoad(t, s, id).Reel))}
	muted := true
	for _, do := range []func() (Result, error){
		func() (Result, error) {
			return s.Do(ctx, id, int64(len(then)), &reel.SetTrack{Track: 1, Mute: &muted})
		},
		func() (Result, error) {
			return s.Do(ctx, id, int64(len(then)), &reel.AddTrack{Name: "x", Role: reel.Spots})
		},
		func() (Result, error) { return s.Undo(ctx, id, int64(len(then))) },
		func() (Result, error) {
			return s.Do(ctx, id, int64(len(then)), &reel.Place{Source: 2, Track: 1, Start: 90000, Offset: 5000, Length: 1000})
		},
	} {
		res, err := do()
		if err != nil {
			t.Fatal(err)
		}
		then = append(then, text(norm(res.Reel)))
	}
	for i, want := range then {
		v, err := s.At(ctx, id, int64(i+1))
		if err != nil || v.Revision != int64(i+1) {
			t.Fatal(v.Revision, err)
		}
		if got := text(norm(v.Reel)); got != want {
			t.Errorf("revision %d\n%s\nwas\n%s", i+1, got, want)
		}
	}
	for _, bad := range []int64{0, -1, 99} {
		if _, err := s.At(ctx, id, bad); !errors.Is(err, ErrNoRevision) {
			t.Errorf("revision %d: %v", bad, err)
		}
	}
}
