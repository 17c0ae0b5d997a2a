package roomtone

import (
	"errors"

	"blendseam/core/mix"
	"blendseam/core/reel"
)

// Audible refuses tone that would be grown of digital silence, which only the
// sound itself can tell. What else is wrong with a tone, the edit that lays it
// says itself.
func Audible(r *reel.Reel, open mix.Open, tones []reel.Tone) error {
	heard := map[reel.Tone]bool{}
	for _, t := range tones {
		t.Seed, t.Channels, t.Tint = 0, 0, reel.Tint{}
		src, ok := r.Source(t.Source)
		if heard[t] || !ok || t.Room != "" || t.From < 0 || t.To <= t.From || t.To > src.Length {
			continue
		}
		heard[t] = true
		if _, err := Measure(r, open, src, t.From, t.To); errors.Is(err, ErrSilent) {
			return &reel.Refusal{Reason: "That stretch of “" + src.Name + "” is digital silence; a room is never that quiet.", Possible: "Take a quiet stretch found under Room, or a synthetic room."}
		}
	}
	return nil
}
