package seam

import (
	"context"
	"math"
	"testing"

	"blendseam/core/gain"
	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/treat"
	"blendseam/outside"
)

// A seam on a treated track is judged as one of recordings that were treated before:
// rooms, the step between them and voices. Recorded voices over two rooms.
func TestSeamAfterTreatment(t *testing.T) {
	const rate = 48000
	voices := outside.Speech(t, outside.SpeechSets[0], 10, 3)
	build := func() (*bench, reel.ID, reel.ID, reel.ID) {
		b := newBench(t, rate)
		tr := b.track(reel.Dialogue)
		var ids []reel.ID
		for i, db := range []float64{-52, -45} {
			v := append([]float32(nil), voices[i][:10*rate]...)
			for k, x := range hiss(uint64(i)+3, len(v), db) {
				v[k] += x
			}
			ids = append(ids, b.place(b.source(v), tr, int64(i)*10*rate, 0, 10*rate))
		}
		return b, tr, ids[0], ids[1]
	}
	gated := treat.UsualExpander
	gated.ThresholdDB, gated.Hold, gated.Release = -36, 20, 60 // so that it settles in the pauses of these voices
	for name, s := range map[string]treat.Settings{
		"high-pass": {HighPass: treat.Cut{Hz: 1000, Slope: 12}}, "low-pass": {LowPass: treat.Cut{Hz: 3000, Slope: 24}},
		"shelf": {HighShelf: treat.Shelf{Hz: 3000, DB: -9}}, "expander": {Expander: gated},
	} {
		b, tr, x, y := build()
		dry := b.judge(x, y)
		b.do(&reel.Treat{Track: tr, Does: &s})
		got := b.judge(x, y)
		m, err := mix.New(b.r, b.open, mix.Options{})
		if err != nil {
			t.Fatal(err)
		}
		left, right := make([]float32, 20*rate), make([]float32, 20*rate)
		if err := m.Render(context.Background(), left, right, 0); err != nil {
			t.Fatal(err)
		}
		baked := newBench(t, rate)
		tr = baked.track(reel.Dialogue)
		u := baked.place(baked.source(left[:10*rate]), tr, 0, 0, 10*rate)
		v := baked.place(baked.source(left[10*rate:]), tr, 10*rate, 0, 10*rate)
		want := baked.judge(u, v)
		if dry.Print == got.Print {
			t.Errorf("%s: the print does not tell of the treatment", name)
		}
		if s.Expander.On() {
			// In what was treated before the room moves, and is not heard as one. Here it
			// is the quietest tenth of a second.
			want.Out.Room, want.In.Room = quietest(left[:10*rate], rate), quietest(left[10*rate:], rate)
			want.Step = want.In.Room - want.Out.Room
		}
		for _, c := range []struct {
			what           string
			dry, got, want float64
			limit          float64
		}{
			{"room before", dry.Out.Room, got.Out.Room, want.Out.Room, 1.2}, {"room after", dry.In.Room, got.In.Room, want.In.Room, 1.2},
			{"step", dry.Step, got.Step, want.Step, 1.5}, {"voice before", dry.Out.Voice, got.Out.Voice, want.Out.Voice, 0.5}, {"voice after", dry.In.Voice, got.In.Voice, want.In.Voice, 0.5},
			{"peak", dry.Out.Peak, got.Out.Peak, want.Out.Peak, 0.2},
		} {
			if math.Abs(c.got-c.want) > c.limit {
				t.Errorf("%s, %s: %.2f, of what was treated before %.2f", name, c.what, c.got, c.want)
			}
		}
	}
}

// quietest is the level of the quietest tenth of a second, in dBFS.
func quietest(v []float32, rate int) float64 {
	out := 0.0
	for at := 0; at+rate/10 <= len(v); at += rate / 100 {
		var sum float64
		for _, x := range v[at : at+rate/10] {
			sum += float64(x) * float64(x)
		}
		out = min(out, 10*math.Log10(sum/float64(rate/10)))
	}
	return out
}

// A track that is lowered over a blend does not make the blend dip.
func TestRideOverABlendIsNoDip(t *testing.T) {
	const rate = 48000
	b := newBench(t, rate)
	tr := b.track(reel.Music)
	x := b.place(b.source(hiss(3, 10*rate, -30)), tr, 0, rate, 4*rate)
	y := b.place(b.source(hiss(4, 10*rate, -30)), tr, 4*rate, rate, 4*rate)
	b.do(&reel.SetBlend{Left: x, Right: y, Before: rate / 4, After: rate / 4, Law: gain.ConstantPower, Lean: gain.Even})
	before := b.judge(x, y)
	for at, db := range map[int64]float64{2 * rate: 0, 3 * rate: -9, 4*rate + rate/8: -9, 5 * rate: -3} {
		b.do(&reel.AddPoint{Track: tr, At: at, DB: &db})
	}
	after := b.judge(x, y)
	if math.Abs(before.Dip) > 0.5 || math.Abs(after.Dip-before.Dip) > 0.2 || math.Abs(after.Sag-before.Sag) > 0.3 {
		t.Errorf("a dip of %.2f dB, %.2f at the worst; without the ride %.2f and %.2f", after.Dip, after.Sag, before.Dip, before.Sag)
	}
}
