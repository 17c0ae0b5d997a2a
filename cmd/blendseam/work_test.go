package main

import (
	"context"
	"encoding/json"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"blendseam/core/reel"
	"blendseam/dbserver/dbtest"
	"blendseam/outside"
	"blendseam/store"
)

// worker starts the command that works at jobs.
func worker(t *testing.T, env []string, data string) *exec.Cmd {
	t.Helper()
	cmd := exec.Command(binary, "work", "--data", data, "--workers", "1", "--lease", "1s")
	cmd.Env, cmd.Stderr = append(os.Environ(), env...), os.Stderr
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = cmd.Process.Kill(); _ = cmd.Wait() })
	return cmd
}

// A worker is killed with -9 in the middle of an export, and the server with it: the next
// worker does it, and the file is there once, whole and the same.
func TestWorkerKilled(t *testing.T) {
	ctx, dsn, data := context.Background(), dbtest.DSN(t), t.TempDir()
	env := []string{"BLENDSEAM_DSN=" + dsn}
	server, url := start(t, env, "demo", "--data", data, "--workers", "0")
	st, err := store.Open(ctx, dsn)
	if err != nil {
		t.Fatal(err)
	}
	defer st.Close()
	// Minutes of the reel, so that there is a middle.
	v, err := st.Load(ctx, 1)
	if err != nil {
		t.Fatal(err)
	}
	var ids []reel.ID
	for _, c := range v.Reel.Clips {
		ids = append(ids, c.ID)
	}
	for v.Reel.Length() < 3*60*48000 {
		x, err := v.Reel.CopyClips(ids)
		if err != nil {
			t.Fatal(err)
		}
		res, err := st.Do(ctx, 1, v.Revision, &reel.Paste{What: x, Track: v.Reel.Order()[0].ID, At: v.Reel.Length() + 48000})
		if err != nil {
			t.Fatal(err)
		}
		v = res.Version
		ids = append(ids, res.Outcome.Made...)
	}
	res, err := http.Post(url+"/api/v1/reels/1/exports", "application/json", strings.NewReader(`{"from":0,"to":-1,"bits":24,"channels":2,"file":"opus"}`))
	if err != nil || res.StatusCode != 201 {
		t.Fatal(res, err)
	}
	var made struct{ ID int64 }
	_ = json.NewDecoder(res.Body).Decode(&made)
	_ = res.Body.Close()
	until := func(is func(store.Job) bool) store.Job {
		t.Helper()
		var j store.Job
		for range 3000 {
			if j, err = st.Job(ctx, made.ID); err == nil && is(j) {
				return j
			}
			time.Sleep(20 * time.Millisecond)
		}
		t.Fatalf("waited in vain: %+v %v", j, err)
		return j
	}
	first := worker(t, env, data)
	until(func(j store.Job) bool { return j.Progress > 0.05 })
	_ = first.Process.Kill()
	_ = server.Process.Kill()
	_ = first.Wait()
	if j, _ := st.Job(ctx, made.ID); j.State != store.Working {
		t.Fatalf("there was no middle: %+v", j)
	}
	if _, err := os.Stat(filepath.Join(data, "exports", "1")); err == nil {
		t.Error("half a file lies in its place")
	}
	worker(t, env, data)
	j := until(func(j store.Job) bool { return j.State.Ended() })
	if j.State != store.Done || j.Tries != 2 {
		t.Fatalf("%+v", j)
	}
	_, url = start(t, env, "serve", "--data", data, "--workers", "0")
	res, err = http.Get(url + "/api/v1/jobs/1/file")
	if err != nil || res.StatusCode != 200 {
		t.Fatal(res, err)
	}
	f, err := os.Create(filepath.Join(t.TempDir(), "x.opus"))
	if err != nil {
		t.Fatal(err)
	}
	n, _ := io.Copy(f, res.Body)
	_ = f.Close()
	decoded := outside.FFmpeg(t, "-i", f.Name(), "-f", "f32le", "-ac", "1", "-ar", "48000", "pipe:1")
	if got, want := int64(len(decoded)/4), v.Reel.Length(); n != j.Bytes || got < want || got > want+960 {
		t.Errorf("%d bytes, %d samples for %d", n, got, want)
	}
	if parts, _ := filepath.Glob(filepath.Join(data, "exports", "1-*.part")); len(parts) > 1 {
		t.Errorf("%v", parts)
	}
}

