package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/go-sql-driver/mysql"

	"blendseam/core/reel"
	"blendseam/dbserver"
	"blendseam/dbserver/dbtest"
)

// plain opens a database as it is, which is made when it is missing.
func plain(t testing.TB, dsn string) *sql.DB {
	t.Helper()
	cfg, err := mysql.ParseDSN(dsn)
	if err != nil {
		t.Fatal(err)
	}
	if err := createDatabase(context.Background(), cfg); err != nil {
		t.Fatal(err)
	}
	cfg.ParseTime = true
	db, err := connect(cfg, 4)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { db.Close() })
	return db
}

// earlier makes a database as a version of the tables had it, with a reel of
// three clips, the first and second blended.
func earlier(t testing.TB, dsn string, version int64) {
	t.Helper()
	ctx, db := context.Background(), plain(t, dsn)
	p, err := migrator(db)
	if err != nil {
		t.Fatal(err)
	}
	if version == 0 {
		return
	}
	if _, err := p.UpTo(ctx, version); err != nil {
		t.Fatal(err)
	}
	if version >= keysVersion {
		t.Fatal("that is no earlier version")
	}
	statements := []string{
		"INSERT INTO reels (id, name, sample_rate, fps_num, fps_den, fps_drop, start_frame, next_id, revision, made_at, changed_at) VALUES (1, 'old', 48000, 25, 1, 0, 0, 8, 1, NOW(3), NOW(3))",
		"INSERT INTO tracks (reel_id, id, name, role, place, gain_db, pan, mute, solo) VALUES (1, 1, 'Warden', 'dialogue', 0, 0, 0, 0, 0)",
		"INSERT INTO sources (reel_id, id, recording, name, ch_left, ch_right, length, start_tc, unlisted) VALUES (1, 2, 'aa', 'take', 0, -1, 90000, -1, 0)",
		"INSERT INTO clips (reel_id, id, track, source, name, start, source_offset, length, gain_db) VALUES (1, 3, 1, 2, 'a', 0, 500, 1000, 0), (1, 4, 1, 2, 'b', 1000, 3000, 1000, 0), (1, 5, 1, 2, 'c', 2000, 7000, 1000, 0)",
		"INSERT INTO fades (reel_id, clip, side, length, shape, bend) VALUES (1, 3, 'head', 50, 'constantGain', 0.5)",
		"INSERT INTO blends (reel_id, id, left_clip, right_clip, before_cut, after_cut, law, lean) VALUES (1, 6, 3, 4, 100, 100, 'constantPower', 0.5)",
	}
	if version >= 6 {
		statements = append(statements, "UPDATE reels SET uid = 'known'")
	}
	doc := oldReel()
	whole, _ := json.Marshal(reel.Diff(&reel.Reel{Props: doc.Props}, doc))
	for _, q := range statements {
		if _, err := db.ExecContext(ctx, q); err != nil {
			t.Fatalf("version %d: %s: %v", version, q, err)
		}
	}
	if _, err := db.ExecContext(ctx, "INSERT INTO journal (reel_id, revision, kind, state, label, change_json, made_at) VALUES (1, 1, 'library', 'done', 'make the reel', ?, NOW(3))", whole); err != nil {
		t.Fatal(err)
	}
}

// oldReel is what earlier puts into the tables.
func oldReel() *reel.Reel {
	doc := &reel.Reel{NextID: 8, Props: reel.Props{Name: "old", SampleRate: 48000}}
	doc.Props.FrameRate.Num, doc.Props.FrameRate.Den = 25, 1
	doc.Tracks = []reel.Track{{ID: 1, Name: "Warden", Role: reel.Dialogue}}
	doc.Sources = []reel.Source{{ID: 2, Recording: "aa", Name: "take", Right: -1, Length: 90000, StartTC: -1}}
	for i, name := range []string{"a", "b", "c"} {
		doc.Clips = append(doc.Clips, reel.Clip{ID: reel.ID(3 + i), Track: 1, Source: 2, Name: name, Start: int64(i) * 1000, Offset: []int64{500, 3000, 7000}[i], Length: 1000, FadeIn: reel.NoFade, FadeOut: reel.NoFade})
	}
	doc.Clips[0].FadeIn = reel.Fade{Length: 50, Shape: "constantGain", Bend: 0.5}
	doc.Blends = []reel.Blend{{ID: 6, Left: 3, Right: 4, Before: 100, After: 100, Law: "constantPower", Lean: 0.5}}
	return doc
}

