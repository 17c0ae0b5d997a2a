package store

import (
	"context"
	"testing"

	"blendseam/core/gain"
	"blendseam/core/reel"
	"blendseam/dbserver/dbtest"
)

// Struck spans, beds and swatches are in the tables as they are in the
// document, through undo and redo, and read by another process.
func TestStrikesBedsAndSwatchesAreKept(t *testing.T) {
	ctx, dsn := context.Background(), dbtest.DSN(t)
	s := open(t, dsn)
	id := start(t, s, 3)
	clip := func() reel.ID {
		v, err := s.Load(ctx, id)
		if err != nil {
			t.Fatal(err)
		}
		return v.Reel.OnTrack(1)[1].ID
	}()
	tone := reel.Tone{Source: 2, From: 100, To: 50000, Seed: 3, Tint: reel.Tint{1, -2}}
	room := reel.Tone{Room: reel.Rooms[2], Seed: 1, Channels: 2}
	var states []string
	do := func(e reel.Edit) reel.ID {
		t.Helper()
		v, err := s.Load(ctx, id)
		if err != nil {
			t.Fatal(err)
		}
		res, err := s.Do(ctx, id, v.Revision, e)
		if err != nil {
			t.Fatalf("%T: %v", e, err)
		}
		fresh, err := open(t, dsn).Load(ctx, id)
		if err != nil {
			t.Fatal(err)
		}
		if got, want := text(norm(fresh.Reel)), text(norm(res.Reel)); got != want {
			t.Fatalf("%T: the tables say\n%s\nnot\n%s", e, got, want)
		}
		states = append(states, text(norm(res.Reel)))
		if len(res.Outcome.Made) > 0 {
			return res.Outcome.Made[0]
		}
		return 0
	}
	strike := do(&reel.StrikeSpan{From: 1200, To: 1700, Tracks: []reel.ID{1}, Fade: 50, Shape: gain.Smooth, LowerDB: 12.5})
	do(&reel.CoverStrike{Strike: strike, Tone: &tone, GainDB: -1.5})
	from := int64(5300)
	do(&reel.SetStrike{Strike: strike, From: &from, Rise: &reel.Fade{Length: 7, Shape: gain.Linear, Bend: 0.3}})
	do(&reel.Split{Clips: []reel.ID{clip}, At: 1500})
	do(&reel.LayTone{Track: 1, From: 3000, To: 9000, Tone: room, Fade: 100})
	swatch := do(&reel.AddSwatch{Name: "air", Source: 2, From: 5, To: 9000})
	name := "glasshouse"
	do(&reel.SetSwatch{Swatch: swatch, Name: &name})
	do(&reel.RemoveSwatch{Swatch: swatch})
	do(&reel.Lift{Strikes: []reel.ID{strike}})
	do(&reel.Remove{Clips: []reel.ID{clip}})
	for i := len(states) - 2; i >= 0; i-- {
		if _, err := s.Undo(ctx, id, Any); err != nil {
			t.Fatal(err)
		}
		v, err := open(t, dsn).Load(ctx, id)
		if err != nil || text(norm(v.Reel)) != states[i] {
			t.Fatalf("undone to step %d: %v\n%s\nnot\n%s", i, err, text(norm(v.Reel)), states[i])
		}
	}
	copied, err := s.Copy(ctx, id, "another")
	if err != nil {
		t.Fatal(err)
	}
	if v, err := s.Load(ctx, copied); err != nil || len(v.Reel.Strikes) != 1 {
		t.Error(err)
	}
}
