package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"blendseam/core/reel"
	"blendseam/dbserver"
	"blendseam/dbserver/dbtest"
)

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
