package reel

import (
	"cmp"
	"fmt"
	"slices"

	"blendseam/core/gain"
)

// Strike silences a stretch of what a clip plays, or lowers it, without cutting
// it. It is kept in the time of the clip's source, so that it stays on the
// sound when the clip is moved, slipped, trimmed or split. The sound falls
// before From and rises after To: what lies between them is gone.
type Strike struct {
	ID      ID      `json:"id"`
	Clip    ID      `json:"clip"`
	From    int64   `json:"from"`           // sample of the source
	To      int64   `json:"to"`             //
	Fall    Fade    `json:"fall"`           // ends at From
	Rise    Fade    `json:"rise"`           // begins at To
	LowerDB float64 `json:"lowerDB"`        // by how much, above 0; 0 is to silence
	Cover   Cover   `json:"cover,omitzero"` // what is heard in its place
}

// Cover is room tone that sounds as far as a strike takes the clip's sound
// away: their powers add up to what the clip's was. The tone is heard at the
// time of the clip's source, so that nothing of it moves when the struck
// span's edges do.
type Cover struct {
	Source ID      `json:"source"` // a bed; 0 for none
	GainDB float64 `json:"gainDB"`
}

func (s Strike) id() ID { return s.ID }

// Strike gives the struck span of an id.
func (r *Reel) Strike(id ID) (Strike, bool) { return get(r.Strikes, id) }

// Reach is the stretch of the source that a strike alters, its fades included.
func (s Strike) Reach() (from, to int64) { return s.From - s.Fall.Length, s.To + s.Rise.Length }

// Left is the gain of what a strike leaves of the sound between its edges.
func (s Strike) Left() float64 {
	if s.LowerDB == 0 {
		return 0
	}
	return gain.FromDB(-s.LowerDB)
}

// In is where a struck span lies in the reel, as far as its clip plays it; not
// ok when it does not play any of it.
func (s Strike) In(c Clip) (from, to int64, ok bool) {
	from, to = max(s.From-c.Offset, 0), min(s.To-c.Offset, c.Length)
	return c.Start + from, c.Start + to, from < to
}

// StrikesOf are the struck spans of a clip, in the order of their time.
func (r *Reel) StrikesOf(clip ID) []Strike {
	var out []Strike
	for _, s := range r.Strikes {
		if s.Clip != clip {
			continue
		}
		i := len(out)
		for i > 0 && out[i-1].From > s.From {
			i--
		}
		out = append(out, Strike{})
		copy(out[i+1:], out[i:])
		out[i] = s
	}
	return out
}

// The range by which a strike lowers, in dB.
const (
	minLower = 0.5
	maxLower = 96
)

// check returns an error unless the strike is possible on its clip.
func (s Strike) check(r *Reel) error {
	c, ok := r.Clip(s.Clip)
	if !ok {
		return fmt.Errorf("struck span %d has no clip", s.ID)
	}
	src, _ := r.Source(c.Source)
	if s.From < 0 || s.To <= s.From || s.To > src.Length || s.Fall.Length < 0 || s.Rise.Length < 0 || s.Fall.Length > s.From || s.Rise.Length > src.Length-s.To {
		return fmt.Errorf("struck span %d does not lie in its recording", s.ID)
	}
	if err := s.sound(); err != nil {
		return err
	}
	if s.Cover.Source != 0 {
		if tone, ok := r.Source(s.Cover.Source); !ok || !tone.Bed.Grown() {
			return fmt.Errorf("struck span %d is covered by no room tone", s.ID)
		}
	}
	return nil
}

// sound returns an error unless the strike's numbers are in their ranges.
func (s Strike) sound() error {
	if s.LowerDB != 0 && !(s.LowerDB >= minLower && s.LowerDB <= maxLower) {
		return fmt.Errorf("a strike lowers by %g to %d dB, or silences; %g dB is outside", minLower, maxLower, s.LowerDB)
	}
	for _, err := range []error{s.Fall.Shape.Check(), s.Rise.Shape.Check(), gain.CheckWarp(s.Fall.Bend), gain.CheckWarp(s.Rise.Bend), gain.CheckDB(s.Cover.GainDB)} {
		if err != nil {
			return err
		}
	}
	return nil
}

// checkStrikes returns an error when a struck span is impossible, or two of one
// clip reach into each other.
func (r *Reel) checkStrikes() error {
	if err := sorted(r.Strikes, r.NextID, "struck span"); err != nil {
		return err
	}
	by := map[ID][]Strike{}
	for _, s := range r.Strikes {
		if err := s.check(r); err != nil {
			return err
		}
		by[s.Clip] = append(by[s.Clip], s)
	}
	for _, on := range by {
		begins := func(s Strike) int64 { from, _ := s.Reach(); return from }
		slices.SortFunc(on, func(a, b Strike) int { return cmp.Compare(begins(a), begins(b)) })
		for i := 1; i < len(on); i++ { // each reaches less far than the next begins, or two overlap
			if overlap(on[i-1], on[i]) {
				return fmt.Errorf("struck spans %d and %d reach into each other", on[i-1].ID, on[i].ID)
			}
		}
	}
	return nil
}

func overlap(a, b Strike) bool {
	af, at := a.Reach()
	bf, bt := b.Reach()
	return af < bt && bf < at
}

// keepStrikes takes away struck spans whose clip has gone.
func (r *Reel) keepStrikes(d difference) {
	var out []Strike
	for i, s := range r.Strikes {
		_, there := r.Clip(s.Clip)
		if gone := d.altered[s.Clip] && !there; gone && out == nil {
			out = append(make([]Strike, 0, len(r.Strikes)), r.Strikes[:i]...)
		} else if !gone && out != nil {
			out = append(out, s)
		}
	}
	if out != nil {
		r.Strikes = out
	}
}

// strikeAlike gives one clip the struck spans of another, with ids of their own.
func (r *Reel) strikeAlike(from, to ID) {
	out := r.Strikes[:len(r.Strikes):len(r.Strikes)]
	for _, s := range r.Strikes {
		if s.Clip == from {
			s.ID, s.Clip = r.take(), to
			out = append(out, s)
		}
	}
	r.Strikes = out
}

// sameStrike reports whether two strikes do the same.
func sameStrike(a, b Strike) bool {
	a.ID, a.Clip = b.ID, b.Clip
	return a == b
}
