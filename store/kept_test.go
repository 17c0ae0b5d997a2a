package store

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"strconv"
	"testing"

	"blendseam/core/reel"
	"blendseam/core/reel/reeltest"
	"blendseam/dbserver/dbtest"
)

// times is n, or many times that in a long run: BLENDSEAM_TORTURE says how
// many.
func times(n int) int {
	if f, err := strconv.Atoi(os.Getenv("BLENDSEAM_TORTURE")); err == nil && f > 0 {
		return n * f
	}
	return n
}

// content is a reel without what is kept outside of the line of undo: how
// sources are called and listed, and which came since.
func content(r *reel.Reel, sources map[reel.ID]bool) string {
	out := *norm(r)
	out.Ties = append([]reel.Tie{}, r.Ties...)
	out.Sources = []reel.Source{}
	for _, s := range r.Sources {
		if sources[s.ID] {
			s.Name, s.Unlisted = "", false
			out.Sources = append(out.Sources, s)
		}
	}
	return text(&out)
}

// remembered is a state as it was answered, by a model that knows nothing of
// the journal.
type remembered struct {
	reel     *reel.Reel
	revision int64
}

func (m remembered) same(now *reel.Reel) bool {
	in := map[reel.ID]bool{}
	for _, s := range m.reel.Sources {
		in[s.ID] = true
	}
	return content(m.reel, in) == content(now, in)
}

