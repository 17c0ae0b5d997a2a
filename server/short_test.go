package server

import (
	"context"
	"database/sql"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"testing"
	"time"

	"blendseam/dbserver"
	"blendseam/media"
	"blendseam/outside"
	"blendseam/store"
	"blendseam/work"
)

// A helper that hangs over one file holds no other, and is ended with the
// import that it belongs to.
func TestOneImportThatHangsHoldsNoOther(t *testing.T) {
	r := newRig(t)
	dir := t.TempDir()
	mp3 := filepath.Join(dir, "a.mp3")
	outside.FFmpeg(t, "-f", "lavfi", "-i", "sine=220:r=48000:d=2", mp3)
	good, err := os.ReadFile(mp3)
	if err != nil {
		t.Fatal(err)
	}
	for _, program := range []string{"ffprobe", "ffmpeg"} {
		real, err := exec.LookPath(program)
		if err != nil {
			t.Fatal(err)
		}
		// It hangs over files that are longer than the good one.
		script := fmt.Sprintf("#!/bin/sh\nfor a; do case \"$a\" in file:*) f=\"${a#file:}\";; esac; done\n[ \"$(wc -c < \"$f\")\" -gt %d ] && sleep 1000\nexec %s \"$@\"\n", len(good), real)
		if err := os.WriteFile(filepath.Join(dir, program), []byte(script), 0o755); err != nil {
			t.Fatal(err)
		}
	}
	t.Setenv("PATH", dir+":"+os.Getenv("PATH"))
	begin := func(name string, file []byte) work.Incoming {
		t.Helper()
		status, j := r.post(name, file)
		if status != 202 {
			t.Fatalf("%s: %d", name, status)
		}
		return j
	}
	var hung []work.Incoming
	for i := range 3 {
		hung = append(hung, begin(fmt.Sprintf("hangs %d.mp3", i), append(good[:len(good):len(good)], make([]byte, 10+i)...)))
	}
	began := time.Now()
	if status, j := r.upload("good.mp3", good); status != 202 || j.State != "done" {
		t.Errorf("beside those that hang: %d %+v", status, j)
	}
	if took := time.Since(began); took > 15*time.Second {
		t.Errorf("it waited %v for those that hang", took)
	}
	for _, j := range hung {
		r.api(204, "DELETE", "/reels/1/imports/"+j.ID, nil, nil)
	}
	for _, j := range hung {
		for range 300 {
			all := r.imports(1)
			if i := slices.IndexFunc(all, func(o work.Incoming) bool { return o.ID == j.ID }); i >= 0 && all[i].State == "cancelled" {
				break
			}
			time.Sleep(20 * time.Millisecond)
		}
		if got := r.imports(1); got[0].State != "cancelled" {
			t.Errorf("%+v", got[0])
		}
	}
	for range 100 {
		if left, _ := exec.Command("pgrep", "-f", "sleep 1000").Output(); len(left) == 0 {
			return
		}
		time.Sleep(20 * time.Millisecond)
	}
	t.Error("a helper of a helper still runs")
}

// post sends a file and does not wait for its import.
func (r *rig) post(name string, file []byte) (int, work.Incoming) {
	r.t.Helper()
	res, b := r.request("POST", "/api/v1/reels/1/uploads?name="+strings.ReplaceAll(name, " ", "%20"), file, nil)
	for _, j := range r.imports(1) {
		if j.Name == name {
			return res.StatusCode, j
		}
	}
	r.t.Logf("%s", b)
	return res.StatusCode, work.Incoming{}
}

