package seam

import (
	"context"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"blendseam/core/gain"
	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/core/timecode"
	"blendseam/outside"
)

// bench is a reel to build up by edits, with its sound in memory.
type bench struct {
	t     testing.TB
	r     *reel.Reel
	sound map[string]sound.Memory
}

func newBench(t testing.TB, rate int) *bench {
	return &bench{t, &reel.Reel{NextID: 1, Props: reel.Props{Name: "t", SampleRate: rate, FrameRate: timecode.Rate25}}, map[string]sound.Memory{}}
}

func (b *bench) do(e reel.Edit) reel.ID {
	b.t.Helper()
	done, err := e.Apply(b.r)
	if err != nil {
		b.t.Fatalf("%T: %v", e, err)
	}
	b.r = done.Reel
	if len(done.Made) > 0 {
		return done.Made[0]
	}
	return 0
}

func (b *bench) track(role reel.Role) reel.ID {
	return b.do(&reel.AddTrack{Name: string(role), Role: role})
}

func (b *bench) source(v ...[]float32) reel.ID {
	hash := string(rune('a' + len(b.sound)))
	b.sound[hash] = v
	right := -1
	if len(v) > 1 {
		right = 1
	}
	return b.do(&reel.AddSource{Source: reel.Source{Recording: hash, Name: hash, Right: right, Length: int64(len(v[0])), StartTC: -1}})
}

func (b *bench) place(source, track reel.ID, start, offset, length int64) reel.ID {
	return b.do(&reel.Place{Source: source, Track: track, Start: start, Offset: offset, Length: length})
}

func (b *bench) open(s reel.Source) (sound.Reader, error) { return b.sound[s.Recording], nil }

func (b *bench) meter() *Meter { return New(b.r, b.open) }

// judge measures the seam of two clips, 0 for none.
func (b *bench) judge(left, right reel.ID) Judgement {
	b.t.Helper()
	for _, s := range b.r.Seams() {
		if s.Left == left && s.Right == right {
			m, err := b.meter().Measure(context.Background(), s)
			if err != nil {
				b.t.Fatal(err)
			}
			return m.Judge(b.r.Props.Limits)
		}
	}
	b.t.Fatalf("there is no seam of %d and %d", left, right)
	return Judgement{}
}

// hiss is Gaussian noise, the made-up air of a room, at a level in dBFS.
func hiss(seed uint64, n int, db float64) []float32 {
	rng, g := rand.New(rand.NewPCG(seed, 2)), math.Pow(10, db/20)
	v := make([]float32, n)
	for i := range v {
		v[i] = float32(g * rng.NormFloat64())
	}
	return v
}

func louder(v []float32, db float64) []float32 {
	out, g := make([]float32, len(v)), float32(math.Pow(10, db/20))
	for i, s := range v {
		out[i] = s * g
	}
	return out
}

func (j Judgement) of(what string) Finding {
	for _, f := range j.Findings {
		if f.What == what {
			return f
		}
	}
	return Finding{Verdict: "none"}
}

const second = 48000

// Two rooms of known levels that meet: the step is what was made, a blend
// spreads it, and tone underneath carries it.
func TestRoomStep(t *testing.T) {
	b := newBench(t, second)
	tr, tone := b.track(reel.Dialogue), b.track(reel.RoomTone)
	x, y := b.source(hiss(1, 10*second, -50)), b.source(hiss(2, 10*second, -57))
	left, right := b.place(x, tr, 0, 0, 5*second), b.place(y, tr, 5*second, 3*second, 5*second)
	j := b.judge(left, right)
	if math.Abs(j.Step+7) > 0.4 || j.Verdict != Mend || j.of("room").Verdict != Mend || math.Abs(j.Out.Room+50) > 0.5 || math.Abs(j.In.Room+57) > 0.5 {
		t.Errorf("%+v", j)
	}
	if !strings.Contains(j.Why, "drops 7") && !strings.Contains(j.Why, "drops 6.9") || !strings.Contains(j.Why, "blend of") {
		t.Errorf("it says: %s", j.Why)
	}
	b.do(&reel.SetBlend{Left: left, Right: right, Before: 3 * second / 10, After: 3 * second / 10, Law: gain.ConstantPower, Lean: gain.Even})
	if j = b.judge(left, right); math.Abs(j.Room+7.0/3) > 0.3 || j.of("room").Verdict != Fine {
		t.Errorf("with 600 ms: %.2f dB, %s", j.Room, j.of("room").Verdict)
	}
	_, blend := b.r.BlendAt(left)
	b.do(&reel.RemoveBlend{Blend: blend.ID})
	b.place(b.source(hiss(3, 12*second, -46)), tone, 0, 0, 10*second)
	if j = b.judge(left, right); math.Abs(j.Step+1.14) > 0.4 || j.of("room").Verdict != Fine { // 10·log10((P50+P46)/(P57+P46))
		t.Errorf("with tone underneath: %.2f dB", j.Step)
	}
	mute := true
	b.do(&reel.SetTrack{Track: tone, Mute: &mute})
	if j = b.judge(left, right); j.of("room").Verdict != Mend {
		t.Errorf("tone that is muted carries it: %s", j.Why)
	}
	solo := true
	b.do(&reel.SetTrack{Track: tone, Solo: &solo})
	if j = b.judge(left, right); j.Verdict != Mend || j.Muted {
		t.Error("soloing another track alters the verdict")
	}
	b.do(&reel.SetTrack{Track: tr, Mute: &mute})
	if j = b.judge(left, right); j.Verdict != Silent || j.Brief != "not heard, muted" {
		t.Errorf("a muted track's seam: %s, %s", j.Verdict, j.Why)
	}
}

