package reel

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"reflect"
	"strings"
	"testing"
	"time"

	"blendseam/core/gain"
)

// extremes are numbers that break what does not bound them.
var extremes = []int64{math.MinInt64, math.MinInt64 + 1, math.MaxInt64, math.MaxInt64 - 1, -1 << 53, 1 << 53, -Farthest - 1, -Farthest, Farthest, 1 << 62, -1, 0, 1}

// disturb puts an extreme number, or a text none should be, into one place of
// an edit.
func disturb(rng *rand.Rand, v reflect.Value) bool {
	switch v.Kind() {
	case reflect.Pointer, reflect.Interface:
		return !v.IsNil() && disturb(rng, v.Elem())
	case reflect.Struct:
		for _, i := range rng.Perm(v.NumField()) {
			if v.Type().Field(i).IsExported() && disturb(rng, v.Field(i)) {
				return true
			}
		}
	case reflect.Slice:
		return v.Len() > 0 && disturb(rng, v.Index(rng.IntN(v.Len())))
	case reflect.Int, reflect.Int64:
		v.SetInt(pick(rng, extremes))
		return true
	case reflect.Float64:
		v.SetFloat(pick(rng, []float64{math.NaN(), math.Inf(1), -1e300, 1e18, 5e-324}))
		return true
	case reflect.String:
		v.SetString(pick(rng, []string{"", "\x00", "\u202e", "\xff", strings.Repeat("長", 201), strings.Repeat("x", 5000)}))
		return true
	}
	return false
}

// disturbed makes a sequence of edits, some of them with extreme numbers; what
// passes leaves a sound reel, and nothing panics or hangs.
func disturbed(t testing.TB, seed uint64, steps int) {
	rng := rand.New(rand.NewPCG(seed, 7))
	r := blank(3, 3, 1200)
	if seed%2 == 0 {
		r = blankPicture()
	}
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	for i := range steps {
		e := randomEdit(rng, r)
		if rng.IntN(3) == 0 {
			disturb(rng, reflect.ValueOf(e))
		}
		began := time.Now()
		next, err := Do(ctx, r, e)
		var no *Refusal
		switch {
		case errors.As(err, &no):
			if no.Offer != nil {
				if _, err := Do(ctx, r, no.Offer); err != nil {
					t.Fatalf("seed %d step %d: %+v offers %+v, which is refused: %v", seed, i, e, no.Offer, err)
				}
			}
			continue
		case err != nil:
			t.Fatalf("seed %d step %d: %+v: %v", seed, i, e, err)
		}
		if err := next.Reel.Check(); err != nil {
			t.Fatalf("seed %d step %d: %+v leaves %v", seed, i, e, err)
		}
		if took := time.Since(began); took > 5*time.Second {
			t.Fatalf("seed %d step %d: %+v took %v", seed, i, e, took)
		}
		r = next.Reel
	}
}

func TestExtremeNumbersAreRefused(t *testing.T) {
	for seed := range uint64(60) {
		disturbed(t, seed, 250)
	}
}

// FuzzSequences looks for a sequence of edits that panics, hangs or leaves a
// reel that is not sound.
func FuzzSequences(f *testing.F) {
	for seed := range uint64(8) {
		f.Add(seed)
	}
	for _, found := range []uint64{88, 581, 601} { // offers that did not work, a marker before the start, a second blend
		f.Add(found)
	}
	f.Fuzz(func(t *testing.T, seed uint64) { disturbed(t, seed, 120) })
}

func TestAShotIsNotMovedOutOfAllBounds(t *testing.T) {
	r := blankPicture()
	r = mustApply(t, r, &Place{Source: r.Sources[2].ID, Track: 5, Length: r.Props.sample(20)})
	shot := r.Clips[0].ID
	for _, n := range extremes {
		for _, e := range []Edit{&Move{Clips: []ID{shot}, By: n}, &Trim{Clips: []ID{shot}, End: Tail, By: n}, &Trim{Clips: []ID{shot}, End: Head, By: n}, &Slip{Clips: []ID{shot}, By: n},
			&RemoveSpan{From: n, To: -n, Tracks: []ID{5}}, &InsertTime{At: n, Length: n, Tracks: []ID{5}}, &Lead{Cuts: []SoundCut{{shot, shot}}, Frames: float64(n)}} {
			if _, err := Do(context.Background(), r, e); n > Farthest || n < -Farthest {
				var no *Refusal
				if !errors.As(err, &no) || no.Possible == "" && no.Reason == "" {
					t.Errorf("%T with %d: %v", e, n, err)
				}
			}
		}
	}
}