// A server is killed with -9 while it takes a file in: the file has come whole, so the
// next server goes on with it, and it is in the reel once.
func TestServerKilledInAnImport(t *testing.T) {
	ctx, dsn, data := context.Background(), dbtest.DSN(t), t.TempDir()
	env := []string{"BLENDSEAM_DSN=" + dsn}
	server, url := start(t, env, "demo", "--data", data, "--lease", "1s")
	st, err := store.Open(ctx, dsn)
	if err != nil {
		t.Fatal(err)
	}
	defer st.Close()
	file := filepath.Join(t.TempDir(), "long.flac")
	outside.FFmpeg(t, "-f", "lavfi", "-i", "anoisesrc=d=400:r=44100:a=0.1:seed=5", "-ac", "1", "-sample_fmt", "s16", file)
	f, err := os.Open(file)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	before, err := st.Load(ctx, 1)
	if err != nil {
		t.Fatal(err)
	}
	res, err := http.Post(url+"/api/v1/reels/1/uploads?name=long.flac", "application/octet-stream", f)
	if err != nil || res.StatusCode != 202 {
		t.Fatal(res, err)
	}
	_ = res.Body.Close()
	until := func(is func(store.Job) bool) store.Job {
		t.Helper()
		var j store.Job
		for range 4000 {
			if j, err = st.Job(ctx, 1); err == nil && is(j) {
				return j
			}
			time.Sleep(20 * time.Millisecond)
		}
		t.Fatalf("waited in vain: %+v %v", j, err)
		return j
	}
	until(func(j store.Job) bool { return j.Progress > 0.05 })
	_ = server.Process.Kill()
	_ = server.Wait()
	if v, err := st.Load(ctx, 1); err != nil || len(v.Reel.Sources) != len(before.Reel.Sources) {
		t.Fatalf("there was no middle: %v", err)
	}
	start(t, env, "serve", "--data", data)
	j := until(func(j store.Job) bool { return j.State.Ended() })
	v, err := st.Load(ctx, 1)
	if err != nil || j.State != store.Done || j.Tries != 2 || len(v.Reel.Sources) != len(before.Reel.Sources)+1 {
		t.Fatalf("%+v, %d sources, %v", j, len(v.Reel.Sources), err)
	}
	src := v.Reel.Sources[len(v.Reel.Sources)-1]
	if src.Name != "long" || src.Length != 400*48000 {
		t.Errorf("%+v", src)
	}
}

// The disk of the exports is full in the middle of one: it has failed in plain words, and
// nothing of it is left; once there is room it is written.
func TestDiskFullInAnExport(t *testing.T) {
	ctx, dsn, data := context.Background(), dbtest.DSN(t), t.TempDir()
	env := []string{"BLENDSEAM_DSN=" + dsn}
	_, url := start(t, env, "demo", "--data", data, "--workers", "0")
	st, err := store.Open(ctx, dsn)
	if err != nil {
		t.Fatal(err)
	}
	defer st.Close()
	if out, err := exec.Command("unshare", "-rm", "mount", "-t", "tmpfs", "-o", "size=3m", "tmpfs", filepath.Join(data, "exports")).CombinedOutput(); err != nil {
		t.Skipf("no small disk can be made here: %s", out)
	}
	ask := func() int64 {
		t.Helper()
		res, err := http.Post(url+"/api/v1/reels/1/exports", "application/json", strings.NewReader(`{"from":0,"to":-1,"bits":24,"channels":2,"file":"wav"}`))
		if err != nil || res.StatusCode != 201 {
			t.Fatal(res, err)
		}
		defer res.Body.Close()
		var made struct{ ID int64 }
		_ = json.NewDecoder(res.Body).Decode(&made)
		return made.ID
	}
	// A worker that sees a disk of 3 MB there; what it leaves is told when it ends.
	script := `mount -t tmpfs -o size=3m tmpfs "$1/exports" && ("$0" work --data "$1" --workers 1 & p=$!; read line; kill -INT $p; wait $p; ls "$1/exports")`
	cmd := exec.Command("unshare", "-rm", "sh", "-c", script, binary, data)
	cmd.Env, cmd.Stderr = append(os.Environ(), env...), os.Stderr
	in, _ := cmd.StdinPipe()
	var left strings.Builder
	cmd.Stdout = &left
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	ended := func(id int64) (j store.Job) {
		t.Helper()
		for range 1500 {
			if j, err = st.Job(ctx, id); err == nil && j.State.Ended() {
				return j
			}
			time.Sleep(20 * time.Millisecond)
		}
		t.Fatalf("waited in vain: %+v", j)
		return j
	}
	if j := ended(ask()); j.State != store.Failed || !strings.Contains(j.Detail, "disk is full") || j.KeptUntil != nil {
		t.Errorf("%+v", j)
	}
	_, _ = in.Write([]byte("\n"))
	_ = cmd.Wait()
	if got := strings.TrimSpace(strings.ReplaceAll(left.String(), "Working at jobs. Press Ctrl-C to stop.", "")); got != "" {
		t.Errorf("left: %q", got)
	}
	worker(t, env, data)
	if j := ended(ask()); j.State != store.Done || j.Bytes < 20<<20 {
		t.Errorf("%+v", j)
	}
}
