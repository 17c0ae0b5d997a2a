package level

import (
	"context"
	"errors"
	"math"
	"testing"

	"blendseam/core/gain"
	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/sound"
)

// ducked is a reel of recorded speech in two places with music under all of it, and
// for each tenth of a second whether something is said: found in another way than
// core does, as two tenths and more within 22 dB of the loudest of each recording.
func ducked(t *testing.T) (r *reel.Reel, music reel.ID, open mix.Open, loud []bool) {
	sounds := map[string]sound.Memory{
		"warden": {recorded(t, "warden take 3")[:14*rate]}, "grower": {recorded(t, "grower take 2")[:12*rate]}, "music": {noise(60*rate, 0.3, 8)},
	}
	r, _ = cut(t, sounds, nil)
	do := func(e reel.Edit) reel.ID {
		done, err := e.Apply(r)
		if err != nil {
			t.Fatal(err)
		}
		if r = done.Reel; len(done.Made) > 0 {
			return done.Made[0]
		}
		return 0
	}
	place := func(of string, track reel.ID, start int64) {
		n := sounds[of].Len()
		s := do(&reel.AddSource{Source: reel.Source{Recording: of, Name: of, Right: -1, Length: n, StartTC: -1}})
		do(&reel.Place{Source: s, Track: track, Start: start, Length: n})
	}
	dialogue := r.Tracks[0].ID
	music = do(&reel.AddTrack{Name: "M", Role: reel.Music})
	place("music", music, 0)
	loud = make([]bool, 600)
	for of, at := range map[string]int{"warden": 6, "grower": 34} {
		place(of, dialogue, int64(at*rate))
		v := sounds[of][0]
		power := make([]float64, len(v)/(rate/10))
		most := 0.0
		for k := range power {
			for _, x := range v[k*rate/10 : (k+1)*rate/10] {
				power[k] += float64(x) * float64(x)
			}
			most = max(most, power[k])
		}
		over := func(k int) bool { return k >= 0 && k < len(power) && power[k] > most*math.Pow(10, -2.2) }
		for k := range power { // a tenth alone is a rustle
			loud[at*10+k] = over(k) && (over(k-1) || over(k+1))
		}
	}
	return r, music, func(s reel.Source) (sound.Reader, error) { return sounds[s.Recording], nil }, loud
}

// Where somebody speaks the music is lower by what was asked for, to 0.5 dB; where
// nobody does for long it is back, to 0.1 dB; and it never changes in a step.
func TestDuckUnderRecordedSpeech(t *testing.T) {
	r, music, open, loud := ducked(t)
	like := reel.UsualDuck(r.Props)
	like.ByDB = 10
	e, err := Duck(context.Background(), r, open, music, like)
	if err != nil {
		t.Fatal(err)
	}
	done, err := e.Apply(r)
	if err != nil {
		t.Fatal(err)
	}
	if err := done.Reel.Check(); err != nil {
		t.Fatal(err)
	}
	render := func(r *reel.Reel) []float32 {
		m, err := mix.New(r, open, mix.Options{Without: []reel.ID{r.Tracks[0].ID}})
		if err != nil {
			t.Fatal(err)
		}
		left, right := make([]float32, 60*rate), make([]float32, 60*rate)
		if err := m.Render(context.Background(), left, right, 0); err != nil {
			t.Fatal(err)
		}
		return left
	}
	was, now := render(r), render(done.Reel)
	level := func(k int) float64 {
		var a, b float64
		for i := k * rate / 10; i < (k+1)*rate/10; i++ {
			a, b = a+float64(now[i])*float64(now[i]), b+float64(was[i])*float64(was[i])
		}
		return 10 * math.Log10(a/b)
	}
	near := func(k int, before, after float64) bool { // whether something is said around a place
		for j := max(k-int(before*10), 0); j <= min(k+int(after*10), len(loud)-1); j++ {
			if loud[j] {
				return true
			}
		}
		return false
	}
	under, off, back := 0, 0, 0
	for k, on := range loud {
		switch db := level(k); {
		case on:
			under++
			if math.Abs(db+10) > 0.5 {
				off++
			}
		case !near(k, 1.8, 1.8): // the hold, the slope back and the look-ahead are over, whatever a breath is taken for
			back++
			if math.Abs(db) > 0.1 {
				t.Errorf("at %.1f s nobody speaks and the music is at %.2f dB", float64(k)/10, db)
			}
		}
	}
	if under < 100 || back < 150 {
		t.Fatalf("%d tenths of speech, %d without: nothing to test", under, back)
	}
	if off > 0 {
		t.Errorf("in %d of %d tenths of speech the music is off by more than 0.5 dB", off, under)
	}
	ride, last := done.Reel.Ride(-music), 1.0
	for i := int64(0); i < 60*rate; i += 16 {
		g := gain.FromDB(ride.DB(i))
		if step := math.Abs(20 * math.Log10(g/last)); i > 0 && step > 0.02 {
			t.Fatalf("%g dB within 16 samples at %d", step, i)
		}
		last = g
	}
}

