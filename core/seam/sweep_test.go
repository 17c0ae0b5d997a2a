package seam

import (
	"context"
	"math"
	"strings"
	"testing"

	"blendseam/core/gain"
	"blendseam/core/reel"
	"blendseam/outside"
)

// sweepAll sweeps every seam of the reel and does what it proposes.
func (b *bench) sweepAll() []Row {
	b.t.Helper()
	rows, err := Sweep(context.Background(), b.r, b.open, b.r.Seams(), func(float64) {})
	if err != nil {
		b.t.Fatal(err)
	}
	if e := Edit(rows, "sweep", func(int) bool { return true }); e != nil {
		b.do(e)
	}
	return rows
}

func rowOf(rows []Row, left, right reel.ID) Row {
	for _, r := range rows {
		if r.Before.Left == left && r.Before.Right == right {
			return r
		}
	}
	return Row{}
}

// voiceIn is a recorded voice over a room: a pause, then the voice.
func voiceIn(t *testing.T, k int, room float64, pause int) []float32 {
	v := outside.Voices(t)[k]
	out := hiss(uint64(100+k), pause+len(v)+second, room)
	for i, s := range v {
		out[pause+i] += s
	}
	return out
}

func TestSweepGoesByWhatIsThere(t *testing.T) {
	b := newBench(t, second)
	dialogue, music, spots := b.track(reel.Dialogue), b.track(reel.Music), b.track(reel.Spots)
	// A room that goes on, in another stretch of it; a room that changes by 7 dB.
	air, other := b.source(hiss(1, 30*second, -50)), b.source(hiss(2, 30*second, -57))
	one := b.place(air, dialogue, 0, 5*second, 3*second)
	two := b.place(air, dialogue, 3*second, 15*second, 3*second)
	three := b.place(other, dialogue, 6*second, 15*second, 3*second)
	// A word stands in the handle right beyond the tail, and one right ahead of the head.
	talk := voiceIn(t, 0, -50, 4*second)
	four := b.place(b.source(talk), dialogue, 9*second, second, 3*second-second/50)
	five := b.place(air, dialogue, 12*second-second/50, 20*second, 3*second)
	bed := b.place(b.source(hiss(5, 20*second, -30)), music, 20*second, second, 4*second)
	rest := b.place(b.source(hiss(6, 20*second, -30)), music, 24*second, second, 6*second)
	shot := b.place(b.source(hiss(7, second, -20)), spots, 22*second, 100, second/2)
	rows := b.sweepAll()

	blend := func(left reel.ID) reel.Blend { _, tail := b.r.BlendAt(left); return tail }
	if n := blend(one).Length(); n != int64(second*4/100) {
		t.Errorf("inside a room that goes on the blend has %d samples", n)
	}
	if n := blend(two).Length(); n < second/2 {
		t.Errorf("across a room change of 7 dB the blend has %d samples", n)
	}
	if r := rowOf(rows, two, three); r.Before.Verdict != Mend || r.After == nil || r.After.of("room").Verdict != Fine {
		t.Errorf("the room change: %s", r.Before.Why)
	}
	// The word beyond the tail is not pulled in: nothing of the blend lies where it sounds.
	if x := blend(four); x.ID != 0 && x.After > second/50+480 {
		t.Errorf("the blend reaches %d samples into the handle, where a word stands", x.After)
	}
	if x := blend(bed); x.Length() != int64(musicBlend*second) || x.Law != gain.ConstantPower {
		t.Errorf("unlike music is blended by %d samples, %s", x.Length(), x.Law)
	}
	if c, _ := b.r.Clip(shot); c.FadeIn.Length == 0 || c.FadeOut.Length == 0 {
		t.Error("a clip without a neighbour has no fades")
	}
	for _, r := range rows {
		if r.After != nil && !r.Worse && r.After.Verdict.rank() > r.Before.Verdict.rank() {
			t.Errorf("seam at %d became worse: %s", r.Before.At, r.After.Why)
		}
		if r.Plan.Edit == nil && r.Plan.Why == "" {
			t.Error("nothing is proposed and it is not said why")
		}
	}
	_, _ = five, rest
}