// Edits of all kinds, undo, redo, going to any step and version, copies and the
// list of sources, by chance: after each, the tables read anew hold exactly
// what was answered, and what was answered is what a model remembers.
func TestTheTablesHoldWhatWasAnswered(t *testing.T) {
	ctx, dsn := context.Background(), dbtest.DSN(t)
	s, other := open(t, dsn), open(t, dsn)
	for seed := range uint64(times(6)) {
		rng := rand.New(rand.NewPCG(seed, 3))
		first := reeltest.Blank(3, 3, 1200)
		if seed%2 == 1 {
			first = reeltest.BlankPicture()
		} else {
			// Clips whose ids do not rise with their places, so that what follows
			// lies on both sides of what comes back.
			for _, i := range rng.Perm(16) {
				next, err := (&reel.Place{Source: 4, Track: 1, Start: int64(i) * 150, Offset: 500, Length: 150}).Apply(first)
				if err != nil {
					t.Fatal(err)
				}
				first = next.Reel
			}
		}
		id, err := s.Create(ctx, first)
		if err != nil {
			t.Fatal(err)
		}
		now := Result{Version: mustLoad(t, s, id)}
		// The model: the states along the line, and where one stands on it; every
		// state that a step led to, and every version.
		line, at := []remembered{{now.Reel, 0}}, 0
		all := map[int64]remembered{0: line[0]}
		versions := map[int64]remembered{}
		try := func(what string, r Result, err error) bool {
			t.Helper()
			var no *reel.Refusal
			if errors.As(err, &no) || errors.Is(err, ErrNothing) {
				return false
			}
			var bad *Unsound
			if errors.As(err, &bad) {
				t.Fatalf("seed %d revision %d: %s is not sound: %v", seed, now.Revision, what, err)
			}
			if err != nil {
				t.Fatalf("seed %d revision %d: %s: %v", seed, now.Revision, what, err)
			}
			read, err := other.Anew(ctx, id)
			if err != nil {
				t.Fatal(err)
			}
			if d := reel.Diff(r.Reel, read.Reel); !d.Empty() || read.Revision != r.Revision || read.Reel.NextID != r.Reel.NextID || read.Undo != r.Undo || read.Redo != r.Redo {
				t.Fatalf("seed %d revision %d: after %s the tables differ: %+v\n%d %d, %d %d, %q %q, %q %q", seed, r.Revision, what, d, read.Revision, r.Revision, read.Reel.NextID, r.Reel.NextID, read.Undo, r.Undo, read.Redo, r.Redo)
			}
			changed := r.Revision != now.Revision
			now = r
			return changed
		}
		is := func(what string, m remembered) {
			t.Helper()
			if !m.same(now.Reel) {
				t.Fatalf("seed %d revision %d: after %s the reel is\n%s\nnot\n%s", seed, now.Revision, what, text(now.Reel), text(m.reel))
			}
		}
		step := func() {
			line, at = append(line[:at+1], remembered{now.Reel, now.Revision}), at+1
			all[now.Revision] = line[at]
		}
		for n := range 140 {
			ctx := ctx
			if rng.IntN(2) == 0 {
				ctx = Once(ctx, fmt.Sprintf("%d-%d", seed, n))
			}
			switch k := rng.IntN(24); {
			case k < 13:
				e := reeltest.EditOrMerge(rng, now.Reel)
				r, err := s.Do(ctx, id, now.Revision, e)
				if try(fmt.Sprintf("%T", e), r, err) {
					step()
				}
			case k < 16:
				r, err := s.Undo(ctx, id, now.Revision)
				if try("undo", r, err) {
					at--
					is("undo", line[at])
				} else if at > 0 {
					t.Fatalf("seed %d: undo of %d: %v", seed, line[at].revision, err)
				}
			case k < 18:
				r, err := s.Redo(ctx, id, now.Revision)
				if try("redo", r, err) {
					at++
					is("redo", line[at])
				} else if at < len(line)-1 {
					t.Fatalf("seed %d: redo of %d: %v", seed, line[at+1].revision, err)
				}
			case k < 19: // a step of the line, or one that was dropped from it
				var to int64
				for revision := range all {
					if to = revision; rng.IntN(3) == 0 {
						break
					}
				}
				along := -1
				for i, m := range line {
					if m.revision == to {
						along = i
					}
				}
				r, err := s.GoTo(ctx, id, to)
				if try(fmt.Sprintf("going to %d", to), r, err) {
					is(fmt.Sprintf("going to %d", to), all[to])
					if along >= 0 {
						at = along
					} else {
						step()
					}
				}
			case k < 20:
				k, err := s.Keep(ctx, id, fmt.Sprint("v", n))
				if err != nil {
					t.Fatal(err)
				}
				versions[k.ID] = remembered{now.Reel, now.Revision}
			case k < 21:
				for v, m := range versions {
					r, err := s.GoToVersion(ctx, id, v)
					if try("going to a version", r, err) {
						is("going to a version", m)
						step()
					}
					made, err := s.OpenVersion(context.Background(), id, v)
					if err != nil {
						t.Fatalf("seed %d: opening a version: %v", seed, err)
					}
					read, err := other.Anew(ctx, made)
					if err != nil || len(read.Reel.Clips) != len(m.reel.Clips) || read.Reel.Check() != nil {
						t.Fatalf("seed %d: an opened version: %v %v", seed, err, read.Reel.Check())
					}
					break
				}
			case k < 22:
				r, err := s.Library(ctx, id, &reel.AddSource{Source: reel.Source{Recording: fmt.Sprint("lib", n), Name: fmt.Sprint("lib", n), Right: -1, Length: 500, StartTC: -1}})
				try("a new source", r, err)
			case k < 23:
				src := now.Reel.Sources[rng.IntN(len(now.Reel.Sources))]
				var e reel.Edit = &reel.SetSource{Source: src.ID, Name: fmt.Sprint("name ", n)}
				if rng.IntN(2) == 0 {
					e = &reel.RemoveSource{Source: src.ID}
				}
				r, err := s.Library(ctx, id, e)
				try(fmt.Sprintf("%T", e), r, err)
			default:
				made, err := s.Copy(ctx, id, "copy")
				if err != nil {
					t.Fatalf("seed %d: copy: %v", seed, err)
				}
				if read, err := other.Anew(ctx, made); err != nil || !onlyProps(reel.Diff(read.Reel, now.Reel)) {
					t.Fatalf("seed %d: the copy differs: %v", seed, err)
				}
			}
		}
		found, err := other.VerifyReel(ctx, id, false)
		if err != nil || len(found) > 0 {
			t.Fatalf("seed %d: %v %v", seed, found, err)
		}
		// Undo to the beginning and redo to the end, each state as it was.
		for ; at > 0; at-- {
			r, err := s.Undo(ctx, id, now.Revision)
			if !try("undo", r, err) {
				t.Fatalf("seed %d: undo: %v", seed, err)
			}
			is("undo to the beginning", line[at-1])
		}
		for ; at < len(line)-1; at++ {
			r, err := s.Redo(ctx, id, now.Revision)
			if !try("redo", r, err) {
				t.Fatalf("seed %d: redo: %v", seed, err)
			}
			is("redo to the end", line[at+1])
		}
	}
}

