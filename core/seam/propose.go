package seam

import (
	"context"
	"fmt"
	"math"

	"blendseam/core/gain"
	"blendseam/core/mix"
	"blendseam/core/reel"
)

// Lengths of what is proposed, in seconds.
const (
	shortBlend = 0.04 // inside a room that goes on
	musicBlend = 0.12
	longBlend  = 1.5 // at the most
	shortFade  = 0.012
	longFade   = 1.0
	overHole   = 1.0 // how far the sound runs on beyond a hole, fading
)

// Plan is what would mend a seam: an edit and what it does in words, or why
// there is none.
type Plan struct {
	Edit reel.Edit
	Says string
	Why  string
}

func none(format string, a ...any) Plan { return Plan{Why: fmt.Sprintf(format, a...)} }

// Propose finds what would mend a seam, by what is there: a short blend inside
// a room that goes on, a longer one where the room changes, none where it
// would pull in a word from the handle; a fade where there is no neighbour;
// and sound that runs on from its handle over a hole.
func (m *Meter) Propose(ctx context.Context, j Judgement) (Plan, error) {
	switch {
	case j.Muted:
		return none("The track is muted."), nil
	case j.Lacks != "":
		return none("%s", sentence(j.Lacks)), nil
	case j.Kind == reel.StruckSeam:
		return m.coverStrike(ctx, j)
	case j.Hole > 0:
		return m.fillHole(j)
	case j.Kind != reel.CutSeam:
		return m.proposeFade(j)
	case j.Continues && j.With.ID == 0:
		return none("Continuous: one clip continues the other."), nil
	}
	helps := j.has("room", "colour", "dip", "click")
	switch {
	case j.With.ID != 0 && !j.wrong():
		return none("The blend that is there is fine."), nil
	case j.has("voice") && !helps:
		return m.proposeGain(ctx, j)
	case j.wrong() && !helps:
		return none("A blend does not help a cut inside a word. Find a better cut."), nil
	}
	return m.proposeBlend(ctx, j)
}

// wrong reports whether anything was found that could be mended.
func (j Judgement) wrong() bool { return j.Verdict == Check || j.Verdict == Mend }

// has reports whether any of the findings is not fine.
func (j Judgement) has(what ...string) bool {
	for _, f := range j.Findings {
		for _, w := range what {
			if f.What == w && (f.Verdict == Check || f.Verdict == Mend) {
				return true
			}
		}
	}
	return false
}

// mostGain is the largest change of a clip's gain that is proposed, in dB: common
// practice, as speech coarsens when it is raised further.
const mostGain = 6.0

// proposeGain brings two voices to one level: the clip whose level is further
// from that of its other neighbour is set, so that no new step is made of the
// one that goes. A step that would only move to the next seam is left alone.
func (m *Meter) proposeGain(ctx context.Context, j Judgement) (Plan, error) {
	step := math.Round(10*(j.In.Voice-j.Out.Voice)) / 10
	if math.Abs(step) > mostGain {
		return none("The voices differ by %.1f LU, more than a gain of %.0f dB makes even. Set it by ear.", math.Abs(step), mostGain), nil
	}
	best := Plan{Why: "Setting the gain of either clip would move the step to the next cut. Set the gains by ear."}
	least := math.Inf(1)
	for _, one := range []struct {
		clip reel.ID
		by   float64
	}{{j.Right, -step}, {j.Left, step}} {
		c, _ := m.r.Clip(one.clip)
		db := c.GainDB + one.by
		if t, _ := m.r.Track(c.Track); t.Locked || db > gain.MaxDB {
			continue
		}
		e := &reel.SetClip{Clip: c.ID, GainDB: &db}
		next, err := e.Apply(m.r)
		if err != nil {
			continue
		}
		moved, err := m.elsewhere(ctx, next.Reel, c.ID, j.Seam)
		if err != nil {
			return Plan{}, err
		}
		if moved < least && moved <= 0 {
			least = moved
			best = Plan{Edit: e, Says: fmt.Sprintf("gain of “%s” %s", c.Name, signed(one.by, "dB"))}
		}
	}
	return best, nil
}

// elsewhere is by how many LU the step of the voice at a clip's other cut grows in
// another version; 0 for less than one, negative where it shrinks. A verdict
// that gets worse counts as 1.
func (m *Meter) elsewhere(ctx context.Context, next *reel.Reel, clip reel.ID, but reel.Seam) (float64, error) {
	worse := 0.0
	then := New(next, m.open)
	for _, s := range next.Seams() {
		if s.Kind != reel.CutSeam || s.Left != clip && s.Right != clip || s.Left == but.Left && s.Right == but.Right {
			continue
		}
		was, err := m.Measure(ctx, s)
		if err != nil {
			return 0, err
		}
		is, err := then.Measure(ctx, s)
		if err != nil {
			return 0, err
		}
		before, after := was.Judge(m.r.Props.Limits), is.Judge(m.r.Props.Limits)
		if after.Verdict.rank() > before.Verdict.rank() || after.Score > before.Score+0.05 {
			return 1, nil
		}
		if was.Out != nil && was.In != nil && was.Out.Voiced && was.In.Voiced {
			worse += math.Abs(is.In.Voice-is.Out.Voice) - math.Abs(was.In.Voice-was.Out.Voice)
		}
	}
	if worse > 1 {
		return worse, nil
	}
	return min(worse, 0), nil
}

// stretchOf is how long a change has to take so that no more of it than the
// limit allows happens within the time in which it is taken in at once.
func stretchOf(size, limit float64) float64 {
	if limit <= 0 {
		return 0
	}
	return glide * math.Abs(size) / (0.8 * limit)
}

