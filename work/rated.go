package work

import (
	"blendseam/core/reel"
	"blendseam/core/seam"
	"blendseam/store"
)

// Rated is what is known of a seam. Without a verdict it is still being
// measured.
type Rated struct {
	Verdict  seam.Verdict `json:"verdict"`
	Brief    string       `json:"brief"`
	What     string       `json:"what,omitempty"` // the kind of finding that decides
	Score    float64      `json:"score"`
	Accepted bool         `json:"accepted"`
	Print    string       `json:"print"`
}

// Rate puts a judgement together with what the user said of the seam.
func Rate(j seam.Judgement, accepted map[string]bool) Rated {
	return Rated{j.Verdict, j.Brief, j.What, j.Score, accepted[j.Print], j.Print}
}

// ListedSeam is a seam as the list shows it.
type ListedSeam struct {
	reel.Seam
	Rated
}

// listed is a seam of a version with what is known of it by its print.
func (m *Measuring) listed(v store.Version, s reel.Seam, print string, accepted map[string]bool) ListedSeam {
	got, ok := m.Known(v.ID, print)
	if !ok {
		m.owed.Add(key{v.ID, print}, struct{}{})
		return ListedSeam{Seam: s, Rated: Rated{Print: print}}
	}
	got.Seam = s
	return ListedSeam{Seam: s, Rated: Rate(got.Judge(v.Reel.Props.Limits), accepted)}
}

// Listed are the seams of a version with what is known of them, and whether
// some are still to be measured.
func (m *Measuring) Listed(v store.Version, accepted map[string]bool) (out []ListedSeam, missing bool) {
	p := m.printed(v)
	m.told.ContainsOrAdd(v.ID, p)
	out = make([]ListedSeam, 0, len(p.seams))
	for _, s := range p.seams {
		l := m.listed(v, s, p.prints[Pair{s.Left, s.Right}], accepted)
		missing = missing || l.Verdict == ""
		out = append(out, l)
	}
	return out, missing
}