// A clip that a deletion took away, while others followed, comes back to its
// own place.
func TestUndoOfADeletionThatOthersFollow(t *testing.T) {
	ctx, dsn := context.Background(), dbtest.DSN(t)
	s := open(t, dsn)
	id := start(t, s, 12)
	// A clip whose id lies among those that follow.
	first, err := s.Do(ctx, id, 1, &reel.Move{Clips: []reel.ID{3, 4}, By: 20000})
	must(t, first, err)
	was := mustLoad(t, s, id)
	r, err := s.Do(ctx, id, was.Revision, &reel.RemoveSpan{From: 2000, To: 3000, Tracks: []reel.ID{1}, Later: reel.Follow})
	must(t, r, err)
	if len(r.Change.Shifts) == 0 {
		t.Fatal("nothing follows")
	}
	r, err = s.Undo(ctx, id, r.Revision)
	must(t, r, err)
	read := mustLoad(t, open(t, dsn), id)
	if d := reel.Diff(was.Reel, read.Reel); !d.Empty() {
		t.Errorf("after a restart it differs: %+v", d)
	}
	s = open(t, dsn)
	if r, err = s.Redo(ctx, id, Any); err != nil || len(r.Reel.Clips) != 11 {
		t.Errorf("redo after a restart: %v", err)
	}
}

// Room tone that a version holds sounds again when the version is gone to,
// though undo had taken its source away.
func TestAVersionKeepsItsRoomTone(t *testing.T) {
	ctx, dsn := context.Background(), dbtest.DSN(t)
	s := open(t, dsn)
	id := start(t, s, 2)
	r, err := s.Do(ctx, id, 1, &reel.LayTone{Track: 1, From: 5000, To: 9000, Tone: reel.Tone{Source: 2, From: 0, To: 48000, Seed: 1}})
	must(t, r, err)
	k, err := s.Keep(ctx, id, "with tone")
	if err != nil {
		t.Fatal(err)
	}
	undone, err := s.Undo(ctx, id, Any)
	must(t, undone, err)
	back, err := s.GoToVersion(ctx, id, k.ID)
	must(t, back, err)
	read := mustLoad(t, open(t, dsn), id)
	if err := read.Reel.Check(); err != nil || len(read.Reel.Sources) != 2 || len(read.Reel.Clips) != 3 {
		t.Errorf("%d sources, %d clips, %v", len(read.Reel.Sources), len(read.Reel.Clips), err)
	}
	if _, err := s.Copy(ctx, id, "copy"); err != nil {
		t.Error(err)
	}
	// The same by way of a step that was dropped from the line.
	undone, err = s.Undo(ctx, id, Any)
	must(t, undone, err)
	other, err := s.Do(ctx, id, undone.Revision, &reel.AddMarker{At: 5, Text: "here"})
	must(t, other, err)
	if back, err = s.GoTo(ctx, id, r.Revision); err != nil || back.Reel.Check() != nil || len(back.Reel.Clips) != 3 {
		t.Errorf("a dropped step: %v", err)
	}
}

// An edit whose result breaks a rule of the document is not written.
func TestWhatIsNotSoundIsNotWritten(t *testing.T) {
	ctx := context.Background()
	s := open(t, dbtest.DSN(t))
	id := start(t, s, 2)
	var bad *Unsound
	if _, err := s.Do(ctx, id, 1, broken{}); !errors.As(err, &bad) {
		t.Fatalf("it was written: %v", err)
	}
	if v := mustLoad(t, s, id); v.Revision != 1 || v.Reel.Check() != nil {
		t.Errorf("revision %d", v.Revision)
	}
	// The tables refuse it too.
	for _, query := range []string{
		"DELETE FROM sources WHERE reel_id = ?", "DELETE FROM tracks WHERE reel_id = ?", "UPDATE clips SET source = 999 WHERE reel_id = ?",
		"INSERT INTO blends (reel_id, id, left_clip, right_clip, before_cut, after_cut, law, lean) VALUES (?, 90, 3, 99, 1, 1, 'constantPower', 0.5)",
		"INSERT INTO fades (reel_id, clip, side, length, shape, bend) VALUES (?, 99, 'head', 1, 'linear', 0.5)",
		"INSERT INTO swatches (reel_id, id, name, source, from_sample, to_sample) VALUES (?, 91, 'x', 99, 0, 1)",
		"INSERT INTO ties (reel_id, id, shot, clip, sync) VALUES (?, 92, 3, 99, 0)",
	} {
		if _, err := s.db.ExecContext(ctx, query, id); err == nil {
			t.Errorf("the tables took %s", query)
		}
	}
}

// broken is an edit that leaves a clip without its source.
type broken struct{}

func (broken) Names() []reel.ID { return nil }
func (broken) Apply(r *reel.Reel) (*reel.Done, error) {
	out := *r
	out.Sources = nil
	return &reel.Done{Reel: &out, Outcome: reel.Outcome{Label: "break"}}, nil
}

func onlyProps(c reel.Change) bool {
	c.Props = nil
	return c.Empty()
}