// What was altered by hand stays when it is made anew, once the dialogue has moved;
// the rest goes with the dialogue.
func TestDuckAnew(t *testing.T) {
	r, music, open, _ := ducked(t)
	ctx := context.Background()
	step := func(e reel.Edit) *reel.Done {
		t.Helper()
		done, err := e.Apply(r)
		if err != nil {
			t.Fatalf("%T: %v", e, err)
		}
		r = done.Reel
		return done
	}
	again := func() *reel.Done {
		t.Helper()
		track, _ := r.Track(music)
		like := track.Duck
		if like == (reel.Ducking{}) {
			like = reel.UsualDuck(r.Props)
		}
		e, err := Duck(ctx, r, open, music, like)
		if err != nil {
			t.Fatal(err)
		}
		return step(e)
	}
	again()
	first := r.Line(-music)
	ride := r.Ride(-music)
	if again(); len(r.Line(-music)) != len(first) {
		t.Error("made anew with nothing changed it is another")
	}
	first = r.Line(-music)
	// The track's own line is another, and stays.
	db := -2.0
	step(&reel.AddPoint{Track: music, At: 5 * rate, DB: &db})
	low := first[1]
	step(&reel.MovePoints{Points: []reel.ID{low.ID}, ByDB: -4})
	lower := r.Ride(-music).DB(low.At)
	var last reel.Clip
	for _, c := range r.OnTrack(r.Tracks[0].ID) {
		last = c
	}
	step(&reel.Move{Clips: []reel.ID{last.ID}, By: 3 * rate})
	done := again()
	if got := r.Ride(-music).DB(low.At); got != lower {
		t.Errorf("what was altered by hand is at %g dB, not %g", got, lower)
	}
	if len(done.Notes) != 1 {
		t.Errorf("it says %q", done.Notes)
	}
	for at := int64(36 * rate); at < 46*rate; at += rate / 4 {
		if a, b := ride.DB(at), r.Ride(-music).DB(at+3*rate); math.Abs(a-b) > 1e-6 {
			t.Fatalf("at %d it was at %g dB, and three seconds on it is at %g", at, a, b)
		}
	}
	if len(r.Line(music)) != 1 {
		t.Error("the track's own line has changed")
	}
	step(&reel.LiftDuck{Track: music})
	if len(r.Line(-music)) != 0 || len(r.Line(music)) != 1 {
		t.Error("what lowers the music is not taken away alone")
	}
}

func TestDuckRefusals(t *testing.T) {
	r, music, open, _ := ducked(t)
	ctx := context.Background()
	var no *reel.Refusal
	if _, err := Duck(ctx, r, open, r.Tracks[0].ID, reel.UsualDuck(r.Props)); !errors.As(err, &no) || no.Possible == "" {
		t.Errorf("of a dialogue track: %v", err)
	}
	silent, err := (&reel.SetTrack{Track: r.Tracks[0].ID, Mute: &[]bool{true}[0]}).Apply(r)
	if err != nil {
		t.Fatal(err)
	}
	e, err := Duck(ctx, silent.Reel, open, music, reel.UsualDuck(r.Props))
	if err != nil {
		t.Fatal(err)
	}
	if _, err := e.Apply(silent.Reel); !errors.As(err, &no) || no.Possible == "" {
		t.Errorf("without speech: %v", err)
	}
	for _, by := range []float64{0, -3, 61, math.NaN()} {
		like := reel.UsualDuck(r.Props)
		like.ByDB = by
		if _, err := (&reel.LayDuck{Track: music, Like: like, Speech: []reel.Stretch{{From: 5 * rate, To: 6 * rate}}}).Apply(r); !errors.As(err, &no) {
			t.Errorf("by %g dB: %v", by, err)
		}
	}
}

// A duck is stale once the speech has moved, and not before; all that are stale are
// brought up to date in one step, and then follow to the sample.
func TestStaleDucks(t *testing.T) {
	r, music, open, _ := ducked(t)
	ctx := context.Background()
	speech := func() []reel.Stretch {
		said, err := Speech(ctx, r, open, Whole)
		if err != nil {
			t.Fatal(err)
		}
		return said
	}
	do := func(e reel.Edit) {
		t.Helper()
		done, err := e.Apply(r)
		if err != nil {
			t.Fatal(err)
		}
		r = done.Reel
	}
	if got := Stale(r, speech()); len(got) != 0 {
		t.Fatalf("stale before there is a duck: %v", got)
	}
	e, err := Duck(ctx, r, open, music, reel.UsualDuck(r.Props))
	if err != nil {
		t.Fatal(err)
	}
	do(e)
	var no *reel.Refusal
	if _, err := UpdateDucks(ctx, r, open); len(Stale(r, speech())) != 0 || !errors.As(err, &no) {
		t.Fatalf("stale as soon as it was made: %v", err)
	}
	last := r.Line(-music)[len(r.Line(-music))-1]
	clips := r.OnTrack(r.Tracks[0].ID)
	do(&reel.Move{Clips: []reel.ID{clips[len(clips)-1].ID}, By: 2 * rate})
	if got := Stale(r, speech()); len(got) != 1 || got[0].Track != music {
		t.Fatalf("the speech has moved: %v", got)
	}
	all, err := UpdateDucks(ctx, r, open)
	if err != nil {
		t.Fatal(err)
	}
	do(all)
	if line := r.Line(-music); line[len(line)-1].At != last.At+2*rate || len(Stale(r, speech())) != 0 {
		t.Errorf("its last point went from %d to %d", last.At, line[len(line)-1].At)
	}
}
