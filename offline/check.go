package offline

import (
	"context"
	"sort"

	"blendseam/core/reel"
	"blendseam/core/seam"
)

// Checked is a seam with its verdict.
type Checked struct {
	At       int64          `json:"at"` // sample of the reel
	Timecode string         `json:"timecode"`
	Track    string         `json:"track"`
	Title    string         `json:"seam"` // by its clips
	Kind     string         `json:"kind"`
	Verdict  seam.Verdict   `json:"verdict"` // fine, check, mend, unknown or muted
	Accepted bool           `json:"accepted,omitempty"`
	What     string         `json:"what,omitempty"` // the kind of the finding that decides
	Why      string         `json:"why"`
	Brief    string         `json:"brief"`
	Findings []seam.Finding `json:"findings"`
	score    float64
	seam     reel.Seam
}

// Check measures every seam of the document and judges it, the worst first. Limits, where
// they are given, are held against instead of those of the reel.
func (d *Document) Check(ctx context.Context, limits *reel.Tolerances, told func(float64)) ([]Checked, error) {
	held := d.Reel.Props.Limits
	if limits != nil {
		held = *limits
	}
	m := seam.New(d.Reel, d.Sound())
	seams := d.Reel.Seams()
	out := make([]Checked, 0, len(seams))
	for i, s := range seams {
		got, err := m.Measure(ctx, s)
		if err != nil {
			return nil, err
		}
		j := got.Judge(held)
		out = append(out, Checked{
			At: s.At, Timecode: d.timecode(s.At), Track: d.track(s.Track), Title: d.Reel.Title(s), Kind: string(s.Kind),
			Verdict: j.Verdict, Accepted: d.Accepted[got.Print], What: j.What, Why: j.Why, Brief: j.Brief, Findings: j.Findings, score: j.Score, seam: s,
		})
		if told != nil {
			told(float64(i+1) / float64(len(seams)))
		}
	}
	sort.SliceStable(out, func(a, b int) bool { return out[a].score > out[b].score })
	return out, nil
}

func (d *Document) timecode(at int64) string {
	p := d.Reel.Props
	return p.FrameRate.Format(p.StartFrame + p.FrameRate.Frame(at, p.SampleRate))
}

func (d *Document) track(id reel.ID) string {
	t, _ := d.Reel.Track(id)
	return t.Name
}

// Mended is what a sweep made of the document.
type Mended struct {
	Reel *reel.Reel
	Rows []Row
}

// Row is a seam of a sweep.
type Row struct {
	Timecode string        `json:"timecode"`
	Title    string        `json:"seam"`
	Before   seam.Verdict  `json:"before"`
	After    *seam.Verdict `json:"after,omitempty"`
	Does     string        `json:"does,omitempty"`
	Why      string        `json:"why,omitempty"` // where nothing is done
}

// Mend does to every seam that asks for something what the sweep of the bench proposes.
func (d *Document) Mend(ctx context.Context, told func(float64)) (out Mended, err error) {
	out.Reel = d.Reel
	checked, err := d.Check(ctx, nil, func(float64) {})
	if err != nil {
		return out, err
	}
	var seams []reel.Seam
	for _, c := range checked {
		if (c.Verdict == seam.Mend || c.Verdict == seam.Check) && !c.Accepted {
			seams = append(seams, c.seam)
		}
	}
	sort.Slice(seams, func(a, b int) bool { return seams[a].At < seams[b].At })
	rows, err := seam.Sweep(ctx, d.Reel, d.Sound(), seams, told)
	if err != nil {
		return out, err
	}
	for i, r := range rows {
		s := seams[i]
		row := Row{Timecode: d.timecode(s.At), Title: d.Reel.Title(s), Before: r.Before.Verdict, Why: r.Plan.Why}
		if r.Plan.Edit != nil && !r.Worse {
			done, err := r.Plan.Edit.Apply(out.Reel)
			if err != nil {
				row.Why = err.Error()
			} else {
				out.Reel, row.Does, row.Why = done.Reel, r.Plan.Says, ""
				if r.After != nil {
					row.After = &r.After.Verdict
				}
			}
		}
		out.Rows = append(out.Rows, row)
	}
	return out, nil
}

// Left is how many seams are still to be mended.
func (m Mended) Left() (n int) {
	for _, r := range m.Rows {
		if r.After == nil && r.Before == seam.Mend || r.After != nil && *r.After == seam.Mend {
			n++
		}
	}
	return n
}
