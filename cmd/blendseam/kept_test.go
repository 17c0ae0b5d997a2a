package main

import (
	"context"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"blendseam/dbserver/dbtest"
	"blendseam/store"
)

// said runs the command and gives what it printed.
func said(t *testing.T, env []string, args ...string) (string, error) {
	t.Helper()
	cmd := exec.Command(binary, args...)
	cmd.Env = append(os.Environ(), env...)
	out, err := cmd.CombinedOutput()
	return string(out), err
}

// verify finds what is wrong with reels and recordings, and repairs what can
// be; it works beside a server that runs.
func TestVerify(t *testing.T) {
	data := t.TempDir()
	env := []string{"BLENDSEAM_DSN="}
	_, url := start(t, env, "demo", "--data", data)
	if out, err := said(t, env, "verify", "--data", data); err != nil || !strings.Contains(out, "4 reels and 16 recordings were checked") {
		t.Fatalf("%v\n%s", err, out)
	}
	var wrong []string
	for _, pattern := range []string{"*/*/48000/ch0.f32", "*/*/picture/frames"} {
		found, err := filepath.Glob(filepath.Join(data, "recordings", pattern))
		if err != nil || len(found) == 0 {
			t.Fatal(err)
		}
		b, err := os.ReadFile(found[0])
		if err != nil {
			t.Fatal(err)
		}
		b[len(b)/2] ^= 4
		if err := os.WriteFile(found[0], b, 0o600); err != nil {
			t.Fatal(err)
		}
		wrong = append(wrong, strings.Split(found[0], "/")[len(strings.Split(found[0], "/"))-3][:12])
	}
	out, err := said(t, env, "verify", "--data", data)
	if err == nil || !strings.Contains(out, wrong[0]) || !strings.Contains(out, wrong[1]) || !strings.Contains(out, "is not what was written") {
		t.Errorf("%v\n%s", err, out)
	}
	if out, err = said(t, env, "verify", "--data", data, "--repair"); err != nil || strings.Count(out, "Made again") != 2 {
		t.Errorf("%v\n%s", err, out)
	}
	if out, err = said(t, env, "verify", "--data", data); err != nil {
		t.Errorf("%v\n%s", err, out)
	}
	if out, err = said(t, env, "storage", "--data", data); err != nil || !strings.Contains(out, "Originals") || !strings.Contains(out, "16 recordings; 0 of them") {
		t.Errorf("%v\n%s", err, out)
	}
	if res, err := http.Get(url + "/reels/1"); err != nil || res.StatusCode != 200 {
		t.Error(err)
	}
	if out, err = said(t, env, "verify", "--data", t.TempDir()); err == nil || !strings.Contains(out, "there is no database") {
		t.Errorf("%v\n%s", err, out)
	}
}

// Removed reels go after their time, with the recordings that nothing else
// needs; what a reel, a version or a step needs stays.
func TestStorageClean(t *testing.T) {
	dsn, data := dbtest.DSN(t), t.TempDir()
	env := []string{"BLENDSEAM_DSN=" + dsn}
	cmd, url := start(t, env, "demo", "--data", data)
	for _, id := range []string{"1", "2", "3"} {
		if id == "2" {
			continue
		}
		req, _ := http.NewRequest("DELETE", url+"/api/v1/reels/"+id, nil)
		if res, err := http.DefaultClient.Do(req); err != nil || res.StatusCode != 204 {
			t.Fatal(err)
		}
	}
	_ = cmd.Process.Signal(os.Interrupt)
	_ = cmd.Wait()
	if out, err := said(t, env, "storage", "--data", data, "--clean"); err != nil || !strings.Contains(out, "0 recordings that nothing needs deleted") {
		t.Errorf("%v\n%s", err, out)
	}
	// A month later.
	ctx := context.Background()
	st, err := store.Open(ctx, dsn)
	if err != nil {
		t.Fatal(err)
	}
	defer st.Close()
	long := time.Now().AddDate(0, 0, -40)
	err = filepath.Walk(filepath.Join(data, "recordings"), func(path string, _ os.FileInfo, err error) error {
		if err == nil {
			err = os.Chtimes(path, long, long)
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	// With a day, what was removed a moment ago stays.
	if out, err := said(t, env, "storage", "--data", data, "--clean", "--keep-removed", "1"); err != nil || strings.Contains(out, "Deleted for good") {
		t.Errorf("%v\n%s", err, out)
	}
	gone, err := st.Purge(ctx, time.Now().Add(time.Hour))
	if err != nil || len(gone) != 2 {
		t.Fatal(gone, err)
	}
	out, err := said(t, env, "storage", "--data", data, "--clean", "--keep-removed", "1")
	if err != nil || !strings.Contains(out, "3 recordings that nothing needs deleted") {
		t.Errorf("%v\n%s", err, out)
	}
	if out, err := said(t, env, "verify", "--data", data); err != nil || !strings.Contains(out, "2 reels and 13 recordings") {
		t.Errorf("%v\n%s", err, out)
	}
	if _, url := start(t, env, "serve", "--data", data); url != "" {
		if res, err := http.Get(url + "/api/v1/reels/2/export?bits=24"); err != nil || res.StatusCode != 200 {
			t.Errorf("the reel that is left: %v", err)
		} else if n, err := io.Copy(io.Discard, res.Body); err != nil || n < 1<<20 {
			t.Errorf("%d bytes, %v", n, err)
		}
	}
}

// Other machines are let in only when that is asked for.
func TestOpenToTheNetwork(t *testing.T) {
	data := t.TempDir()
	for _, listen := range []string{"0.0.0.0:0", ":0", "[::]:0", "192.0.2.1:0", "example.org:0"} {
		out, err := said(t, []string{"BLENDSEAM_DSN="}, "serve", "--data", data, "--listen", listen)
		if err == nil || !strings.Contains(out, "--open-to-network") {
			t.Errorf("%s: %v %s", listen, err, out)
		}
	}
	if left, err := os.ReadDir(data); err != nil || len(left) > 0 {
		t.Errorf("something was begun: %v", left)
	}
}

// The private database is killed: it is started again, and work goes on.
func TestThePrivateDatabaseIsStartedAgain(t *testing.T) {
	data := t.TempDir()
	cmd, url := start(t, []string{"BLENDSEAM_DSN="}, "demo", "--data", data)
	for n := range 3 {
		pid, err := os.ReadFile(filepath.Join(data, "mariadb", "db.pid"))
		if err != nil {
			t.Fatal(err)
		}
		if out, err := exec.Command("kill", "-9", strings.TrimSpace(string(pid))).CombinedOutput(); err != nil {
			t.Fatal(err, string(out))
		}
		back := false
		for range 400 {
			status, err := post(url+"/api/v1/reels/1/edits", `{"base":1,"edit":{"do":"addMarker","with":{"at":`+strings.Repeat("7", n+2)+`,"text":"m"}}}`)
			if err != nil || status != 200 && status != 503 {
				t.Fatal(status, err)
			}
			if back = status == 200; back {
				break
			}
			time.Sleep(25 * time.Millisecond)
		}
		if !back {
			t.Fatal("it never came back")
		}
	}
	// And what the server was started with goes with it, though it is killed.
	_ = cmd.Process.Signal(syscall.SIGKILL)
	_ = cmd.Wait()
	_, url = start(t, []string{"BLENDSEAM_DSN="}, "demo", "--data", data)
	if res, err := http.Get(url + "/api/v1/reels/1"); err != nil || res.StatusCode != 200 {
		t.Error(err)
	}
}
