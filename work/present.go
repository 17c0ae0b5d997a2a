package work

import (
	"slices"

	"blendseam/core/reel"
	"blendseam/media"
)

// Present is a reel as what is in the library lets it be written: what nobody has a
// recording of any more is missing in it, and so silent, or a card, and counted as such.
func Present(l *media.Library, r *reel.Reel) *reel.Reel {
	out := r
	for i, s := range r.Sources {
		if s.Bed.Grown() || !l.Gone(s, r.Props.SampleRate) {
			continue
		}
		if out == r {
			own := *r
			own.Sources = slices.Clone(r.Sources)
			out = &own
		}
		out.Sources[i].Recording = ""
	}
	return out
}
