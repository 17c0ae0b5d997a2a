package reel

import "math"

// Mark is a place of a recording with a word on it, as its file has it.
type Mark struct {
	At   int64 // samples of the recording at the reel's rate
	Text string
}

// Played are the markers that the marks of a source's recording make in the reel: one
// wherever a clip plays it, also at another speed. Those that are there already are left
// out.
func (r *Reel) Played(source ID, marks []Mark) (out []AddMarker) {
	src, ok := r.Source(source)
	if !ok {
		return nil
	}
	have := map[AddMarker]bool{}
	for _, m := range r.Markers {
		have[AddMarker{At: m.At, Text: m.Text}] = true
	}
	for _, c := range r.Clips {
		own, _ := r.Source(c.Source)
		in := func(at int64) int64 { return at }
		switch {
		case own.ID == src.ID, own.Recording == src.Recording && src.Recording != "" && !own.Bed.Grown() && own.Shows() == src.Shows() && !own.Fitted():
		case own.Fitted() && own.Fit.Of == src.Recording && !own.Shows():
			by := own.Factor()
			in = func(at int64) int64 { return int64(math.Round(float64(at-own.Fit.From) * by)) }
		default:
			continue
		}
		for _, m := range marks {
			at := in(m.At) - c.Offset
			e := AddMarker{At: c.Start + at, Text: ShortName(m.Text)}
			if e.Text == "" {
				e.Text = src.Name
			}
			if at >= 0 && at < c.Length && !have[e] {
				have[e] = true
				out = append(out, e)
			}
		}
	}
	return out
}
