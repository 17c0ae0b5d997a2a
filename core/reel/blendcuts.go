package reel

import "fmt"

// BlendCuts puts the usual blend on many cuts at once, on each as long as fits.
// Cuts that have a blend keep it; those without any handle are left and told.
type BlendCuts struct {
	Cuts  []SoundCut `json:"cuts"`
	Usual Usual      `json:"usual"`
}

// Names implements Edit.
func (e *BlendCuts) Names() []ID {
	var out []ID
	for _, c := range e.Cuts {
		out = append(out, c.Left, c.Right)
	}
	return out
}

// Apply implements Edit.
func (e *BlendCuts) Apply(r *Reel) (*Done, error) {
	out, o := r, Outcome{}
	bare := 0
	for _, c := range e.Cuts {
		left, okL := out.Clip(c.Left)
		right, okR := out.Clip(c.Right)
		if !okL || !okR || left.Track != right.Track || left.End() != right.Start {
			continue
		}
		if _, tail := out.BlendAt(c.Left); tail.ID != 0 {
			continue
		}
		bare++
		next := out.remake(c, e.Usual)
		if next == out {
			o.Says = append(o.Says, fmt.Sprintf("no handle at “%s” → “%s”", left.Name, right.Name))
			continue
		}
		out = next
		_, made := out.BlendAt(c.Left)
		o.Made = append(o.Made, made.ID)
	}
	switch {
	case bare == 0:
		return nil, refuse("No cut without a blend is chosen. Choose clips that meet.")
	case len(o.Made) == 0:
		return nil, refuse("None of the %s has a handle to blend with.", count(bare, "chosen cut"))
	}
	o.Label = "blend " + count(len(o.Made), "cut")
	return r.finish(out, o)
}
