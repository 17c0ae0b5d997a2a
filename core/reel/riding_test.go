package reel

import (
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
)

// ridable is a reel of two tracks with one clip from 10,000 to 30,000 of a
// recording of 50,000 samples, played from its sample 5,000 on.
func ridable(t *testing.T) (r *Reel, clip, track, other ID) {
	r = blank(2, 1, 50000)
	track, other = r.Tracks[0].ID, r.Tracks[1].ID
	done, err := (&Place{Source: r.Sources[0].ID, Track: track, Start: 10000, Offset: 5000, Length: 20000}).Apply(r)
	if err != nil {
		t.Fatal(err)
	}
	return done.Reel, done.Made[0], track, other
}

func mustDo(t *testing.T, r *Reel, e Edit) (*Reel, []ID) {
	t.Helper()
	done, err := e.Apply(r)
	if err != nil {
		t.Fatalf("%T: %v", e, err)
	}
	if err := done.Reel.Check(); err != nil {
		t.Fatalf("%T: %v", e, err)
	}
	return done.Reel, done.Made
}

func TestRideRefusals(t *testing.T) {
	r, clip, track, _ := ridable(t)
	r, made := mustDo(t, r, &AddPoint{Clip: clip, At: 10000})
	first := made[0]
	r, made = mustDo(t, r, &AddPoint{Clip: clip, At: 20000, DB: ptr(-6.0)})
	second := made[0]
	for _, c := range []struct {
		e     Edit
		says  string
		offer bool
	}{
		{&AddPoint{Clip: clip, At: 10020, DB: ptr(3.0)}, "already there", true},
		{&AddPoint{Clip: clip, At: 50001}, "outside the recording", false},
		{&AddPoint{Track: track, At: -1}, "outside the reel", false},
		{&AddPoint{Clip: clip, Track: track, At: 5}, "a clip or a track", false},
		{&AddPoint{Clip: clip, At: 5, DB: ptr(61.0)}, "60", false},
		{&AddPoint{Clip: clip, At: 5, DB: ptr(math.NaN())}, "NaN", false},
		{&MovePoints{Points: []ID{first}, By: 30000}, "between its neighbours", true},
		{&MovePoints{Points: []ID{first}, By: -11000}, "between", true},
		{&MovePoints{Points: []ID{first, second}, ByDB: 63}, "+60", true},
		{&MovePoints{}, "No point", false},
		{&SetPoint{Point: 999}, "gone", false},
		{&LayRide{Clip: clip, From: 100, To: 900, Points: []RidePoint{{At: 500}, {At: 400}}}, "order of their times", false},
		{&LayRide{Track: track, From: 100, To: 100}, "3 ms", false},
		{&RideSpan{From: 10, To: 20, Tracks: []ID{track}, ByDB: -6}, "No clip", false},
		{&RideSpan{From: 11000, To: 11010, Tracks: []ID{track}, ByDB: -6}, "1 ms", false},
		{&RideSpan{From: 11000, To: 19000, Tracks: []ID{track}}, "number of dB", false},
	} {
		_, err := c.e.Apply(r)
		no, refused := err.(*Refusal)
		if !refused || !strings.Contains(no.Error(), c.says) {
			t.Errorf("%T %+v: %v", c.e, c.e, err)
			continue
		}
		if c.offer != (no.Offer != nil) {
			t.Errorf("%T %+v offers %v", c.e, c.e, no.Offer)
		} else if c.offer {
			mustDo(t, r, no.Offer)
		}
	}
	locked, _ := mustDo(t, r, &SetTrack{Track: track, Locked: ptr(true)})
	for _, e := range []Edit{&AddPoint{Clip: clip, At: 5}, &AddPoint{Track: track, At: 5}, &SetPoint{Point: first, DB: ptr(1.0)}, &RemovePoints{Points: []ID{first}}, &RideSpan{From: 11000, To: 19000, Tracks: []ID{track}, ByDB: -3}} {
		if _, err := e.Apply(locked); err == nil || !strings.Contains(err.Error(), "locked") {
			t.Errorf("%T on a locked track: %v", e, err)
		}
	}
}

// A span that is lowered has four points; again, it is lowered further, with no
// more points; raised again, the line is where it was.
func TestRideSpan(t *testing.T) {
	r, clip, track, other := ridable(t)
	down := &RideSpan{From: 15000, To: 20000, Tracks: []ID{track}, ByDB: -6, Slope: 1000}
	r, _ = mustDo(t, r, down)
	want := func(db float64, at int64) {
		t.Helper()
		if got := r.Ride(clip).DB(at); math.Abs(got-db) > 0.01 {
			t.Errorf("at %d the line is at %g dB, not %g", at, got, db)
		}
	}
	if n := len(r.Line(clip)); n != 4 {
		t.Fatalf("%d points", n)
	}
	for at, db := range map[int64]float64{0: 0, 9000: 0, 9500: -3, 10000: -6, 13000: -6, 15000: -6, 15500: -3, 16000: 0, 40000: 0} {
		want(db, at)
	}
	r, _ = mustDo(t, r, down)
	if n := len(r.Line(clip)); n != 4 {
		t.Fatalf("%d points once it is lowered twice", n)
	}
	want(-12, 12000)
	r, _ = mustDo(t, r, &RideSpan{From: 15000, To: 20000, Tracks: []ID{track}, ByDB: 12, Slope: 1000})
	want(0, 12000)
	want(0, 9500)

	// Of a track it lies in the reel's time, and counts where no clip is too.
	r, _ = mustDo(t, r, &RideSpan{From: 40000, To: 50000, Tracks: []ID{other}, OnTrack: true, ByDB: -9})
	if got := r.Ride(other).DB(45000); got != -9 {
		t.Errorf("the track is at %g dB", got)
	}
	// With the track its line goes.
	r, _ = mustDo(t, r, &RemoveTrack{Track: other})
	if len(r.Line(other)) != 0 {
		t.Error("points of a track that is gone are left")
	}
}

