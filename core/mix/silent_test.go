package mix

import (
	"math/rand/v2"
	"testing"

	"blendseam/core/gain"
	"blendseam/core/reel"
	"blendseam/core/treat"
)

// stretches are those of a span as they are told one after the other.
func stretches(m *Mix, from, to int64) (silent []bool) {
	for from < to {
		end, quiet := m.Stretch(from, to)
		for ; from < end; from++ {
			silent = append(silent, quiet)
		}
	}
	return silent
}

// What is silent by construction is what no clip covers, with the handles of its blends:
// counted sample by sample. From wherever it is asked for, the answer for a place is the
// same.
func TestStretches(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 7))
	for range 10 {
		b := newBench(t, 48000)
		src := b.source(noise(1, 60000))
		const n = 150000
		covered := make([]bool, n)
		for range 3 {
			track, at := b.track(), int64(0)
			var last reel.ID
			for range 5 {
				long := 2000 + rng.Int64N(8000)
				meets := last != 0 && rng.IntN(2) == 0
				if !meets {
					at += 1 + rng.Int64N(20000)
				}
				c := b.place(src, track, at, 20000, long)
				from := at
				if meets {
					over := 1 + rng.Int64N(900)
					b.do(&reel.SetBlend{Left: last, Right: c, Before: over, After: over, Law: gain.ConstantPower, Lean: 0.5})
				}
				for k := from; k < at+long; k++ {
					covered[k] = true
				}
				last, at = c, at+long
			}
		}
		m, err := New(b.r, b.open, Options{})
		if err != nil {
			t.Fatal(err)
		}
		for k, silent := range stretches(m, 0, n) {
			if silent == covered[k] {
				t.Fatalf("sample %d: silent %v, covered %v", k, silent, covered[k])
			}
		}
		for range 20 {
			from := rng.Int64N(n)
			for k, silent := range stretches(m, from, n) {
				if at := from + int64(k); silent == covered[at] {
					t.Fatalf("from %d sample %d: silent %v", from, at, silent)
				}
			}
		}
	}
}

// With treated tracks whatever is called silent is rendered as silence, and not all that
// is silent has to be called so; from anywhere it is told alike.
func TestStretchesOfTreatedTracks(t *testing.T) {
	b := newBench(t, 48000)
	src, one, two := b.source(noise(1, 60000)), b.track(), b.track()
	b.place(src, one, 100000, 0, 3000)
	b.place(src, one, 500000, 0, 50000)
	b.place(src, two, 220000, 0, 7)
	does := telephone
	does.Expander = treat.UsualExpander
	b.do(&reel.Treat{Track: one, Does: &does})
	const n = 700000
	m, err := New(b.r, b.open, Options{})
	if err != nil {
		t.Fatal(err)
	}
	left, right := b.render(Options{}, 0, n)
	told, quiet := stretches(m, 0, n), 0
	for k, silent := range told {
		if !silent {
			continue
		}
		if quiet++; left[k] != 0 || right[k] != 0 {
			t.Fatalf("sample %d is called silent and is %g, %g", k, left[k], right[k])
		}
	}
	if quiet < n/3 {
		t.Errorf("only %d of %d samples are called silent", quiet, n)
	}
	rng := rand.New(rand.NewPCG(8, 8))
	for range 20 {
		from := rng.Int64N(n)
		for k, silent := range stretches(m, from, n) {
			if at := from + int64(k); silent != told[at] {
				t.Fatalf("from %d sample %d is told otherwise: %v", from, at, silent)
			}
		}
	}
}
