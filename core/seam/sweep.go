package seam

import (
	"context"
	"errors"
	"fmt"
	"math"

	"blendseam/core/mix"
	"blendseam/core/reel"
)

// Row is one seam of a sweep: what is proposed, and the seam before and after.
type Row struct {
	Before Judgement
	After  *Judgement // nil where nothing is proposed
	Plan   Plan
	Worse  bool // by measurement; it is left out
}

// Sweep proposes for each of some seams and measures what would become of
// them. Proposals that are refused together with the others, or that make
// their seam worse, are left out and say why. Progress goes from 0 to 1.
func Sweep(ctx context.Context, r *reel.Reel, open mix.Open, seams []reel.Seam, progress func(float64)) ([]Row, error) {
	now := New(r, open)
	rows := make([]Row, 0, len(seams))
	for i, s := range seams {
		got, err := now.Measure(ctx, s)
		if err != nil {
			return nil, err
		}
		row := Row{Before: got.Judge(r.Props.Limits)}
		if row.Plan, err = now.Propose(ctx, row.Before); err != nil {
			return nil, err
		}
		rows = append(rows, row)
		progress(0.6 * float64(i+1) / float64(len(seams)))
	}
	// Made one after the other: what one needs another may have taken.
	next := r
	for i := range rows {
		p := &rows[i].Plan
		if p.Edit == nil {
			continue
		}
		made, err := p.Edit.Apply(next)
		if err != nil {
			var no *reel.Refusal
			if !errors.As(err, &no) {
				return nil, err
			}
			*p = none("%s", no.Error())
			continue
		}
		next = made.Reel
	}
	then := New(next, open)
	after := map[reel.ID]map[reel.ID]reel.Seam{}
	for _, s := range next.Seams() {
		if after[s.Left] == nil {
			after[s.Left] = map[reel.ID]reel.Seam{}
		}
		after[s.Left][s.Right] = s
	}
	for i := range rows {
		row := &rows[i]
		progress(0.6 + 0.4*float64(i+1)/float64(len(rows)))
		if row.Plan.Edit == nil {
			continue
		}
		s, ok := after[row.Before.Left][row.Before.Right]
		if !ok { // a tail that runs on may have met the next clip
			for _, s = range after[row.Before.Left] {
				ok = true
			}
		}
		if !ok {
			continue
		}
		got, err := then.Measure(ctx, s)
		if err != nil {
			return nil, err
		}
		j := got.Judge(r.Props.Limits)
		row.After = &j
		if j.Verdict.rank() > row.Before.Verdict.rank() || j.Verdict != Fine && j.Score > row.Before.Score+0.2 {
			row.Worse = true
			row.Plan.Why = "Left out: it would make the seam worse (" + j.Brief + ")."
		} else if row.Before.wrong() && !row.Before.bettered(j) {
			row.Worse = true
			row.Plan.Why = "Left out: it would change nothing."
		} else if math.Abs(got.Sag) > leastSag && math.Abs(got.Sag) > math.Abs(row.Before.Sag)+1 {
			row.Worse = true
			row.Plan.Why = fmt.Sprintf("Left out: the level would change by %.1f dB within the blend.", math.Abs(got.Sag))
		}
	}
	return rows, nil
}

// leastSag is the dip or swell over 30 ms through a proposed blend from which on
// it is left out, in dB.
const leastSag = 4.0

// bettered reports whether any finding is better in another judgement: of a
// better verdict, or nearer to its limit by a tenth.
func (j Judgement) bettered(then Judgement) bool {
	after := map[string]Finding{}
	for _, f := range then.Findings {
		after[f.What] = f
	}
	for _, f := range j.Findings {
		if f.Verdict != Check && f.Verdict != Mend {
			continue
		}
		g, still := after[f.What]
		if !still || g.Verdict.rank() < f.Verdict.rank() || g.weight < 0.9*f.weight && g.Verdict == f.Verdict {
			return true
		}
	}
	return false
}

// Edit is the sweep as one step: the proposals of the rows that keep lets
// through, nil when there are none.
func Edit(rows []Row, label string, keep func(int) bool) *reel.Together {
	out := &reel.Together{Label: label}
	for i, row := range rows {
		if row.Plan.Edit == nil || row.Worse || !keep(i) {
			continue
		}
		if many, ok := row.Plan.Edit.(*reel.Together); ok {
			out.Edits = append(out.Edits, many.Edits...)
		} else {
			out.Edits = append(out.Edits, row.Plan.Edit)
		}
	}
	if len(out.Edits) == 0 {
		return nil
	}
	return out
}
