package reel_test

import (
	"math/rand/v2"
	"strings"
	"testing"

	"blendseam/core/reel"
	"blendseam/core/timecode"
)

// made is a reel after an edit that has to be possible.
func made(t *testing.T, r *reel.Reel, e reel.Edit) *reel.Reel {
	t.Helper()
	done, err := e.Apply(r)
	if err != nil {
		t.Fatalf("%T: %v", e, err)
	}
	if err := done.Reel.Check(); err != nil {
		t.Fatalf("%T: %v", e, err)
	}
	return done.Reel
}

// filmed is a reel of one shot, of 100 frames from the 20th of its picture on, with a
// clip of sound tied to it.
func filmed(t *testing.T, of, own timecode.Rate) *reel.Reel {
	t.Helper()
	r := &reel.Reel{NextID: 1, Props: reel.Props{Name: "t", SampleRate: 48000, FrameRate: of}}
	do := func(e reel.Edit) reel.ID {
		t.Helper()
		r = made(t, r, e)
		return r.NextID - 1
	}
	v, a := do(&reel.AddTrack{Name: "V", Role: reel.PictureRole}), do(&reel.AddTrack{Name: "A", Role: reel.Dialogue})
	pic := do(&reel.AddSource{Source: reel.Source{Recording: "p", Name: "p", Left: -1, Right: -1, StartTC: -1, Picture: reel.Picture{Rate: own, Frames: 400}}})
	snd := do(&reel.AddSource{Source: reel.Source{Recording: "s", Name: "s", Right: -1, StartTC: -1, Length: 3_000_000}})
	at := func(n int64) int64 { return of.Sample(n, 48000) }
	shot := do(&reel.Place{Source: pic, Track: v, Start: at(10), Offset: at(20), Length: at(110) - at(10)})
	clip := do(&reel.Place{Source: snd, Track: a, Start: at(10), Offset: 40_000, Length: at(110) - at(10)})
	do(&reel.TieUp{Clips: []reel.ID{shot, clip}})
	return r
}

// Every frame of a shot at another speed is the one that the factor gives, by whole
// numbers that count one frame at a time; and as recorded it is what it was.
func TestShotAtAnotherSpeed(t *testing.T) {
	rng := rand.New(rand.NewPCG(16, 2))
	for _, of := range []timecode.Rate{timecode.Rate25, timecode.Rate2997Drop, timecode.Rate24} {
		for _, own := range []timecode.Rate{timecode.Rate25, timecode.Rate2997, timecode.Rate50} {
			r := filmed(t, of, own)
			shot := r.Clips[0]
			if src, _ := r.Source(shot.Source); !src.Shows() {
				shot = r.Clips[1]
			}
			at := func(n int64) int64 { return of.Sample(n, 48000) }
			for range 30 {
				want := 26 + rng.Int64N(370)
				if want == 100 || want == 80 {
					continue // as it is, and as it is made below
				}
				slow := made(t, r, &reel.PaceShot{Shot: shot.ID, Length: at(10+want) - shot.Start})
				c, _ := slow.Clip(shot.ID)
				if got := of.Nearest(c.End(), 48000) - of.Nearest(c.Start, 48000); got != want || c.Start != shot.Start {
					t.Fatalf("%v: %d frames from %d, not %d", of, got, c.Start, want)
				}
				for k := range want {
					// k/want of the way through the 100 frames that it shows, from frame 20 on.
					n := 20 + k*100/want
					ideal := min(n*own.Num*of.Den/(own.Den*of.Num), 399)
					if got := slow.Frame(c, at(10+k)); got != ideal {
						t.Fatalf("%v of %v, %d frames: frame %d shows %d, not %d", of, own, want, k, got, ideal)
					}
				}
				if off := slow.Off(slow.Ties[0]); off != 0 {
					t.Errorf("its sound is said to be off by %d where it begins", off)
				}
				back := made(t, slow, &reel.PaceShot{Shot: shot.ID})
				if c, _ := back.Clip(shot.ID); c != shot || back.Ties[0] != r.Ties[0] {
					t.Fatalf("as recorded it is %+v, was %+v", c, shot)
				}
				// Twice at another speed is once.
				again := made(t, slow, &reel.PaceShot{Shot: shot.ID, Length: at(90) - shot.Start})
				once := made(t, r, &reel.PaceShot{Shot: shot.ID, Length: at(90) - shot.Start})
				a, _ := again.Clip(shot.ID)
				b, _ := once.Clip(shot.ID)
				for k := range int64(80) {
					if again.Frame(a, at(10+k)) != once.Frame(b, at(10+k)) {
						t.Fatalf("frame %d differs when it was at another speed before", k)
					}
				}
			}
		}
	}
}

// A shot that stands shows one frame, however long it is made, and can be cut.
func TestShotStands(t *testing.T) {
	r := filmed(t, timecode.Rate25, timecode.Rate25)
	shot := r.OnTrack(r.Order()[0].ID)[0]
	place := shot.Start + 33*1920
	still := made(t, r, &reel.PaceShot{Shot: shot.ID, Freeze: &place})
	still = made(t, still, &reel.Trim{Clips: []reel.ID{shot.ID}, End: reel.Tail, By: 1000 * 1920, Later: reel.Stay})
	still = made(t, still, &reel.Split{Clips: []reel.ID{shot.ID}, At: shot.Start + 500*1920})
	parts := still.OnTrack(shot.Track)
	if len(parts) != 2 {
		t.Fatalf("%d parts", len(parts))
	}
	for _, c := range parts {
		for at := c.Start; at < c.End(); at += 1920 {
			if n := still.Frame(c, at); n != 53 {
				t.Fatalf("it shows frame %d", n)
			}
		}
	}
	if own, _ := still.Source(parts[0].Source); own.Name != "p, still" || !own.Unlisted {
		t.Errorf("it plays %+v", own)
	}
}

func TestShotsThatCannot(t *testing.T) {
	r := filmed(t, timecode.Rate25, timecode.Rate25)
	shot, sound := r.OnTrack(r.Order()[0].ID)[0], r.OnTrack(r.Order()[1].ID)[0]
	for _, c := range []struct {
		e    *reel.PaceShot
		want string
	}{
		{&reel.PaceShot{Shot: sound.ID, Length: 5000}, "“s” is sound."},
		{&reel.PaceShot{Shot: shot.ID}, "“p” runs as it was recorded."},
		{&reel.PaceShot{Shot: shot.ID, Length: 1}, "“p” would be 0 % of its length."},
		{&reel.PaceShot{Shot: shot.ID, Length: -5}, "A shot cannot be as short as that."},
		{&reel.PaceShot{Shot: shot.ID, Length: 1 << 62}, ""},
		{&reel.PaceShot{Shot: 99, Length: 1}, ""},
	} {
		_, err := c.e.Apply(r)
		if err == nil || !strings.HasPrefix(err.Error(), c.want) {
			t.Errorf("%+v: %v", c.e, err)
		}
	}
}
