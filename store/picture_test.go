package store

import (
	"context"
	"testing"

	"blendseam/core/reel"
	"blendseam/core/timecode"
	"blendseam/dbserver/dbtest"
)

// Pictures, cards and ties are in the tables as they are in the document,
// through undo, and read by another process; so is what is known of a film.
func TestPicturesAndTiesAreKept(t *testing.T) {
	ctx, dsn := context.Background(), dbtest.DSN(t)
	s := open(t, dsn)
	rate := timecode.Rate2997Drop
	doc, err := reel.New(reel.Props{Name: "seen", SampleRate: 48000, FrameRate: rate}, []reel.AddTrack{{Name: "P", Role: reel.PictureRole}, {Name: "D", Role: reel.Dialogue}})
	if err != nil {
		t.Fatal(err)
	}
	id, err := s.Create(ctx, doc)
	if err != nil {
		t.Fatal(err)
	}
	var states []string
	keep := func(res Result, err error) reel.ID {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
		fresh, err := open(t, dsn).Load(ctx, id)
		if err != nil {
			t.Fatal(err)
		}
		if got, want := text(norm(fresh.Reel)), text(norm(res.Reel)); got != want {
			t.Fatalf("the tables say\n%s\nnot\n%s", got, want)
		}
		states = append(states, text(norm(res.Reel)))
		if len(res.Outcome.Made) > 0 {
			return res.Outcome.Made[0]
		}
		return 0
	}
	pic := keep(s.Library(ctx, id, &reel.AddSource{Source: reel.Source{Recording: "p", Name: "camera", Tape: "A007", Left: -1, Right: -1, StartTC: 4800, Picture: reel.Picture{Rate: rate, Frames: 900, Width: 480, Height: 270}}}))
	snd := keep(s.Library(ctx, id, &reel.AddSource{Source: reel.Source{Recording: "s", Name: "take", Right: -1, StartTC: 4800, Length: 1 << 21}}))
	do := func(e reel.Edit) reel.ID {
		t.Helper()
		v, err := s.Load(ctx, id)
		if err != nil {
			t.Fatal(err)
		}
		return keep(s.Do(ctx, id, v.Revision, e))
	}
	first := len(states)
	a := do(&reel.LayShot{Picture: pic, Track: 1, Length: rate.Sample(90, 48000), Sounds: []reel.LaySound{{Source: snd, Track: 2}}})
	do(&reel.LayShot{Picture: pic, Track: 1, Start: rate.Sample(90, 48000), Offset: rate.Sample(400, 48000), Length: rate.Sample(50, 48000), Sounds: []reel.LaySound{{Source: snd, Track: 2}}})
	do(&reel.Split{Clips: []reel.ID{a}, At: rate.Sample(30, 48000), Tied: true})
	do(&reel.Assemble{Name: "cards", What: reel.Assembly{
		Tracks: []reel.NewTrack{{Name: "V", Role: reel.PictureRole}}, Sources: []reel.Source{{Name: "lost", Tape: "B1", Left: -1, Right: -1, Length: 1 << 30, Picture: reel.Picture{Rate: rate}}},
		Clips: []reel.LaidClip{{Clip: reel.Clip{Name: "card", Length: rate.Sample(20, 48000), FadeIn: reel.NoFade, FadeOut: reel.NoFade}}},
	}})
	do(&reel.Untie{Clips: []reel.ID{a}})
	do(&reel.Remove{Clips: []reel.ID{a}})
	for i := len(states) - 2; i >= first; i-- {
		if _, err := s.Undo(ctx, id, Any); err != nil {
			t.Fatal(err)
		}
		v, err := open(t, dsn).Load(ctx, id)
		if err != nil || text(norm(v.Reel)) != states[i] {
			t.Fatalf("undone to step %d: %v\n%s\nnot\n%s", i, err, text(norm(v.Reel)), states[i])
		}
	}
	want := Picture{Hash: "0000000000000000000000000000000000000000000000000000000000000000", FileName: "boat.mov", Format: "H264 in mov", Bytes: 5, Rate: rate, Frames: 900, Width: 480, Height: 270, StartFrame: -1, Note: "ü"}
	if err := s.SavePicture(ctx, want); err != nil {
		t.Fatal(err)
	}
	if got, ok, err := open(t, dsn).Picture(ctx, want.Hash); err != nil || !ok || got != want {
		t.Errorf("%+v, %v", got, err)
	}
}
