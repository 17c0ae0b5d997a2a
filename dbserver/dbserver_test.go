package dbserver

import (
	"context"
	"os"
	"path/filepath"
	"sync"
	"syscall"
	"testing"
	"time"
)

// Servers that are set up and started at once do not trip over each other.
func TestManyAtOnce(t *testing.T) {
	var wg sync.WaitGroup
	for range 4 {
		dir := t.TempDir()
		wg.Go(func() {
			s, err := Start(context.Background(), dir)
			if err != nil {
				t.Error(err)
				return
			}
			s.Stop()
		})
	}
	wg.Wait()
}

// A server that is killed comes again at the same address; one whose parent
// was killed is waited for; what is stopped stays stopped.
func TestWatch(t *testing.T) {
	dir := t.TempDir()
	s, err := Start(context.Background(), dir)
	if err != nil {
		t.Fatal(err)
	}
	told := make(chan string, 16)
	s.Watch(func(text string) { told <- text })
	if dsn, ok := Running(dir, "x"); !ok || dsn != s.DSN("x") {
		t.Errorf("it runs at %q, %v", dsn, ok)
	}
	for range 2 {
		dsn, pid := s.DSN(""), s.PID()
		if err := syscall.Kill(pid, syscall.SIGKILL); err != nil {
			t.Fatal(err)
		}
		for text := range told {
			if text == "MariaDB is back" {
				break
			}
		}
		if s.DSN("") != dsn || s.PID() == pid {
			t.Error("it came back elsewhere")
		}
		if err := s.await(context.Background(), make(chan struct{})); err != nil {
			t.Error(err)
		}
	}
	s.Stop()
	if _, ok := Running(dir, "x"); ok {
		t.Error("it is said to run")
	}
	if left, err := filepath.Glob(filepath.Join(os.TempDir(), scratchName+"*")); err == nil {
		for _, l := range left {
			if l == s.scratch {
				t.Error("its scratch folder stayed")
			}
		}
	}
	select {
	case text := <-told:
		if text != "MariaDB has ended; it is started again" {
			break
		}
		t.Error("it was started after it was stopped")
	case <-time.After(300 * time.Millisecond):
	}
}