// What the server is short of is said on every page at once, with what helps.
func TestNotices(t *testing.T) {
	srv, err := dbserver.Start(context.Background(), t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	defer srv.Stop()
	st, err := store.Open(context.Background(), srv.DSN("x"))
	if err != nil {
		t.Fatal(err)
	}
	defer st.Close()
	library, err := media.OpenLibrary(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	defer library.Close()
	page := func() string {
		t.Helper()
		s, err := New(Config{Store: st, Library: library, Log: slog.New(slog.NewTextHandler(io.Discard, nil)), Open: true})
		if err != nil {
			t.Fatal(err)
		}
		defer s.Close()
		web := httptest.NewServer(s.Handler())
		defer web.Close()
		res, err := http.Get(web.URL + "/")
		if err != nil {
			t.Fatal(err)
		}
		defer res.Body.Close()
		b, _ := io.ReadAll(res.Body)
		return string(b)
	}
	if text := page(); !strings.Contains(text, "Anyone who can reach this address") || strings.Contains(text, "ffmpeg") || strings.Contains(text, "innodb") {
		t.Errorf("all is well: %s", text)
	}
	db, err := sql.Open("mysql", srv.DSN("x"))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	if _, err := db.Exec("SET GLOBAL innodb_flush_log_at_trx_commit = 2"); err != nil {
		t.Fatal(err)
	}
	t.Setenv("PATH", t.TempDir())
	if text := page(); !strings.Contains(text, "innodb_flush_log_at_trx_commit is 2") || !strings.Contains(text, "apt-get install ffmpeg") {
		t.Errorf("it says %s", text)
	}
}

// A database whose disk is full takes nothing and says so; when there is room
// again, work goes on and nothing is lost. The disk is a small one of its own,
// which only root can make.
func TestTheDiskIsFull(t *testing.T) {
	dir := t.TempDir()
	if err := syscall.Mount("tmpfs", dir, "tmpfs", 0, "size=220m"); err != nil {
		t.Skipf("no small disk can be made here: %v", err)
	}
	defer func() { _ = syscall.Unmount(dir, syscall.MNT_DETACH) }()
	srv, err := dbserver.Start(context.Background(), filepath.Join(dir, "db"))
	if err != nil {
		t.Fatal(err)
	}
	defer srv.Stop()
	srv.Watch(func(string) {})
	r := rigOn(t, srv.DSN("x"))
	v := r.reel(1)
	revision, marks, full := v.Revision, len(v.Reel.Markers), false
	long := strings.Repeat("x", 190)
	write := func(n int) int {
		var edits []string
		for i := range 400 {
			edits = append(edits, fmt.Sprintf(`{"do":"addMarker","with":{"at":%d,"text":"%s%d"}}`, n*400+i+1, long, i))
		}
		res, b := r.request("POST", "/api/v1/reels/1/edits", []byte(fmt.Sprintf(`{"base":%d,"edit":{"do":"together","with":{"label":"m","edits":[%s]}}}`, revision, strings.Join(edits, ","))), keyed(fmt.Sprint("full", n)))
		switch res.StatusCode {
		case 200:
			revision++
			marks += 400
		case 507, 503:
			full = full || res.StatusCode == 507
		default:
			t.Fatalf("%d %s", res.StatusCode, b)
		}
		return res.StatusCode
	}
	if write(0) != 200 {
		t.Fatal("it does not begin")
	}
	fill, err := os.Create(filepath.Join(dir, "fill"))
	if err != nil {
		t.Fatal(err)
	}
	for chunk := make([]byte, 1<<16); ; {
		if _, err := fill.Write(chunk); err != nil {
			break
		}
	}
	fill.Close()
	refused := 0
	for n := 1; n < 150 && refused < 12; n++ {
		if write(n) != 200 {
			refused++
		}
	}
	if refused == 0 {
		t.Skip("the database had room enough set aside")
	}
	t.Logf("%d steps were saved, then %d refused; told as a full disk: %v", revision-v.Revision, refused, full)
	if err := os.Remove(fill.Name()); err != nil {
		t.Fatal(err)
	}
	for n := range 400 {
		if res, _ := r.request("GET", "/api/v1/health", nil, nil); res.StatusCode == 200 && write(200+n) == 200 {
			break
		}
		time.Sleep(50 * time.Millisecond)
	}
	now := r.reel(1)
	if now.Revision != revision || len(now.Reel.Markers) != marks {
		t.Errorf("revision %d with %d markers; acknowledged were %d with %d", now.Revision, len(now.Reel.Markers), revision, marks)
	}
	if found, err := r.store.VerifyReel(context.Background(), 1, false); err != nil || len(found) > 0 {
		t.Error(found, err)
	}
}
