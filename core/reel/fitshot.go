package reel

import (
	"cmp"
	"fmt"
	"math"
	"slices"
)

// FitShot has a shot run slower or faster, so that it is so long, and the clips of sound
// that are tied to it with it, their pitch kept: what was in step all along still is.
// Length 0 takes that back from the shot and from those that were fitted.
type FitShot struct {
	Shot   ID    `json:"shot"`
	Length int64 `json:"length"` // that it is to have, brought to whole frames
	Later  Later `json:"later,omitempty"`
	// Recordings are the content hashes of the copies, by clip. Without them it is tried,
	// not done: what it leads to has no sound yet.
	Recordings map[ID]string `json:"-"`
}

// Names implements Edit.
func (e *FitShot) Names() []ID { return []ID{e.Shot} }

// Fittings tells what has to be computed before a shot can be fitted with its sound, by
// the clip that it is for.
func (e *FitShot) Fittings(r *Reel) (map[ID]Fitting, error) {
	if _, err := e.Apply(r); err != nil {
		return nil, err
	}
	shot, err := r.one(e.Shot)
	if err != nil {
		return nil, err
	}
	fits, _ := e.sounds(r, shot)
	out := map[ID]Fitting{}
	for _, f := range fits {
		if f.Length == 0 {
			continue
		}
		if out[f.Clip], err = f.Fitting(r); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// Apply implements Edit.
func (e *FitShot) Apply(r *Reel) (*Done, error) {
	was, err := r.one(e.Shot)
	if err != nil {
		return nil, err
	}
	pace := &PaceShot{Shot: e.Shot, Length: e.Length, Later: e.Later}
	src, _ := r.Source(was.Source)
	own, _, n := r.shotAsRecorded(was)
	if err := invalid(e.Later.check()); err != nil {
		return nil, err
	}
	if err := pace.possible(was, src, own, r.Props, n); err != nil {
		return nil, err
	}
	fits, left := e.sounds(r, was)
	if len(fits) == 0 {
		no := refuse("“%s” has no tied sound that can be fitted.", was.Name)
		no.Possible = "Change the speed of the shot alone."
		if done, err := pace.Apply(r); err == nil && done != nil {
			no.Offer, no.Take = pace, "Change the shot alone"
		}
		return nil, no
	}
	// What gets shorter makes room for what follows; what gets longer needs it first.
	e.fromOutside(r, was, fits)
	steps := []Edit{pace}
	for _, f := range fits {
		steps = append(steps, f)
	}
	if e.end(r, was) < was.End() {
		slices.Reverse(steps)
	}
	done, err := inTurn(r, steps)
	if err != nil {
		return nil, e.refusal(r, err)
	}
	if done, err = e.inStep(r, done, was, fits); err != nil {
		return nil, err
	}
	now, _ := done.Reel.Clip(was.ID)
	p := r.Props
	done.Label = fmt.Sprintf("run “%s” over %s, with its sound", was.Name, p.span(now.Length))
	if e.Length == 0 {
		done.Label = "“" + was.Name + "” as recorded, with its sound"
	}
	done.Notes = slices.Compact(done.Notes)
	if left > 0 {
		done.Notes = append(done.Notes, fmt.Sprintf("%s tied to it %s as %s: room tone and missing media are not fitted.", count(left, "clip"), plural(left, "stays", "stay"), plural(left, "it is", "they are")))
	}
	return done, nil
}

// end is where the shot is to end.
func (e *FitShot) end(r *Reel, was Clip) int64 {
	p := r.Props
	f := p.framed(was)
	_, _, n := r.shotAsRecorded(was)
	if e.Length != 0 {
		n = max(p.nearest(was.Start+e.Length)-f.start, 1)
	}
	return p.sample(f.start + n)
}

// sounds are the fits of what is tied to the shot, and how many are not fitted. Each
// begins and ends where the shot's new speed brings its ends; as recorded, where the one
// that it adjoined ends.
func (e *FitShot) sounds(r *Reel, was Clip) (out []*FitClip, left int) {
	by := float64(e.end(r, was)-was.Start) / float64(was.Length)
	at := func(x int64) int64 { return was.Start + int64(math.Round(float64(x-was.Start)*by)) }
	tied := r.TiedTo(was.ID)
	clip := func(t Tie) Clip { c, _ := r.Clip(t.Clip); return c }
	slices.SortFunc(tied, func(a, b Tie) int {
		return cmp.Or(cmp.Compare(clip(a).Track, clip(b).Track), cmp.Compare(clip(a).Start, clip(b).Start))
	})
	ends := map[ID]struct{ was, now int64 }{} // of the one before on each track
	for _, t := range tied {
		c := clip(t)
		src, _ := r.Source(c.Source)
		start, end := at(c.Start), at(c.End())
		switch {
		case src.Bed.Grown() || src.Missing():
			left++
		case e.Length == 0 && src.Fitted():
			if last, ok := ends[c.Track]; ok && last.was == c.Start {
				start = last.now
			}
			_, _, span, _ := r.asRecorded(c)
			ends[c.Track] = struct{ was, now int64 }{c.End(), start + span}
			out = append(out, &FitClip{Clip: c.ID, Start: &start, Later: Stay, bare: true})
		case e.Length == 0 || end-start == c.Length:
		default:
			out = append(out, &FitClip{Clip: c.ID, Length: max(end-start, 1), Start: &start, Later: Stay, Recording: e.Recordings[c.ID], bare: true})
		}
	}
	return out, left
}

// fromOutside orders what is fitted so that each makes room for the next where all get
// longer: the furthest from the shot's beginning first, what lies across that last.
func (e *FitShot) fromOutside(r *Reel, was Clip, fits []*FitClip) {
	far := func(f *FitClip) int64 {
		switch c, _ := r.Clip(f.Clip); {
		case c.Start >= was.Start:
			return c.Start - was.Start
		case c.End() <= was.Start:
			return was.Start - c.End()
		}
		return -1
	}
	slices.SortStableFunc(fits, func(a, b *FitClip) int { return cmp.Compare(far(b), far(a)) })
}

// inStep leaves each clip as far off its picture as it was, at the new speed.
func (e *FitShot) inStep(r *Reel, done *Done, was Clip, fits []*FitClip) (*Done, error) {
	out := *done.Reel
	now, _ := out.Clip(was.ID)
	by := float64(now.Length) / float64(was.Length)
	for _, f := range fits {
		t := r.TieOf(f.Clip)
		before, _ := r.Clip(f.Clip)
		after, there := out.Clip(f.Clip)
		if !there {
			continue
		}
		off := between(was, before) - t.Sync
		t.Sync = between(now, after) - int64(math.Round(float64(off)*by))
		out.Ties = with(out.Ties, t)
	}
	again, err := done.Reel.finish(&out, done.Outcome)
	return again, err
}

// refusal makes that of a step one of this edit.
func (e *FitShot) refusal(r *Reel, err error) error {
	no, ok := err.(*Refusal)
	if !ok {
		return err
	}
	own := &Refusal{Reason: no.Reason, Possible: no.Possible, Limit: no.Limit}
	if p, ok := no.Offer.(*PaceShot); ok && p.Length != e.Length {
		fit := *e
		fit.Length = p.Length
		if _, err := fit.Apply(r); err == nil {
			own.Offer, own.Take = &fit, no.Take
		}
	}
	return own
}
