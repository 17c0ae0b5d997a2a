package reel

import (
	"math"
	"testing"

	"blendseam/core/gain"
)

func TestGainOfManyClips(t *testing.T) {
	r, a, b := pair(t)
	by := func(db float64, ids ...ID) *Gain { return &Gain{Clips: ids, ByDB: &db} }
	to := func(db float64, ids ...ID) *Gain { return &Gain{Clips: ids, ToDB: &db} }
	at := func(r *Reel) [2]float64 {
		x, _ := r.Clip(a.ID)
		y, _ := r.Clip(b.ID)
		return [2]float64{x.GainDB, y.GainDB}
	}
	r = mustApply(t, r, to(-3, a.ID))
	r = mustApply(t, r, by(0.1, a.ID, b.ID))
	r = mustApply(t, r, by(0.2, a.ID, b.ID))
	if got := at(r); got != [2]float64{-2.7, 0.3} { // no dust of binary fractions
		t.Errorf("%v", got)
	}
	if got := at(mustApply(t, r, to(6.5, a.ID, b.ID))); got != [2]float64{6.5, 6.5} {
		t.Errorf("%v", got)
	}
	// What is silent stays so when it is raised with others.
	quiet := mustApply(t, r, to(gain.MinDB, b.ID))
	if got := at(mustApply(t, quiet, by(12, a.ID, b.ID))); got != [2]float64{9.3, gain.MinDB} {
		t.Errorf("%v", got)
	}
	for _, c := range []struct {
		edit  *Gain
		after [2]float64 // by the offer
	}{
		{by(61, a.ID, b.ID), [2]float64{57, 60}},
		{by(-1e9, a.ID, b.ID), [2]float64{-144, -141}},
		{to(61, a.ID), [2]float64{60, 0.3}},
		{to(-200, a.ID), [2]float64{-144, 0.3}},
		{by(math.Inf(1), b.ID), [2]float64{-2.7, 60}},
	} {
		_, err := c.edit.Apply(r)
		no, ok := err.(*Refusal)
		if !ok || no.Offer == nil || no.Possible == "" {
			t.Errorf("%+v: %v", c.edit, err)
			continue
		}
		if got := at(mustApply(t, r, no.Offer)); got != c.after {
			t.Errorf("%s leads to %v, want %v", no, got, c.after)
		}
	}
	for _, e := range []*Gain{by(math.NaN(), a.ID), to(math.NaN(), a.ID), {Clips: []ID{a.ID}}, by(1), by(1, 999)} {
		if _, err := e.Apply(r); err == nil {
			t.Errorf("%+v was done", e)
		}
	}
	yes := true
	if _, err := by(1, a.ID).Apply(mustApply(t, r, &SetTrack{Track: a.Track, Locked: &yes})); err == nil {
		t.Error("a clip of a locked track was raised")
	}
}

func TestDecibels(t *testing.T) {
	for db, want := range map[float64]string{0: "0.0 dB", 3: "+3.0 dB", -0.5: "−0.5 dB", -12.25: "−12.25 dB", 60: "+60.0 dB", -144: "−∞ dB"} {
		if got := Decibels(db); got != want {
			t.Errorf("%g: %q, want %q", db, got, want)
		}
	}
	if gain.FromDB(gain.MinDB) != 0 || gain.FromDB(-143.9) == 0 {
		t.Error("−∞ is not silence, or more than that is")
	}
}