// Sound of one recording that is laid twice, in step, is alike: its blend
// shares the gain, not the power.
func TestLawByLikeness(t *testing.T) {
	b := newBench(t, second)
	tr := b.track(reel.Music)
	v, w := likeNoise(9, 8*second, 0.6)
	x, y, z := b.source(v), b.source(v), b.source(w)
	one := b.place(x, tr, 0, second, second)
	two := b.place(y, tr, second, 2*second, second)
	b.place(z, tr, 2*second, 3*second, second)
	b.sweepAll()
	if _, tail := b.r.BlendAt(one); tail.Law != gain.ConstantGain {
		t.Errorf("like sides: %q", tail.Law)
	}
	if _, tail := b.r.BlendAt(two); tail.Law != gain.Matched {
		t.Errorf("sides that are alike by 0.6: %q", tail.Law)
	}
}

func likeNoise(seed uint64, n int, r float64) (x, y []float32) {
	x, y = hiss(seed, n, -30), hiss(seed+1, n, -30)
	for i := range y {
		y[i] = float32(r*float64(x[i]) + math.Sqrt(1-r*r)*float64(y[i]))
	}
	return x, y
}

func TestSweepFillsHoles(t *testing.T) {
	b := newBench(t, second)
	tone, tr := b.track(reel.RoomTone), b.track(reel.Dialogue)
	air := b.source(hiss(1, 20*second, -50))
	left := b.place(air, tone, 0, second, 3*second)
	b.place(air, tr, 4*second, 10*second, 3*second)
	if j := b.judge(left, 0); j.of("hole").Verdict != Mend {
		t.Fatalf("%+v", j.Findings)
	}
	rows := b.sweepAll()
	if r := rowOf(rows, left, 0); r.After == nil || r.After.Hole != 0 || r.Worse {
		t.Errorf("%+v", r.Plan)
	}
	if c, _ := b.r.Clip(left); c.End() < 4*second || c.FadeOut.Length == 0 {
		t.Error("the tone does not run on over the hole")
	}
	// Without a handle on either side it says what would help.
	d := newBench(t, second)
	tr = d.track(reel.Dialogue)
	short := d.source(hiss(1, 2*second, -50))
	left = d.place(short, tr, 0, 0, 2*second)
	d.place(short, tr, 3*second, 0, 2*second)
	rows = d.sweepAll()
	if r := rowOf(rows, left, 0); r.Plan.Edit != nil || !strings.Contains(r.Plan.Why, "room tone") {
		t.Errorf("%+v", r.Plan)
	}
}

// A sweep that is applied again finds nothing more to do, and is one step.
func TestSweepComesToRest(t *testing.T) {
	b := newBench(t, second)
	tr := b.track(reel.Dialogue)
	air := b.source(hiss(1, 30*second, -50))
	at := int64(0)
	for k := range int64(10) {
		b.place(air, tr, at, 2*second+k*second*2, second)
		at += second + []int64{0, 0, 9600}[k%3]
	}
	first := b.sweepAll()
	mend := func(rows []Row) (n int) {
		for _, r := range rows {
			if r.Before.Verdict == Mend {
				n++
			}
		}
		return n
	}
	second := b.sweepAll()
	if mend(second) > 0 || mend(first) == 0 {
		t.Errorf("%d to mend before, %d after", mend(first), mend(second))
	}
	if e := Edit(second, "again", func(int) bool { return true }); e != nil {
		t.Errorf("a second sweep would do %d more edits", len(e.Edits))
	}
	if e := Edit(first, "none", func(int) bool { return false }); e != nil {
		t.Error("rows that are left out are done")
	}
}

