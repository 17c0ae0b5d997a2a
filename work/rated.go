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

// Listed are the seams of a version with what is known of them, and whether
// some are still to be measured.
func (m *Measuring) Listed(v store.Version, accepted map[string]bool) (out []ListedSeam, missing bool) {
	seams := v.Reel.Seams()
	prints := m.Prints(v, seams)
	out = make([]ListedSeam, 0, len(seams))
	for _, one := range seams {
		l := ListedSeam{Seam: one, Rated: Rated{Print: prints[Pair{one.Left, one.Right}]}}
		if got, ok := m.Known(v.ID, l.Print); ok {
			got.Seam = one
			l.Rated = Rate(got.Judge(v.Reel.Props.Limits), accepted)
		} else {
			missing = true
		}
		out = append(out, l)
	}
	return out, missing
}
