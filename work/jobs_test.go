package work

import (
	"context"
	"errors"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"blendseam/dbserver/dbtest"
	"blendseam/store"
)

func TestMain(m *testing.M) { dbtest.Main(m) }

// crewOf is a worker on a database that knows one kind of job.
func crewOf(t *testing.T, dsn string, do Do) (*Jobs, *store.Store) {
	t.Helper()
	st, err := store.Open(context.Background(), dsn)
	if err != nil {
		t.Fatal(err)
	}
	files, err := OpenFiles(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	m := NewJobs(st, nil, files, slog.New(slog.NewTextHandler(io.Discard, nil)), nil)
	m.Lease = 600 * time.Millisecond
	m.teach("test", do)
	ctx, end := context.WithCancel(context.Background())
	over := make(chan struct{})
	go func() { defer close(over); m.Keep(ctx) }()
	t.Cleanup(func() { end(); <-over; st.Close() })
	return m, st
}

func begin(t *testing.T, m *Jobs, st *store.Store) int64 {
	t.Helper()
	id, err := st.AddJob(context.Background(), store.Job{Kind: "test", Name: "x.wav", Settings: []byte("{}")})
	if err != nil {
		t.Fatal(err)
	}
	m.Wake()
	return id
}

// until waits for a job to stand in some way.
func until(t *testing.T, st *store.Store, id int64, is func(store.Job) bool) store.Job {
	t.Helper()
	var j store.Job
	for range 1000 {
		var err error
		if j, err = st.Job(context.Background(), id); err == nil && is(j) {
			return j
		}
		time.Sleep(10 * time.Millisecond)
	}
	t.Fatalf("waited in vain: %+v", j)
	return j
}

func ended(j store.Job) bool { return j.State.Ended() }

// writes makes a file of a job.
func writes(m **Jobs, text string) Do {
	return func(_ context.Context, j store.Job, _ func(float64)) (Outcome, error) {
		f, err := (*m).shelf.Begin(j.ID)
		if err != nil {
			return Outcome{}, err
		}
		if _, err := f.WriteString(text); err != nil {
			return Outcome{}, err
		}
		name, err := (*m).shelf.Finish(f)
		return Outcome{File: name}, err
	}
}

// The database goes away in the middle of a job, longer than its lease: what was worked
// out is not lost, its file is there once and whole, and no part is left.
func TestTheDatabaseGoesInTheMiddle(t *testing.T) {
	line, dsn := dbtest.NewLine(t, dbtest.DSN(t))
	var m *Jobs
	at := make(chan bool)
	var times atomic.Int32
	m, st := crewOf(t, dsn, func(ctx context.Context, j store.Job, told func(float64)) (Outcome, error) {
		times.Add(1)
		told(0.5)
		at <- true
		<-at
		return writes(&m, "whole")(ctx, j, told)
	})
	id := begin(t, m, st)
	<-at
	line.Down(true)
	time.Sleep(m.Lease * 2)
	at <- true
	time.Sleep(m.Lease)
	line.Down(false)
	j := until(t, st, id, ended)
	if j.State != store.Done || j.Bytes != 5 || j.KeptUntil == nil || times.Load() != 1 {
		t.Errorf("done %d times: %+v", times.Load(), j)
	}
	all, _ := os.ReadDir(m.shelf.Dir)
	if len(all) != 1 || all[0].Name() != filepath.Base(m.shelf.place(id)) {
		t.Errorf("%v", all)
	}
	if text, err := os.ReadFile(m.shelf.place(id)); string(text) != "whole" {
		t.Errorf("%q, %v", text, err)
	}
}

// What goes wrong is told in words, once; what passes is tried again, so many times.
func TestJobsThatFail(t *testing.T) {
	var m *Jobs
	var times atomic.Int32
	var why error
	m, st := crewOf(t, dbtest.DSN(t), func(context.Context, store.Job, func(float64)) (Outcome, error) {
		times.Add(1)
		if why == nil {
			panic("a fault")
		}
		return Outcome{}, why
	})
	for _, c := range []struct {
		why   error
		says  string
		times int32
	}{
		{&os.PathError{Op: "write", Path: "x", Err: syscall.ENOSPC}, "disk is full", 1},
		{errors.New("the reel ends at sample 5"), "The reel ends at sample 5.", 1},
		{store.ErrNoReel, "reel was removed", 1},
		{store.ErrBusy, "busy", store.MostTries},
		{nil, "a fault", 1},
	} {
		why = c.why
		times.Store(0)
		j := until(t, st, begin(t, m, st), ended)
		if j.State != store.Failed || !strings.Contains(strings.ToLower(j.Detail), strings.ToLower(c.says)) || times.Load() != c.times {
			t.Errorf("%v: tried %d times, %+v", c.why, times.Load(), j)
		}
	}
}

// A job that is cancelled ends soon and leaves nothing; a worker that is told to go home
// gives its job to the next at once.
func TestJobsThatAreEnded(t *testing.T) {
	dsn := dbtest.DSN(t)
	at := make(chan bool, 2)
	var m *Jobs
	waits := func(ctx context.Context, j store.Job, _ func(float64)) (Outcome, error) {
		f, err := m.shelf.Begin(j.ID)
		if err != nil {
			return Outcome{}, err
		}
		defer f.Close()
		at <- true
		<-ctx.Done()
		return Outcome{File: f.Name()}, ctx.Err()
	}
	m, st := crewOf(t, dsn, waits)
	id := begin(t, m, st)
	<-at
	if err := st.CancelJob(context.Background(), id); err != nil {
		t.Fatal(err)
	}
	if j := until(t, st, id, ended); j.State != store.Cancelled {
		t.Errorf("%+v", j)
	}
	for range 200 { // the part goes just after
		if all, _ := os.ReadDir(m.shelf.Dir); len(all) == 0 {
			break
		}
		time.Sleep(10 * time.Millisecond)
	}
	if all, _ := os.ReadDir(m.shelf.Dir); len(all) != 0 {
		t.Errorf("left: %v", all)
	}
	home, go_ := context.WithCancel(context.Background())
	second := NewJobs(st, nil, m.shelf, m.log, nil)
	second.teach("other", waits)
	over := make(chan bool)
	go func() { second.Keep(home); over <- true }()
	id, err := st.AddJob(home, store.Job{Kind: "other", Name: "y", Settings: []byte("{}")})
	if err != nil {
		t.Fatal(err)
	}
	<-at
	go_()
	<-over
	if j, _ := st.Job(context.Background(), id); j.State != store.Waiting || j.Tries != 0 {
		t.Errorf("%+v", j)
	}
}

// Parts of workers that died, and files of jobs that are not known, go after a time;
// what is kept, and what is not ours, stays.
func TestFilesThatNobodyNeeds(t *testing.T) {
	f, err := OpenFiles(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{"1", "2", "3-abc.part", "notes.txt"} {
		if err := os.WriteFile(filepath.Join(f.Dir, name), []byte("12345"), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	known := func(id int64) bool { return id == 1 }
	if n, err := f.Sweep(time.Now().Add(-time.Hour), known); n != 0 || err != nil {
		t.Errorf("young files went: %d, %v", n, err)
	}
	if n, err := f.Sweep(time.Now().Add(time.Hour), known); n != 10 || err != nil {
		t.Errorf("%d bytes went, %v", n, err)
	}
	all, _ := os.ReadDir(f.Dir)
	if len(all) != 2 || all[0].Name() != "1" || all[1].Name() != "notes.txt" {
		t.Errorf("%v", all)
	}
}
