package reel

// Heard tells which tracks are heard: none that is muted and, where any are soloed, no
// other.
func (r *Reel) Heard() func(Track) bool {
	solo := false
	for _, t := range r.Tracks {
		solo = solo || t.Solo
	}
	return func(t Track) bool { return !t.Mute && (t.Solo || !solo) }
}