func TestBetterCuts(t *testing.T) {
	ctx := context.Background()
	find := func(b *bench, left, right reel.ID) []Better {
		t.Helper()
		for _, s := range b.r.Seams() {
			if s.Left == left && s.Right == right {
				got, err := b.meter().Better(ctx, s, second*4/25)
				if err != nil {
					t.Fatal(err)
				}
				return got
			}
		}
		return nil
	}
	// Wild sound: the same tone cut out of step is brought into step by a slip.
	b := newBench(t, second)
	tr := b.track(reel.Music)
	tone := make([]float32, 10*second)
	for i := range tone {
		x := float64(i)
		tone[i] = float32(0.1*math.Sin(x*0.031) + 0.07*math.Sin(x*0.0527+1) + 0.05*math.Sin(x*0.0113))
	}
	src := b.source(tone)
	left, right := b.place(src, tr, 0, second, 2*second), b.place(src, tr, 2*second, 3*second+333, 2*second)
	places := find(b, left, right)
	if len(places) < 2 || places[0].Edit != nil || places[0].Click < 12 {
		t.Fatalf("%+v", places)
	}
	if best := places[1]; best.Slip != 333 || best.R < 0.999 || best.Click >= 12 {
		t.Errorf("the best is %+v; a slip of 333 samples would make it go on", best)
	}
	b.do(places[1].Edit)
	if j := b.judge(left, right); j.of("click").Verdict != Fine {
		t.Errorf("after it: %s", j.Why)
	}
	// Sync sound is rolled alone, and never into a word.
	d := newBench(t, second)
	tr = d.track(reel.Dialogue)
	const cut = 20000 // in both words
	out, in := voiceIn(t, 2, -55, 2*second), voiceIn(t, 3, -55, 2*second)
	left, right = d.place(d.source(out), tr, 0, 0, 2*second+cut), d.place(d.source(in), tr, 2*second+cut, 2*second+cut, second)
	places = find(d, left, right)
	if !places[0].Word {
		t.Errorf("the cut lies in a word: %+v", places[0])
	}
	for _, p := range places[1:] {
		if p.Slip != 0 || p.Word {
			t.Errorf("for sync sound: %+v", p)
		}
		if p.cost >= places[0].cost {
			t.Error("a place is no better than the cut as it is")
		}
	}
	if len(places) > 1+MostBetter {
		t.Errorf("%d places", len(places))
	}
}

func TestSpectraAndCourse(t *testing.T) {
	ctx := context.Background()
	b := newBench(t, second)
	tr := b.track(reel.Dialogue)
	dark := hiss(2, 10*second, -40)
	for i := 1; i < len(dark); i++ { // a room without treble
		dark[i] = 0.95*dark[i-1] + 0.05*dark[i]
	}
	left, right := b.place(b.source(hiss(1, 10*second, -40)), tr, 0, 0, 4*second), b.place(b.source(louder(dark, 16)), tr, 4*second, 3*second, 4*second)
	s := b.r.Seams()[1]
	got, err := b.meter().Spectra(ctx, s)
	if err != nil || got.Distance == nil || *got.Distance < 6 || len(got.Out.Room) != len(got.Centres) || len(got.In.All) != len(got.Centres) {
		t.Fatalf("%+v %v", got, err)
	}
	if j := b.judge(left, right); j.of("colour").Verdict != Check {
		t.Errorf("rooms %.1f dB apart in colour: %s", j.Tint, j.of("colour").Verdict)
	}
	// The line of the course is where constant power of unrelated sides goes.
	b.do(&reel.SetBlend{Left: left, Right: right, Before: second / 4, After: second / 4, Law: gain.ConstantGain, Lean: gain.Even})
	c, err := CourseOf(ctx, b.r, b.open, b.r.Seams()[1], second)
	if err != nil || len(c.Line) != len(c.Blend) || len(c.Hard) != len(c.Blend) || c.Within != 1.5 {
		t.Fatalf("%+v %v", c, err)
	}
	mid := len(c.Blend) / 2
	if d := c.Blend[mid] - c.Line[mid]; math.Abs(d+3) > 0.5 {
		t.Errorf("constant gain lies %.2f dB off the line in the middle", d)
	}
	for _, k := range []int{3, len(c.Blend) - 4} {
		if c.Blend[k] != c.Line[k] {
			t.Error("outside of the blend the line leaves the level")
		}
	}
}

// What measures worse than before is left out and says so: here no dip at all
// is allowed, so that no blend can do.
func TestWorseIsLeftOut(t *testing.T) {
	b := newBench(t, second)
	tr := b.track(reel.Music)
	tone := make([]float32, 8*second)
	for i := range tone {
		tone[i] = float32(0.2 * math.Sin(float64(i)*0.05))
	}
	src := b.source(tone)
	left, right := b.place(src, tr, 0, second, 2*second+31), b.place(src, tr, 2*second+31, 4*second, 2*second)
	b.do(&reel.SetReel{Limits: &reel.Tolerances{Click: reel.Tolerance{Hear: 40, Mend: 9000}, Dip: reel.Tolerance{Hear: 1e-9, Mend: 1e-8}}})
	rows := b.sweepAll()
	r := rowOf(rows, left, right)
	if r.Before.Verdict != Check || r.Plan.Edit == nil || !r.Worse || !strings.Contains(r.Plan.Why, "worse") {
		t.Errorf("%s: %+v, worse %v", r.Before.Verdict, r.Plan, r.Worse)
	}
	if _, tail := b.r.BlendAt(left); tail.ID != 0 {
		t.Error("what is worse is done all the same")
	}
}