// layout is all tables of a database as they are defined.
func layout(t testing.TB, db *sql.DB) string {
	t.Helper()
	found, err := db.Query("SELECT CONCAT(TABLE_NAME, '.', COLUMN_NAME, ' ', COLUMN_TYPE, ' ', IS_NULLABLE) FROM information_schema.COLUMNS WHERE TABLE_SCHEMA = DATABASE() UNION SELECT CONCAT(TABLE_NAME, ' ', CONSTRAINT_NAME, ' ', CONSTRAINT_TYPE) FROM information_schema.TABLE_CONSTRAINTS WHERE CONSTRAINT_SCHEMA = DATABASE()")
	if err != nil {
		t.Fatal(err)
	}
	defer found.Close()
	var out []string
	for found.Next() {
		var one string
		if err := found.Scan(&one); err != nil {
			t.Fatal(err)
		}
		out = append(out, one)
	}
	slices.Sort(out)
	return strings.Join(out, "\n")
}

// A start that is cut off anywhere, from every earlier form of the tables, is
// taken up again by the next, which leaves the same tables and the same reel.
func TestMigrationsCanBeCutOffAnywhere(t *testing.T) {
	ctx := context.Background()
	want := ""
	rng := rand.New(rand.NewPCG(1, 2))
	for version := int64(0); version < keysVersion; version++ {
		for cut := 1 + rng.IntN(6); ; cut += 1 + rng.IntN(max(1, 24/times(1))) {
			dsn := dbtest.DSN(t)
			earlier(t, dsn, version)
			line, through := dbtest.NewLine(t, dsn)
			n := 0
			line.Heed(func(p []byte) dbtest.Fate {
				if n++; n == cut {
					if cut%2 == 0 {
						return dbtest.CutAfter
					}
					return dbtest.CutAllNext
				}
				if n > cut {
					return dbtest.CutBefore
				}
				return dbtest.Pass
			})
			s, err := Open(ctx, through)
			if err == nil {
				s.Close()
			}
			whole := n < cut
			s, err = Open(ctx, dsn)
			if err != nil {
				t.Fatalf("from version %d, cut off after %d packets: %v", version, cut, err)
			}
			if got := layout(t, s.db); want == "" {
				want = got
			} else if got != want {
				t.Fatalf("from version %d, cut off after %d packets, the tables are\n%s\nnot\n%s", version, cut, got, want)
			}
			if version > 0 {
				v, err := s.Load(ctx, 1)
				if err != nil || !reel.Diff(v.Reel, oldReel()).Empty() || v.UID == "" {
					t.Fatalf("from version %d the reel is %+v, %v", version, v.Reel, err)
				}
				found, err := s.VerifyReel(ctx, 1, false)
				if err != nil || len(found) > 0 {
					t.Fatalf("from version %d: %v %v", version, found, err)
				}
				if r, err := s.Do(ctx, 1, 1, &reel.Remove{Clips: []reel.ID{4}}); err != nil || len(r.Reel.Blends) != 0 {
					t.Fatal(err)
				}
			}
			_, _ = s.db.Exec("DROP DATABASE " + strings.Split(strings.Split(dsn, "/")[1], "?")[0])
			s.Close()
			if whole {
				t.Logf("from version %d: %d packets", version, n)
				break
			}
		}
	}
}