// A step of many edits ends when the one who asked for it is gone.
func TestManyEditsEndWithTheContext(t *testing.T) {
	r := blank(1, 1, 1<<30)
	for i := range 300 {
		did, err := (&Place{Source: 2, Track: 1, Start: int64(i) * 100, Offset: int64(i) * 100, Length: 100}).Apply(r)
		if err != nil {
			t.Fatal(err)
		}
		r = did.Reel
	}
	all := &Together{Label: "all"}
	for i := range maxTogether {
		db := float64(i % 7)
		all.Edits = append(all.Edits, &SetClip{Clip: ID(3 + i%300), GainDB: &db})
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if _, err := Do(ctx, r, all); !errors.Is(err, context.Canceled) {
		t.Errorf("it went on: %v", err)
	}
}

func TestNames(t *testing.T) {
	long := strings.Repeat("長", 200)
	for _, good := range []string{"Wärter", long, "שלום", "नमस्ते \u200d", "a\u200eb"} {
		if got, err := CleanName(good); err != nil || got != good {
			t.Errorf("%q: %v", good, err)
		}
	}
	for _, bad := range []string{"", " \t", long + "x", "a\nb", "a\x7fb", "a\u0085b", "invoice\u202egpj.exe", "\u2066a", "\xff\xfe", "a\u2028b", "\ufeffa"} {
		if got, err := CleanName(bad); err == nil {
			t.Errorf("%q passed as %q", bad, got)
		}
		if got := PlainName(bad); got != "" {
			if _, err := CleanName(got); err != nil {
				t.Errorf("the plain name of %q is %q: %v", bad, got, err)
			}
		}
	}
	began := time.Now()
	if got := PlainName(strings.Repeat("é\u202e", 1<<20)); len([]rune(got)) != MaxName {
		t.Errorf("%d characters are left", len([]rune(got)))
	}
	if took := time.Since(began); took > 2*time.Second {
		t.Errorf("two megabytes took %v", took)
	}
}

// A locked track keeps its blends when the other side's track goes.
func TestATrackWhoseBlendALockedOneHoldsIsNotRemoved(t *testing.T) {
	r := blank(2, 2, 9000)
	yes := true
	for _, e := range []Edit{
		&Place{Source: 3, Track: 1, Start: 0, Offset: 1000, Length: 1000},
		&Place{Source: 4, Track: 2, Start: 1000, Offset: 1000, Length: 1000},
		&SetBlend{Left: 5, Right: 6, Before: 100, After: 100, Law: gain.ConstantPower, Lean: 0.5},
		&SetTrack{Track: 2, Locked: &yes},
	} {
		did, err := e.Apply(r)
		if err != nil {
			t.Fatal(err)
		}
		r = did.Reel
	}
	_, err := (&RemoveTrack{Track: 1}).Apply(r)
	var no *Refusal
	if !errors.As(err, &no) || no.Offer == nil || no.Possible == "" {
		t.Fatalf("it was removed: %v", err)
	}
	did, err := no.Offer.Apply(r)
	if err != nil {
		t.Fatal(err)
	}
	r = did.Reel
	if _, err = (&RemoveTrack{Track: 1}).Apply(r); err != nil {
		t.Error(err)
	}
}

// Checking a reel costs what it holds, not its square: ten times the clips and
// blends take about ten times as long, where a square would take a hundred.
func TestCheckIsLinear(t *testing.T) {
	times := func(n int) time.Duration {
		r, best := manyClips(n), time.Hour
		for range 5 {
			began := time.Now()
			if err := r.Check(); err != nil {
				t.Fatal(err)
			}
			best = min(best, time.Since(began))
		}
		return best
	}
	few, lots := times(1600), times(16000)
	t.Logf("1,600 clips %v, 16,000 clips %v", few, lots)
	if fmt.Sprint(few) != "0s" && lots > 60*few {
		t.Errorf("ten times as much takes %.0f times as long", float64(lots)/float64(few))
	}
}

// FuzzPlainName: a name from outside becomes one that a reel can have, in time
// that its length alone sets.
func FuzzPlainName(f *testing.F) {
	for _, s := range []string{"take 3.wav", "\x00\xff", "\u202eabc", strings.Repeat("é", 500), " \t\n", "a\u2028b"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		got := PlainName(s)
		if got == "" {
			return
		}
		if clean, err := CleanName(got); err != nil || clean != got {
			t.Fatalf("%q becomes %q: %v", s, got, err)
		}
		if short := ShortName(got); short != got {
			t.Fatalf("%q is shortened again", got)
		}
	})
}

// FuzzChange: a change from JSON, such as a damaged journal holds, is applied
// or refused; what is applied can be taken back.
func FuzzChange(f *testing.F) {
	r := blankPicture()
	rng := rand.New(rand.NewPCG(1, 1))
	for range 60 {
		if next, err := randomEdit(rng, r).Apply(r); err == nil {
			text, _ := json.Marshal(Diff(r, next.Reel))
			f.Add(text)
			r = next.Reel
		}
	}
	f.Add([]byte(`{"clips":[{"before":null,"after":null}]}`))
	f.Add([]byte(`{"props":{}}`))
	f.Add([]byte(`{"shifts":[{"by":9223372036854775807,"clips":[1,1,-1]}]}`))
	f.Fuzz(func(t *testing.T, text []byte) {
		var c Change
		if json.Unmarshal(text, &c) != nil {
			return
		}
		if err := c.Check(); err != nil {
			return
		}
		next, err := c.Apply(r)
		if err != nil {
			return
		}
		back, err := c.Invert().Apply(next)
		if err != nil || !Diff(back, r).Empty() {
			t.Fatalf("%s cannot be taken back: %v", text, err)
		}
	})
}

// BenchmarkCheck is of a reel of 2,000 clips with a blend on every cut.
func BenchmarkCheck(b *testing.B) {
	r := manyClips(2000)
	b.ResetTimer()
	for range b.N {
		if err := r.Check(); err != nil {
			b.Fatal(err)
		}
	}
}

// manyClips is a reel of clips that meet, with a blend on every cut.
func manyClips(n int) *Reel {
	r := blank(1, 1, 1<<40)
	for i := range n {
		r.Clips = append(r.Clips, Clip{ID: r.take(), Track: 1, Source: 2, Name: "c", Start: int64(i) * 1000, Offset: 5000, Length: 1000, FadeIn: NoFade, FadeOut: NoFade})
	}
	for i := range n - 1 {
		r.Blends = append(r.Blends, Blend{ID: r.take(), Left: r.Clips[i].ID, Right: r.Clips[i+1].ID, Before: 10, After: 10, Law: gain.ConstantPower, Lean: 0.5})
	}
	return r
}