// What is laid between two places changes nothing outside of them, and takes the
// place of what was there.
func TestLayRide(t *testing.T) {
	r, clip, _, _ := ridable(t)
	for at, db := range map[int64]float64{2000: -3, 12000: 4, 30000: -10} {
		r, _ = mustDo(t, r, &AddPoint{Clip: clip, At: at, DB: &db})
	}
	was := r.Ride(clip)
	var points []RidePoint
	for at := int64(8000); at < 20000; at += 100 {
		points = append(points, RidePoint{At: at, DB: -20 + float64(at%300)/3000})
	}
	r, made := mustDo(t, r, &LayRide{Clip: clip, From: 7000, To: 21000, Points: points, Within: 0.3})
	if len(made) != 4 {
		t.Errorf("a level stretch has %d points", len(made))
	}
	is := r.Ride(clip)
	for at := int64(0); at < 50000; at += 50 {
		if at <= 7000 || at >= 21000 {
			if math.Abs(was.DB(at)-is.DB(at)) > 0.01 {
				t.Fatalf("at %d the line was at %g dB and is at %g", at, was.DB(at), is.DB(at))
			}
		} else if at >= 8000 && at < 19900 && math.Abs(is.DB(at)+20) > 0.4 {
			t.Fatalf("at %d the line is at %g dB", at, is.DB(at))
		}
	}
}

// Whatever the slopes and however speech comes, every sample of it is under the full
// depth where the look-ahead is as long as the slope, the line is at 0 dB long before
// and after, and no two points lie on each other.
func TestDuckOfAnySpeech(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 7))
	r := blank(1, 1, 50000)
	track := r.Tracks[0].ID
	for range 3000 {
		down := rng.Int64N(3) * rng.Int64N(3000)
		like := Ducking{ByDB: 9, Down: down, Ahead: max(down, r.Props.apart()) + rng.Int64N(500), Hold: rng.Int64N(2) * rng.Int64N(2000), Up: rng.Int64N(2) * rng.Int64N(4000), Bridge: rng.Int64N(3000)}
		var speech []Stretch
		for at := rng.Int64N(3000); at < 60000; at += rng.Int64N(9000) + 1 {
			n := 1 + rng.Int64N(2000)
			speech = append(speech, Stretch{at, at + n})
			at += n
		}
		done, err := (&LayDuck{Track: track, Like: like, Speech: speech}).Apply(r)
		if err != nil {
			t.Fatal(err)
		}
		if err := done.Reel.Check(); err != nil {
			t.Fatalf("%+v %v: %v", like, speech, err)
		}
		ride := done.Reel.Ride(-track)
		for _, s := range speech {
			for _, at := range []int64{s.From, (s.From + s.To) / 2, s.To} {
				if db := ride.DB(at); db > -8.999 {
					t.Fatalf("%+v %v: at %d it is at %g dB", like, speech, at, db)
				}
			}
		}
		for at := int64(0); at < 90000; at += 97 {
			far := !slices.ContainsFunc(speech, func(s Stretch) bool {
				return at > s.From-like.Ahead-100 && at < s.To+max(like.Hold+like.Up+like.Ahead, like.Bridge)+300
			})
			if db := ride.DB(at); far && at > speech[0].To && db < -0.001 {
				t.Fatalf("%+v %v: at %d it is at %g dB", like, speech, at, db)
			}
		}
	}
}

// A point that is added on an eased slope, or removed from a dip, is not nothing.
func TestWhatAPointAlters(t *testing.T) {
	r, clip, track, _ := ridable(t)
	r, _ = mustDo(t, r, &AddPoint{Clip: clip, At: 10000, Eased: true})
	r, _ = mustDo(t, r, &AddPoint{Clip: clip, At: 20000, DB: ptr(-12.0)})
	for at, told := range map[int64]bool{5000: false, 15000: true, 30000: false} {
		done, err := (&AddPoint{Clip: clip, At: at}).Apply(r)
		if err != nil || (len(done.Notes) > 0) != told {
			t.Errorf("a point at %d: %v %v", at, done.Notes, err)
		}
	}
	duck := &LayDuck{Track: track, Like: UsualDuck(r.Props), Speech: []Stretch{{100000, 200000}, {500000, 600000}}}
	r, made := mustDo(t, r, duck)
	r, _ = mustDo(t, r, &RemovePoints{Points: []ID{made[1]}})
	done, err := duck.Apply(r)
	if err != nil || len(done.Notes) != 1 {
		t.Fatalf("made again: %v %v", done.Notes, err)
	}
	if was, is := r.Line(-track), done.Reel.Line(-track); len(was) != 7 || len(is) != 7 {
		t.Errorf("%d points, then %d", len(was), len(is))
	}
}