func (m *Meter) proposeBlend(ctx context.Context, j Judgement) (Plan, error) {
	left, _ := m.r.Clip(j.Left)
	right, _ := m.r.Clip(j.Right)
	limits := m.r.Props.Limits.Full()
	want := shortBlend
	if j.Role == reel.Music {
		want = musicBlend
	}
	if math.Abs(j.Room) > 0.5*limits.Room.Hear {
		want = max(want, stretchOf(j.Step, limits.Room.Hear))
	}
	if j.has("colour") {
		want = max(want, stretchOf(j.Tint/m.share(j.With.Length()), limits.Colour.Hear))
	}
	if j.With.ID != 0 {
		want = max(want, float64(j.With.Length())/float64(m.rate))
	}
	n := m.seconds(min(want, longBlend))
	room := m.r.BlendRoom(left, right)
	before, after, err := m.free(j, left, right, room, n)
	if err != nil {
		return Plan{}, err
	}
	b := reel.Blend{Left: left.ID, Right: right.ID, Lean: gain.Even}
	switch half := n / 2; {
	case before >= half && after >= n-half:
		b.Before, b.After = half, n-half
	case before >= n:
		b.Before = n
	case after >= n:
		b.After = n
	case before+after >= min(n, m.seconds(0.01)):
		b.Before = min(before, n)
		b.After = min(after, n-b.Before)
	default:
		// Words on both sides, or no handle: a few milliseconds take a click away.
		b.Before, b.After = min(room.Before, m.seconds(0.004)), min(room.After, m.seconds(0.004))
		if !j.has("click") {
			return none("A blend would pull in sound from the handle, or there is none; look for a better cut nearby."), nil
		}
		if b.Length() < m.seconds(0.002) {
			return none("There is no handle on either side; roll the cut, or slip one of the clips."), nil
		}
	}
	if b.Law, err = m.law(ctx, b); err != nil {
		return Plan{}, err
	}
	e := &reel.SetBlend{Left: b.Left, Right: b.Right, Before: b.Before, After: b.After, Law: b.Law, Lean: b.Lean}
	lie := "across"
	if b.After == 0 {
		lie = "before"
	} else if b.Before == 0 {
		lie = "after"
	}
	return Plan{Edit: e, Says: fmt.Sprintf("blend %s %s, %s", span(1000*float64(b.Length())/float64(m.rate)), lie, lawWords[b.Law])}, nil
}

var lawWords = map[gain.Law]string{
	gain.ConstantPower: "constant power", gain.ConstantGain: "constant gain", gain.Matched: "matched",
	gain.ConstantPowerEased: "constant power, eased", gain.ConstantGainEased: "constant gain, eased",
}

// free is how far a blend may reach before and after the cut without pulling
// a word in from a handle or fading one that lies in a clip.
func (m *Meter) free(j Judgement, left, right reel.Clip, room reel.Room, most int64) (before, after int64, err error) {
	before, after = min(room.Before, most), min(room.After, most)
	if j.Role != reel.Dialogue {
		return before, after, nil
	}
	end := left.Offset + left.Length
	for _, look := range []struct {
		clip  reel.Clip
		from  int64
		ahead bool
		far   *int64
	}{
		{right, right.Offset, false, &before}, // its handle, ahead of its head
		{left, end, false, &before},           // what would fade out early
		{left, end, true, &after},             // its handle, beyond its tail
		{right, right.Offset, true, &after},   // what would come in late
	} {
		if *look.far, err = m.quiet(look.clip, look.from, look.ahead, *look.far); err != nil {
			return 0, 0, err
		}
	}
	return before, after, nil
}

// law picks by likeness: like sides share the gain, unlike ones the power, and
// between the two the matched law keeps the level. Where that dips or swells in
// a short window more than another would, the other is taken.
func (m *Meter) law(ctx context.Context, b reel.Blend) (gain.Law, error) {
	p, err := mix.NewPair(m.r, m.open, b)
	if err != nil {
		return "", err
	}
	l, err := p.Likeness()
	if err != nil {
		return "", err
	}
	first := gain.Matched
	switch {
	case l.R > 0.95 && l.Power > 0.7 && l.Power < 1.4:
		return gain.ConstantGain, nil
	case math.Abs(l.R) < 0.1:
		first = gain.ConstantPower
	}
	best, least := first, math.Inf(1)
	for _, law := range []gain.Law{first, gain.ConstantPower, gain.Matched, gain.ConstantGain} {
		sag, err := m.sagOf(ctx, b, law)
		if err != nil {
			return "", err
		}
		if sag = math.Abs(sag); law == first && sag < muchSag {
			return law, nil
		}
		if sag < least-0.5 {
			best, least = law, sag
		}
	}
	return best, nil
}

// muchSag is a dip or swell over 30 ms that is worth another law, in dB.
const muchSag = 3.0

// sagOf is how far a blend that is tried would dip or swell.
func (m *Meter) sagOf(ctx context.Context, b reel.Blend, law gain.Law) (float64, error) {
	e := &reel.SetBlend{Left: b.Left, Right: b.Right, Before: b.Before, After: b.After, Law: law, Lean: b.Lean}
	next, err := e.Apply(m.r)
	if err != nil {
		return 0, nil // it is refused later, with its reason
	}
	then := New(next.Reel, m.open)
	for _, s := range next.Reel.Seams() {
		if s.Kind != reel.CutSeam || s.Left != b.Left || s.Right != b.Right {
			continue
		}
		left, _ := then.r.Clip(s.Left)
		right, _ := then.r.Clip(s.Right)
		out := Measure{Seam: s, With: then.tails[left.ID], rate: m.rate}
		err := then.through(ctx, &out, left, right)
		return out.Sag, err
	}
	return 0, nil
}