// Limits are the reel's own: the same measure, another verdict.
func TestLimitsOfTheReel(t *testing.T) {
	b := newBench(t, second)
	tr := b.track(reel.Dialogue)
	left, right := b.place(b.source(hiss(1, 6*second, -50)), tr, 0, 0, 4*second), b.place(b.source(hiss(2, 6*second, -54)), tr, 4*second, second, 4*second)
	was := b.judge(left, right)
	if was.of("room").Verdict != Check {
		t.Fatalf("a step of 4 dB: %s", was.of("room").Verdict)
	}
	b.do(&reel.SetReel{Limits: &reel.Tolerances{Room: reel.Tolerance{Hear: 2, Mend: 3.5}, Click: reel.Tolerance{Hear: -1, Mend: -1}}})
	is := b.judge(left, right)
	if is.of("room").Verdict != Mend || is.Print != was.Print || is.Step != was.Step {
		t.Errorf("%s with limits of 2 and 3.5 dB", is.of("room").Verdict)
	}
	if _, err := (&reel.SetReel{Limits: &reel.Tolerances{Room: reel.Tolerance{Hear: 9, Mend: 4}}}).Apply(b.r); err == nil {
		t.Error("limits out of order are taken")
	}
}

// Voice levels of recorded speech: the step is the gain that was set, as
// BS.1770 counts in LU.
func TestVoiceStep(t *testing.T) {
	all := outside.Voices(t)
	var spoken []float32
	for _, v := range all {
		spoken = append(spoken, v...)
	}
	n := int64(len(spoken) / 2)
	for _, db := range []float64{0, 4.5, -7} {
		b := newBench(t, second)
		tr := b.track(reel.Dialogue)
		src := b.source(spoken)
		left, right := b.place(src, tr, 0, 0, n), b.place(src, tr, n, 0, n)
		b.do(&reel.SetClip{Clip: right, GainDB: &db})
		first := b.judge(left, right)
		zero := 0.0
		b.do(&reel.SetClip{Clip: right, GainDB: &zero})
		even := b.judge(left, right)
		if d := (first.In.Voice - first.Out.Voice) - (even.In.Voice - even.Out.Voice); math.Abs(d-db) > 0.05 {
			t.Errorf("a gain of %g dB reads as %.2f LU", db, d)
		}
		if want := map[float64]Verdict{0: Fine, 4.5: Check, -7: Mend}[db]; math.Abs(even.In.Voice-even.Out.Voice) < 1 && first.of("voice").Verdict != want {
			t.Errorf("%g dB: %s", db, first.of("voice").Verdict)
		}
	}
}

func TestHoles(t *testing.T) {
	b := newBench(t, second)
	tr, tone := b.track(reel.Dialogue), b.track(reel.RoomTone)
	src := b.source(hiss(1, 20*second, -50))
	left := b.place(src, tr, 0, second, 3*second)
	right := b.place(src, tr, 3*second+4800, 5*second, 3*second)
	if j := b.judge(left, 0); j.Hole != 4800 || j.of("hole").Verdict != Mend || !strings.Contains(j.Why, "100 ms") {
		t.Errorf("a hole of 100 ms: %+v", j.of("hole"))
	}
	if j := b.judge(right, 0); j.Hole != 0 || !j.Edges || j.of("room").Verdict == Mend {
		t.Errorf("the end of the programme: %+v", j.Findings)
	}
	if j := b.judge(0, left); !j.Edges || j.Verdict == Mend && j.of("room").Verdict == Mend {
		t.Errorf("its beginning: %+v", j.Findings)
	}
	b.do(&reel.Move{Clips: []reel.ID{right}, By: -4800 + 480})
	if j := b.judge(left, 0); j.of("hole").Verdict != Check {
		t.Errorf("a hole of 10 ms: %+v", j.of("hole"))
	}
	b.do(&reel.Move{Clips: []reel.ID{right}, By: -480 + 96})
	if j := b.judge(left, 0); j.Hole != 96 || j.of("hole").Verdict != Fine {
		t.Errorf("a hole of 2 ms: %+v", j.of("hole"))
	}
	b.do(&reel.Move{Clips: []reel.ID{right}, By: 4800})
	under := b.place(src, tone, 2*second, second, 3*second)
	if j := b.judge(left, 0); j.Hole != 0 {
		t.Errorf("a hole under which tone lies: %d", j.Hole)
	}
	// Tone that ends in it leaves the rest.
	b.do(&reel.TrimTo{Clips: []reel.ID{under}, End: reel.Tail, At: 3*second + 1000})
	if j := b.judge(under, 0); j.Hole != 4896-1000 {
		t.Errorf("where the tone ends %d samples are silent", j.Hole)
	}
}