// Servers that are started at once on an empty database all come up.
func TestServersStartedAtOnce(t *testing.T) {
	for range times(2) {
		dsn := dbtest.DSN(t)
		var wg sync.WaitGroup
		for range 4 {
			wg.Add(1)
			go func() {
				defer wg.Done()
				s, err := Open(context.Background(), dsn)
				if err != nil {
					t.Error(err)
					return
				}
				defer s.Close()
				if _, err := s.Create(context.Background(), oldReel()); err != nil {
					t.Error(err)
				}
			}()
		}
		wg.Wait()
		s := open(t, dsn)
		if list, err := s.Shelf(context.Background(), false); err != nil || len(list) != 4 {
			t.Errorf("%d reels, %v", len(list), err)
		}
	}
}

// damaged is a reel that earlier versions of this program have written wrong.
func damaged(t *testing.T, s *Store, how string) (id int64, want *reel.Reel) {
	t.Helper()
	ctx := context.Background()
	id = start(t, s, 8)
	r, err := s.Do(ctx, id, 1, &reel.LayTone{Track: 1, From: 20000, To: 24000, Tone: reel.Tone{Source: 2, From: 0, To: 48000, Seed: 1}})
	must(t, r, err)
	exec := func(query string, args ...any) {
		t.Helper()
		conn, err := s.db.Conn(ctx)
		if err != nil {
			t.Fatal(err)
		}
		defer conn.Close()
		for _, q := range []string{"SET foreign_key_checks = 0"} {
			if _, err := conn.ExecContext(ctx, q); err != nil {
				t.Fatal(err)
			}
		}
		if _, err := conn.ExecContext(ctx, query, args...); err != nil {
			t.Fatal(err)
		}
		_, _ = conn.ExecContext(ctx, "SET foreign_key_checks = 1")
	}
	tone := r.Reel.Sources[1]
	switch how {
	case "a clip stands late": // an undo moved what it had brought back
		exec("UPDATE clips SET start = start + 316800 WHERE reel_id = ? AND id = 5", id)
		return id, r.Reel
	case "and was edited on":
		exec("UPDATE clips SET start = start + 316800 WHERE reel_id = ? AND id = 5", id)
		s = again(t, s)
		g := -3.0
		now := mustLoad(t, s, id)
		next, err := s.Do(ctx, id, now.Revision, &reel.SetClip{Clip: 5, GainDB: &g})
		must(t, next, err)
		return id, next.Reel // as it was seen when it was edited last
	case "a source is lost": // a version was gone to; the journal says so too
		lost := reel.Change{Sources: []reel.Pair[reel.Source]{{Before: &tone}}}
		text, _ := json.Marshal(lost)
		exec("DELETE FROM sources WHERE reel_id = ? AND id = ?", id, tone.ID)
		exec("INSERT INTO journal (reel_id, revision, kind, state, label, change_json, made_at) VALUES (?, 3, 'step', 'done', 'back to version', ?, NOW(3))", id, text)
		exec("UPDATE reels SET revision = 3 WHERE id = ?", id)
		return id, r.Reel
	case "rows are gone":
		exec("DELETE FROM clips WHERE reel_id = ? AND id IN (6, 7)", id)
		return id, r.Reel
	case "a blend hangs in the air":
		exec("INSERT INTO blends (reel_id, id, left_clip, right_clip, before_cut, after_cut, law, lean) VALUES (?, 900, 3, 99, 1, 1, 'constantPower', 0.5)", id)
		return id, r.Reel
	}
	t.Fatal(how)
	return 0, nil
}

func again(t *testing.T, s *Store) *Store {
	t.Helper()
	return &Store{db: s.db, cache: map[int64]*slot{}}
}

