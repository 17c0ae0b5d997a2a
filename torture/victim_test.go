package torture

import (
	"bufio"
	"bytes"
	"io"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"
)

// victim is a server with its database that is killed and started again.
type victim struct {
	t                 *testing.T
	binary, data, url string

	mu    sync.Mutex
	cmd   *exec.Cmd
	kills [2]int // of the server and of the database
}

func newVictim(t *testing.T) *victim {
	v := &victim{t: t, binary: filepath.Join(t.TempDir(), "blendseam"), data: t.TempDir()}
	build := exec.Command("go", "build", "-o", v.binary, "./cmd/blendseam")
	build.Dir = ".."
	if out, err := build.CombinedOutput(); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	v.url = "http://" + l.Addr().String()
	l.Close()
	v.start()
	t.Cleanup(func() {
		_ = v.cmd.Process.Signal(syscall.SIGINT)
		_ = v.cmd.Wait()
	})
	return v
}

// start starts it and waits until it serves.
func (v *victim) start() {
	for range 40 {
		cmd := exec.Command(v.binary, "demo", "--data", v.data, "--listen", strings.TrimPrefix(v.url, "http://"))
		cmd.Env = append(os.Environ(), "BLENDSEAM_DSN=")
		out, err := cmd.StdoutPipe()
		if err != nil {
			v.t.Fatal(err)
		}
		var said bytes.Buffer
		cmd.Stderr = &said
		if err := cmd.Start(); err != nil {
			v.t.Fatal(err)
		}
		lines := bufio.NewScanner(out)
		for lines.Scan() {
			if strings.Contains(lines.Text(), " is at ") {
				go func() { _, _ = io.Copy(io.Discard, out) }()
				v.mu.Lock()
				v.cmd = cmd
				v.mu.Unlock()
				return
			}
		}
		_ = cmd.Wait()
		if !strings.Contains(said.String(), "address already in use") {
			v.t.Fatalf("it does not start again: %s", said.String())
		}
		time.Sleep(50 * time.Millisecond)
	}
	v.t.Fatal("its address stays in use")
}

// kill kills the server, and starts it again, or its database.
func (v *victim) kill(database bool) {
	if database {
		pid, err := os.ReadFile(filepath.Join(v.data, "mariadb", "db.pid"))
		if err != nil {
			return // it is being started
		}
		if n, err := strconv.Atoi(strings.TrimSpace(string(pid))); err == nil && n > 1 && syscall.Kill(n, syscall.SIGKILL) == nil {
			v.kills[1]++
		}
		return
	}
	_ = v.cmd.Process.Kill()
	_ = v.cmd.Wait()
	v.kills[0]++
	v.start()
}