func TestClickDipAndWord(t *testing.T) {
	b := newBench(t, second)
	tr := b.track(reel.Music)
	tone := make([]float32, 8*second)
	for i := range tone {
		tone[i] = float32(0.2 * math.Sin(float64(i)*0.05))
	}
	x := b.source(tone)
	left, right := b.place(x, tr, 0, 0, 2*second+31), b.place(x, tr, 2*second+31, 4*second, 2*second)
	if j := b.judge(left, right); j.of("click").Verdict != Mend {
		t.Errorf("a cut in a tone: %.1f dB", j.Click)
	}
	// Unrelated sides of one level: constant gain dips by 3 dB in its middle,
	// constant power and matched hold it; like sides swell under constant power.
	d := newBench(t, second)
	tr = d.track(reel.Dialogue)
	u, w := d.source(hiss(1, 8*second, -40)), d.source(hiss(2, 8*second, -40))
	left, right = d.place(u, tr, 0, second, 2*second), d.place(w, tr, 2*second, 2*second, 2*second)
	for _, c := range []struct {
		law  gain.Law
		want float64
	}{{gain.ConstantGain, -2.4}, {gain.ConstantPower, 0}, {gain.Matched, 0}} {
		d.do(&reel.SetBlend{Left: left, Right: right, Before: second / 4, After: second / 4, Law: c.law, Lean: gain.Even})
		if j := d.judge(left, right); math.Abs(j.Dip-c.want) > 0.35 || (j.of("dip").Verdict == Fine) != (c.want == 0) {
			t.Errorf("%s: %.2f dB, %s", c.law, j.Dip, j.of("dip").Verdict)
		}
	}
	same := d.place(u, tr, 6*second, second, second)
	next := d.place(u, tr, 7*second, 2*second, second)
	d.do(&reel.SetBlend{Left: same, Right: next, Before: second / 4, After: second / 4, Law: gain.ConstantPower, Lean: gain.Even})
	if j := d.judge(same, next); math.Abs(j.Dip-2.5) > 0.4 || math.Abs(j.Like.R-1) > 1e-6 || !strings.Contains(j.Why, "swells") {
		t.Errorf("like sides: %.2f dB, alike by %.3f: %s", j.Dip, j.Like.R, j.Why)
	}
	// One goes on where the other ends: nothing is heard.
	b2, _ := d.r.BlendAt(next)
	d.do(&reel.RemoveBlend{Blend: b2.ID})
	if j := d.judge(same, next); j.Verdict != Fine || j.Brief != "continuous" {
		t.Errorf("a cut in what goes on: %s %s", j.Verdict, j.Why)
	}
}

// Measures have no NaN and no error at the edges: clips of one sample, a cut
// at the very start, silence, full scale, stereo, all rates.
func TestEdges(t *testing.T) {
	for _, rate := range []int{44100, 48000, 96000} {
		b := newBench(t, rate)
		loud, mute, full := hiss(1, 2*rate, -20), make([]float32, rate), make([]float32, rate)
		for i := range full {
			full[i] = 1
		}
		sources := []reel.ID{b.source(loud), b.source(mute), b.source(full), b.source(loud, hiss(4, 2*rate, -30))}
		for _, role := range reel.Roles {
			tr, at := b.track(role), int64(0)
			for k := range 10 {
				n := []int64{1, 2, 500, int64(rate) / 2}[k%4]
				b.place(sources[k%4], tr, at, 1, n)
				at += n + int64(k%3)
			}
		}
		m := b.meter()
		for _, s := range b.r.Seams() {
			got, err := m.Measure(context.Background(), s)
			if err != nil {
				t.Fatal(err)
			}
			j := got.Judge(b.r.Props.Limits)
			for _, v := range []float64{j.Step, j.Room, j.Tint, j.Click, j.Dip, j.Score} {
				if math.IsNaN(v) || math.IsInf(v, 0) {
					t.Fatalf("%+v", j)
				}
			}
			if _, err := m.Propose(context.Background(), j); err != nil {
				t.Fatal(err)
			}
			if s.Kind == reel.CutSeam {
				if _, err := m.Better(context.Background(), s, int64(rate)/25); err != nil {
					t.Fatal(err)
				}
			}
			if _, err := m.Spectra(context.Background(), s); err != nil {
				t.Fatal(err)
			}
			if j.Why == "" {
				t.Error("a seam without a word")
			}
		}
	}
}