// A reel that earlier versions damaged is found, and mended from its journal.
func TestDamageIsFoundAndMended(t *testing.T) {
	ctx := context.Background()
	for _, how := range []string{"a clip stands late", "and was edited on", "a source is lost", "rows are gone", "a blend hangs in the air"} {
		dsn := dbtest.DSN(t)
		s := open(t, dsn)
		sound := start(t, s, 3)
		id, want := damaged(t, s, how)
		s = again(t, s)
		found, err := s.VerifyReel(ctx, id, false)
		if err != nil || len(found) == 0 || found[0].Mended {
			t.Errorf("%s: %v %v", how, found, err)
		}
		// At the next start after an upgrade, all reels are looked through.
		if _, err := s.db.Exec("DELETE FROM tasks"); err != nil {
			t.Fatal(err)
		}
		s = open(t, dsn)
		v := mustLoad(t, s, id)
		if err := v.Reel.Check(); err != nil {
			t.Errorf("%s: mended it is not sound: %v", how, err)
		}
		if d := reel.Diff(want, v.Reel); !d.Empty() {
			t.Errorf("%s: mended it differs in %s", how, inWords(d))
		}
		for _, one := range []int64{id, sound} {
			if found, err := s.VerifyReel(ctx, one, false); err != nil || len(found) > 0 {
				t.Errorf("%s: after mending: %v %v", how, found, err)
			}
		}
		if v := mustLoad(t, s, sound); v.Revision != 1 {
			t.Errorf("%s: a sound reel was touched", how)
		}
		// It can be worked on, undone as far as that goes, and copied.
		r, err := s.Do(ctx, id, v.Revision, &reel.AddMarker{At: 3, Text: "on"})
		must(t, r, err)
		for n := 0; ; n++ {
			_, err := s.Undo(ctx, id, Any)
			if errors.Is(err, ErrNothing) && n > 0 {
				break
			}
			if err != nil || n > 9 {
				t.Errorf("%s: undo: %v", how, err)
				break
			}
		}
		if _, err := s.Copy(ctx, id, "copy"); err != nil {
			t.Errorf("%s: %v", how, err)
		}
	}
}

// A change and a version that are longer than a packet are kept in parts.
func TestLongTexts(t *testing.T) {
	was := partBytes
	partBytes = 1000
	defer func() { partBytes = was }()
	ctx, dsn := context.Background(), dbtest.DSN(t)
	s := open(t, dsn)
	id := start(t, s, 60)
	edits := &reel.Together{Label: "names"}
	for i := range 60 {
		name := fmt.Sprintf("%d 長い名前", i)
		edits.Edits = append(edits.Edits, &reel.SetClip{Clip: reel.ID(3 + i), Name: &name})
	}
	r, err := s.Do(Once(ctx, "long"), id, 1, edits)
	must(t, r, err)
	k, err := s.Keep(ctx, id, "long")
	if err != nil {
		t.Fatal(err)
	}
	var n, m int
	if err := s.db.QueryRow("SELECT (SELECT COUNT(*) FROM journal_parts), (SELECT COUNT(*) FROM version_parts)").Scan(&n, &m); err != nil || n < 10 || m < 10 {
		t.Fatalf("%d and %d parts, %v", n, m, err)
	}
	s = open(t, dsn)
	if again, err := s.Do(Once(ctx, "long"), id, 1, edits); err != nil || len(again.Change.Clips) != 60 {
		t.Errorf("again: %v", err)
	}
	if since, err := s.Since(ctx, id, 1); err != nil || len(since) != 1 || len(since[0].Change.Clips) != 60 {
		t.Errorf("since: %v", err)
	}
	undone, err := s.Undo(ctx, id, Any)
	if must(t, undone, err); undone.Reel.Clips[0].Name == r.Reel.Clips[0].Name {
		t.Error("undo did nothing")
	}
	back, err := s.GoToVersion(ctx, id, k.ID)
	if must(t, back, err); !reel.Diff(back.Reel, r.Reel).Empty() {
		t.Error("the version differs")
	}
	if found, err := s.VerifyReel(ctx, id, false); err != nil || len(found) > 0 {
		t.Error(found, err)
	}
}

// TestOpenAlone is not a test: it is what TestMigrationsKilled runs and kills.
func TestOpenAlone(t *testing.T) {
	dsn := os.Getenv("SEAM_OPEN")
	if dsn == "" {
		t.Skip("runs in a process of its own")
	}
	s, err := Open(context.Background(), dsn)
	if err != nil {
		t.Fatal(err)
	}
	s.Close()
}

