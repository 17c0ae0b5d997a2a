package store

import (
	"context"
	"database/sql"
	"encoding/json"
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
	"blendseam/dbserver/dbtest"
)

// newest is the last migration.
const newest = 8

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
	if version >= newest {
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
	for version := int64(0); version < newest; version++ {
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
		version := int64(n) % newest
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
