package main

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"blendseam/dbserver/dbtest"
	"blendseam/store"
)

// binary is the real command, built once for all tests here.
var binary string

func TestMain(m *testing.M) {
	dir, err := os.MkdirTemp("", "seamcmd")
	if err == nil {
		binary = filepath.Join(dir, "blendseam")
		var out []byte
		if out, err = exec.Command("go", "build", "-o", binary, ".").CombinedOutput(); err != nil {
			err = fmt.Errorf("%w\n%s", err, out)
		}
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	defer os.RemoveAll(dir)
	dbtest.Main(m)
}

// start runs the command and gives its address when it serves.
func start(t *testing.T, env []string, args ...string) (*exec.Cmd, string) {
	t.Helper()
	cmd := exec.Command(binary, args...)
	cmd.Env = append(os.Environ(), env...)
	cmd.Stderr = os.Stderr
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = cmd.Process.Kill() })
	lines := bufio.NewScanner(out)
	for lines.Scan() {
		if _, url, ok := strings.Cut(lines.Text(), " is at "); ok {
			go func() { _, _ = io.Copy(io.Discard, out) }()
			return cmd, url
		}
	}
	t.Fatal("it ended before it served")
	return nil, ""
}

func post(url, body string) (int, error) {
	res, err := http.Post(url, "application/json", strings.NewReader(body))
	if err != nil {
		return 0, err
	}
	defer res.Body.Close()
	_, _ = io.Copy(io.Discard, res.Body)
	return res.StatusCode, nil
}

// The server is killed with -9 in the middle of edits: every acknowledged one
// is there when it comes again, and so is the line of undo.
func TestServerKilled(t *testing.T) {
	dsn, data := dbtest.DSN(t), t.TempDir()
	env := []string{"BLENDSEAM_DSN=" + dsn}
	cmd, url := start(t, env, "demo", "--data", data)
	acknowledged := 0
	kill := sync.OnceFunc(func() {
		time.AfterFunc(30*time.Millisecond, func() { _ = cmd.Process.Signal(syscall.SIGKILL) })
	})
	for i := 0; ; i++ {
		if acknowledged == 3 { // however slow the machine is, it comes in the midst of edits
			kill()
		}
		status, err := post(url+"/api/v1/reels/1/edits", fmt.Sprintf(`{"base":%d,"edit":{"do":"setTrack","with":{"track":8,"gainDB":%d}}}`, i+1, -(i%30)-1))
		if err != nil || status != 200 {
			break
		}
		acknowledged++
	}
	_ = cmd.Wait()
	_, url = start(t, env, "demo", "--data", data)
	st, err := store.Open(context.Background(), dsn)
	if err != nil {
		t.Fatal(err)
	}
	defer st.Close()
	v, err := st.Load(context.Background(), 1)
	if err != nil {
		t.Fatal(err)
	}
	if n := int(v.Revision) - 1; n < acknowledged || n > acknowledged+1 || acknowledged < 3 {
		t.Errorf("%d edits are there, %d were acknowledged", n, acknowledged)
	}
	for range acknowledged {
		if status, err := post(url+"/api/v1/reels/1/undo", ""); status != 200 || err != nil {
			t.Fatalf("undo after the restart: %d %v", status, err)
		}
	}
}

// Without a database of the user's the command starts a private one, and what
// it started ends with it, also on Ctrl-C; two run beside each other.
func TestDemoStandsAlone(t *testing.T) {
	data := filepath.Join(t.TempDir(), "var")
	env := []string{"BLENDSEAM_DSN="}
	one, first := start(t, env, "demo", "--data", data)
	two, second := start(t, env, "demo", "--data", data)
	for _, url := range []string{first, second} {
		res, err := http.Get(url + "/reels/1")
		if err != nil || res.StatusCode != 200 {
			t.Fatalf("%s: %v", url, err)
		}
		res.Body.Close()
	}
	for _, cmd := range []*exec.Cmd{one, two} {
		// Someone is watching when it is told to stop.
		res, err := http.Get(map[*exec.Cmd]string{one: first, two: second}[cmd] + "/api/v1/reels/1/events")
		if err != nil {
			t.Fatal(err)
		}
		defer res.Body.Close()
		began := time.Now()
		_ = cmd.Process.Signal(os.Interrupt)
		if err := cmd.Wait(); err != nil {
			t.Errorf("it ended with %v", err)
		}
		t.Logf("stopped within %v", time.Since(began))
	}
	running, _ := exec.Command("pgrep", "-f", "datadir="+data).Output()
	if len(running) > 0 {
		t.Errorf("still running: %s", running)
	}
}

func TestRenderCommand(t *testing.T) {
	dsn, data := dbtest.DSN(t), t.TempDir()
	env := []string{"BLENDSEAM_DSN=" + dsn}
	_, url := start(t, env, "demo", "--data", data)
	out := filepath.Join(t.TempDir(), "reel.wav")
	cmd := exec.Command(binary, "render", "1", out, "--data", data, "--bits", "24")
	cmd.Env = append(os.Environ(), env...)
	if said, err := cmd.CombinedOutput(); err != nil {
		t.Fatalf("%v\n%s", err, said)
	}
	got, err := os.ReadFile(out)
	if err != nil {
		t.Fatal(err)
	}
	res, err := http.Get(url + "/api/v1/reels/1/export?bits=24")
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	want, err := io.ReadAll(res.Body)
	if err != nil || len(want) != len(got) {
		t.Fatalf("%d and %d bytes, %v", len(got), len(want), err)
	}
	const head = 44 + 24 + 610 // the description and date in the header differ
	if string(got[head:]) != string(want[head:]) {
		t.Error("the command and the server render other samples")
	}
	for _, args := range [][]string{{"render", "x", out}, {"render", "99", out, "--data", data}, {"render", "1"}} {
		cmd := exec.Command(binary, args...)
		cmd.Env = append(os.Environ(), env...)
		if err := cmd.Run(); err == nil {
			t.Errorf("%v passed", args)
		}
	}
}