// Processes that open a database of any earlier form, one or two at a time, are
// killed at random moments, again and again; the next to open it always comes
// to the same tables and the same reel.
func TestMigrationsKilled(t *testing.T) {
	rng := rand.New(rand.NewPCG(4, 4))
	ctx, want, kills := context.Background(), "", 0
	for n := range times(10) {
		version := int64(n) % keysVersion
		dsn := dbtest.DSN(t)
		earlier(t, dsn, version)
		for range 1 + rng.IntN(3) {
			var started []*exec.Cmd
			for range 1 + rng.IntN(2) {
				cmd := exec.Command(os.Args[0], "-test.run=^TestOpenAlone$")
				cmd.Env = append(os.Environ(), "SEAM_OPEN="+dsn, dbtest.Env+"="+dsn)
				if err := cmd.Start(); err != nil {
					t.Fatal(err)
				}
				started = append(started, cmd)
			}
			time.Sleep(time.Duration(5+rng.IntN(150)) * time.Millisecond)
			for _, cmd := range started {
				_ = cmd.Process.Kill()
				if err := cmd.Wait(); err != nil {
					kills++
				}
			}
		}
		s, err := Open(ctx, dsn)
		if err != nil {
			t.Fatalf("from version %d: %v", version, err)
		}
		if got := layout(t, s.db); want == "" {
			want = got
		} else if got != want {
			t.Fatalf("from version %d the tables are\n%s\nnot\n%s", version, got, want)
		}
		if version > 0 {
			v, err := s.Load(ctx, 1)
			if err != nil || !reel.Diff(v.Reel, oldReel()).Empty() {
				t.Fatalf("from version %d the reel is %+v, %v", version, v.Reel, err)
			}
		}
		_, _ = s.db.Exec("DROP DATABASE " + strings.Split(strings.Split(dsn, "/")[1], "?")[0])
		s.Close()
	}
	t.Logf("%d kills", kills)
}

// An edit list of 49,000 events is taken by a database that takes a megabyte
// at once, and can be undone, kept as a version and gone back to.
func TestALongListThroughASmallPacket(t *testing.T) {
	ctx := context.Background()
	srv, err := dbserver.Start(ctx, t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	defer srv.Stop()
	if _, err := plain(t, srv.DSN("x")).ExecContext(ctx, "SET GLOBAL max_allowed_packet = 1048576"); err != nil {
		t.Fatal(err)
	}
	s := open(t, srv.DSN("x"))
	facts, err := s.Facts(ctx)
	if err != nil || facts.Packet != 1<<20 || facts.FlushAtCommit != 1 {
		t.Fatal(facts, err)
	}
	id := start(t, s, 1)
	list := reel.Assembly{Tracks: []reel.NewTrack{{Name: "A", Role: reel.Dialogue}}, Sources: []reel.Source{{Name: "card", Right: -1, Length: 24 * 3600 * 48000}}}
	const n = 49_000
	for i := range int64(n) {
		list.Clips = append(list.Clips, reel.LaidClip{Clip: reel.Clip{Name: fmt.Sprintf("event %d %s", i, strings.Repeat("x", 60)), Start: i * 1000, Offset: i * 1000, Length: 1000, FadeIn: reel.NoFade, FadeOut: reel.NoFade}})
	}
	began := time.Now()
	r, err := s.Do(ctx, id, 1, &reel.Assemble{Name: "long", What: list})
	if must(t, r, err); len(r.Reel.Clips) != n+1 {
		t.Fatalf("%d clips", len(r.Reel.Clips))
	}
	t.Logf("%d events were saved within %v", n, time.Since(began))
	k, err := s.Keep(ctx, id, "long")
	if err != nil {
		t.Fatal(err)
	}
	undone, err := s.Undo(ctx, id, r.Revision)
	must(t, undone, err)
	back, err := s.GoToVersion(ctx, id, k.ID)
	if must(t, back, err); len(back.Reel.Clips) != n+1 {
		t.Errorf("%d clips came back", len(back.Reel.Clips))
	}
	read, err := s.Anew(ctx, id)
	if err != nil || !reel.Diff(read.Reel, r.Reel).Empty() {
		t.Errorf("the tables differ: %v", err)
	}
}
