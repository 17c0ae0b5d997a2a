package reel_test

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"testing"

	"blendseam/core/reel"
	"blendseam/core/timecode"
)

// copies are made-up content hashes for what a shot's fit has to have computed.
func copies(t *testing.T, r *reel.Reel, e *reel.FitShot) *reel.FitShot {
	t.Helper()
	want, err := e.Fittings(r)
	if err != nil {
		t.Fatal(err)
	}
	with := *e
	with.Recordings = map[reel.ID]string{}
	for id := range want {
		with.Recordings[id] = fmt.Sprintf("copy %d %d", id, e.Length)
	}
	return &with
}

// A shot and its sound run at one speed: whichever frame is seen, the sound that was
// recorded with it is heard, within half a frame and a millisecond, from end to end.
func TestShotFittedWithItsSound(t *testing.T) {
	rng := rand.New(rand.NewPCG(16, 3))
	for _, of := range []timecode.Rate{timecode.Rate25, timecode.Rate2997Drop, timecode.Rate24} {
		r := filmed(t, of, of)
		var shot, snd reel.Clip
		for _, c := range r.Clips {
			if src, _ := r.Source(c.Source); src.Shows() {
				shot = c
			} else {
				snd = c
			}
		}
		frame := of.Sample(1, 48000)
		// A second clip after its sound, and one before it, which begins before the shot does.
		r = made(t, r, &reel.Split{Clips: []reel.ID{snd.ID}, At: snd.Start + 40*frame})
		r = made(t, r, &reel.TieUp{Clips: []reel.ID{shot.ID, r.OnTrack(snd.Track)[1].ID}})
		for range 40 {
			want := 30 + rng.Int64N(300)
			if want > 98 && want < 102 {
				continue
			}
			later := []reel.Later{reel.Stay, reel.Follow}[rng.IntN(2)]
			e := copies(t, r, &reel.FitShot{Shot: shot.ID, Length: of.Sample(10+want, 48000) - shot.Start, Later: later})
			out := made(t, r, e)
			now, _ := out.Clip(shot.ID)
			if n := of.Nearest(now.Length, 48000); n != want {
				t.Fatalf("the shot is %d frames long, not %d", n, want)
			}
			sounds := out.OnTrack(snd.Track)
			if len(sounds) != 2 || sounds[0].Start != now.Start || sounds[1].End() != now.End() || sounds[0].End() != sounds[1].Start {
				t.Fatalf("%d frames: the shot is %d to %d, its sound %+v", want, now.Start, now.End(), sounds)
			}
			for _, tie := range out.Ties {
				if off := out.Off(tie); off != 0 {
					t.Errorf("%d frames: off by %d", want, off)
				}
			}
			// Sample and frame as recorded, by rule of three from what each clip plays.
			for k := int64(0); k < want; k += 1 + rng.Int64N(9) {
				at := of.Sample(10+k, 48000)
				seen := float64(out.Frame(now, at)-20) * 48000 * float64(of.Den) / float64(of.Num)
				for _, c := range sounds {
					if at < c.Start || at >= c.End() {
						continue
					}
					src, _ := out.Source(c.Source)
					heard := float64(src.Fit.From) + float64(c.Offset+at-c.Start)/src.Factor() - 40_000
					if d := heard - seen; d < -50 || d > float64(frame)+50 {
						t.Fatalf("%v, %d frames, %d in: frame of %.0f, sound of %.0f", of, want, k, seen, heard)
					}
				}
			}
			back := made(t, out, &reel.FitShot{Shot: shot.ID, Later: later})
			for _, c := range r.Clips {
				if b, _ := back.Clip(c.ID); b != c {
					t.Fatalf("%d frames, as recorded: %+v, was %+v", want, b, c)
				}
			}
			for i := range r.Ties {
				if back.Ties[i] != r.Ties[i] {
					t.Errorf("a tie is %+v, was %+v", back.Ties[i], r.Ties[i])
				}
			}
		}
	}
}

// What follows moves once, by what the shot became longer; what stands off its sync
// stands off it as before; and what cannot be fitted says so.
func TestShotFittedAmongOthers(t *testing.T) {
	r := filmed(t, timecode.Rate25, timecode.Rate25)
	order := r.Order()
	v, a := order[0].ID, order[1].ID
	shot, snd := r.OnTrack(v)[0], r.OnTrack(a)[0]
	r = made(t, r, &reel.Place{Source: shot.Source, Track: v, Start: shot.End(), Offset: 0, Length: 50 * 1920})
	r = made(t, r, &reel.Place{Source: snd.Source, Track: a, Start: snd.End(), Offset: 1_000_000, Length: 50 * 1920})
	for _, want := range []int64{60, 150} {
		e := copies(t, r, &reel.FitShot{Shot: shot.ID, Length: want * 1920, Later: reel.Follow})
		out := made(t, r, e)
		for _, track := range []reel.ID{v, a} {
			on := out.OnTrack(track)
			if len(on) != 2 || on[1].Start != shot.Start+want*1920 || on[0].End() != on[1].Start {
				t.Errorf("%d frames: %+v", want, on)
			}
		}
	}
	var no *reel.Refusal
	if _, err := (&reel.FitShot{Shot: shot.ID, Length: 150 * 1920, Later: reel.Stay}).Apply(r); !errors.As(err, &no) {
		t.Errorf("it went over the next shot: %v", err)
	}
	for _, n := range []int64{-5, 1, 1 << 62, -1 << 63, shot.Length} {
		if _, err := (&reel.FitShot{Shot: shot.ID, Length: n}).Apply(r); !errors.As(err, &no) {
			t.Errorf("%d: %v", n, err)
		}
	}
	if _, err := (&reel.FitShot{Shot: snd.ID, Length: 48000}).Apply(r); !errors.As(err, &no) {
		t.Errorf("sound was run as a picture: %v", err)
	}
	late := made(t, r, &reel.Move{Clips: []reel.ID{r.OnTrack(a)[1].ID}, By: 96000})
	late = made(t, late, &reel.Move{Clips: []reel.ID{snd.ID}, By: 960})
	e := copies(t, late, &reel.FitShot{Shot: shot.ID, Length: 50 * 1920, Later: reel.Stay})
	out := made(t, late, e)
	if off := out.Off(out.Ties[0]); off != 480 {
		t.Errorf("it was 960 samples late and is %d at twice the speed", off)
	}
	alone := made(t, r, &reel.Untie{Clips: []reel.ID{snd.ID}})
	if _, err := (&reel.FitShot{Shot: shot.ID, Length: 50 * 1920, Later: reel.Stay}).Apply(alone); !errors.As(err, &no) || no.Offer == nil {
		t.Errorf("no sound is tied: %v", err)
	}
}
