package reel

import (
	"fmt"
	"slices"

	"blendseam/core/gain"
	"blendseam/core/sound"
)

// Check returns an error when the reel breaks a rule of the document. Every
// edit keeps them; a reel read from outside is checked before it is used.
func (r *Reel) Check() error {
	p := r.Props
	if _, err := CleanName(p.Name); err != nil {
		return err
	}
	if err := p.FrameRate.Check(); err != nil {
		return err
	}
	if err := p.Limits.check(); err != nil {
		return err
	}
	if !slices.Contains(sound.Rates, p.SampleRate) {
		return fmt.Errorf("a reel's sample rate is one of %v, not %d", sound.Rates, p.SampleRate)
	}
	if err := sorted(r.Tracks, r.NextID, "track"); err != nil {
		return err
	}
	if err := sorted(r.Sources, r.NextID, "source"); err != nil {
		return err
	}
	if err := sorted(r.Clips, r.NextID, "clip"); err != nil {
		return err
	}
	if err := sorted(r.Blends, r.NextID, "blend"); err != nil {
		return err
	}
	if err := sorted(r.Markers, r.NextID, "marker"); err != nil {
		return err
	}
	for _, m := range r.Markers {
		if m.At < 0 || m.At > r.day() {
			return fmt.Errorf("marker %d lies outside the reel", m.ID)
		}
		if _, err := CleanName(m.Text); err != nil {
			return err
		}
	}
	if err := sorted(r.Swatches, r.NextID, "swatch"); err != nil {
		return err
	}
	for _, s := range r.Swatches {
		if err := s.check(r); err != nil {
			return err
		}
	}
	for _, s := range r.Sources {
		if err := s.Picture.check(); err != nil {
			return fmt.Errorf("source %d: %w", s.ID, err)
		}
		if s.Bed.Grown() && (s.Bed.Seed < 1 || s.Bed.Room == "" && s.Bed.To <= s.Bed.From || s.Bed.Tint.check() != nil) {
			return fmt.Errorf("source %d is no room tone that can be grown", s.ID)
		}
	}
	if err := r.checkStrikes(); err != nil {
		return err
	}
	if err := r.checkTies(); err != nil {
		return err
	}
	pics := r.pictureTracks()
	for _, t := range r.Tracks {
		if err := t.check(); err != nil {
			return err
		}
	}
	ends := r.ends()
	for _, c := range r.Clips {
		src, ok := r.Source(c.Source)
		if _, known := r.Track(c.Track); !ok || !known {
			return fmt.Errorf("clip %d has no source or no track", c.ID)
		}
		if pics[c.Track] != src.Shows() {
			return fmt.Errorf("clip %d lies on a track that is not of its kind", c.ID)
		}
		if pics[c.Track] {
			if !r.checkFrame(c) || c.Start > r.day()-c.Length {
				return fmt.Errorf("shot %d does not lie on frames inside its source and the reel", c.ID)
			}
		} else if c.Start < 0 || c.Length < 1 || c.Offset < 0 || c.Offset > src.Length || c.Length > src.Length-c.Offset || c.Start > r.day()-c.Length {
			return fmt.Errorf("clip %d does not lie inside its source and the reel", c.ID)
		}
		for _, err := range []error{gain.CheckDB(c.GainDB), c.FadeIn.Shape.Check(), c.FadeOut.Shape.Check(), gain.CheckWarp(c.FadeIn.Bend), gain.CheckWarp(c.FadeOut.Bend)} {
			if err != nil {
				return fmt.Errorf("clip %d: %w", c.ID, err)
			}
		}
		if head, tail := ends.reach(c); c.FadeIn.Length < 0 || c.FadeOut.Length < 0 || head+tail > c.Length {
			return fmt.Errorf("the fades and blends of clip %d reach into each other", c.ID)
		}
	}
	for _, lane := range r.Lanes() {
		for i := 1; i < len(lane); i++ {
			if lane[i].Start < lane[i-1].End() {
				return fmt.Errorf("clips %d and %d lie on each other", lane[i-1].ID, lane[i].ID)
			}
		}
	}
	seen, into := map[ID]bool{}, map[ID]bool{}
	for _, b := range r.Blends {
		left, okL := r.Clip(b.Left)
		right, okR := r.Clip(b.Right)
		if !okL || !okR || !touch(left, right) || seen[b.Left] || into[b.Right] {
			return fmt.Errorf("blend %d does not join two clips that meet, or is the second to", b.ID)
		}
		seen[b.Left], into[b.Right] = true, true
		if left.FadeOut.Length > 0 || right.FadeIn.Length > 0 {
			return fmt.Errorf("blend %d shares its cut with a fade", b.ID)
		}
		room := r.roomFor(left, right, ends.reach)
		if b.Before < 0 || b.After < 0 || b.Length() < 1 || b.Before > room.Before || b.After > room.After {
			return fmt.Errorf("blend %d reaches past its material", b.ID)
		}
		if err := b.check(); err != nil {
			return fmt.Errorf("blend %d: %w", b.ID, err)
		}
	}
	return nil
}

func sorted[T thing](things []T, next ID, kind string) error {
	last := ID(0)
	for _, t := range things {
		if t.id() <= last || t.id() >= next {
			return fmt.Errorf("%s %d is out of order or was never given out", kind, t.id())
		}
		last = t.id()
	}
	return nil
}
