package reel

import (
	"cmp"
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
	if err := firstOf(p.Limits.Check(), p.Target.check()); err != nil {
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
	if err := r.checkPoints(); err != nil {
		return err
	}
	if err := r.checkTreatments(); err != nil {
		return err
	}
	if err := r.checkTies(); err != nil {
		return err
	}
	for _, t := range r.Tracks {
		if err := t.check(); err != nil {
			return err
		}
	}
	reach, err := r.checkBlends()
	if err != nil {
		return err
	}
	return r.checkClips(reach)
}

// checkClips returns an error when a clip lies where it cannot, or two lie on
// each other. What reaches into each clip is known by its place in r.Clips.
func (r *Reel) checkClips(reach []reached) error {
	pics := r.pictureTracks()
	type stretch struct {
		from, to int64
		id       ID
	}
	lanes := make(map[ID][]stretch, len(r.Tracks))
	day := r.day()
	for i := range r.Clips {
		c := &r.Clips[i]
		s, ok := find(r.Sources, c.Source)
		if _, known := find(r.Tracks, c.Track); !ok || !known {
			return fmt.Errorf("clip %d has no source or no track", c.ID)
		}
		src := &r.Sources[s]
		if pics[c.Track] != src.Shows() {
			return fmt.Errorf("clip %d lies on a track that is not of its kind", c.ID)
		}
		if pics[c.Track] {
			if !r.checkFrame(*c) || c.Start > day-c.Length {
				return fmt.Errorf("shot %d does not lie on frames inside its source and the reel", c.ID)
			}
		} else if c.Start < 0 || c.Length < 1 || c.Offset < 0 || c.Offset > src.Length || c.Length > src.Length-c.Offset || c.Start > day-c.Length {
			return fmt.Errorf("clip %d does not lie inside its source and the reel", c.ID)
		}
		if err := firstOf(gain.CheckDB(c.GainDB), c.checkSides(), c.FadeIn.check(), c.FadeOut.check()); err != nil {
			return fmt.Errorf("clip %d: %w", c.ID, err)
		}
		if head, tail := max(c.FadeIn.Length, reach[i].head), max(c.FadeOut.Length, reach[i].tail); head+tail > c.Length {
			return fmt.Errorf("the fades and blends of clip %d reach into each other", c.ID)
		}
		lanes[c.Track] = append(lanes[c.Track], stretch{c.Start, c.End(), c.ID})
	}
	for _, lane := range lanes {
		slices.SortFunc(lane, func(a, b stretch) int { return cmp.Compare(a.from, b.from) })
		for i := 1; i < len(lane); i++ {
			if lane[i].from < lane[i-1].to {
				return fmt.Errorf("clips %d and %d lie on each other", lane[i-1].id, lane[i].id)
			}
		}
	}
	return nil
}

func (f Fade) check() error {
	if f.Length < 0 {
		return fmt.Errorf("a fade cannot be shorter than nothing")
	}
	return firstOf(f.Shape.Check(), gain.CheckWarp(f.Bend))
}

// reached is how far the blends at a clip's ends reach into it.
type reached struct {
	head, tail     int64
	atHead, atTail bool
}

// checkBlends returns an error when a blend joins what it cannot or reaches too
// far, and how far the blends reach into each clip, by its place in r.Clips.
func (r *Reel) checkBlends() ([]reached, error) {
	in := make([]reached, len(r.Clips))
	type ends struct{ left, right int }
	where := make([]ends, len(r.Blends))
	for k := range r.Blends {
		b := &r.Blends[k]
		left, okL := find(r.Clips, b.Left)
		right, okR := find(r.Clips, b.Right)
		if !okL || !okR || !touch(r.Clips[left], r.Clips[right]) || in[left].atTail || in[right].atHead {
			return nil, fmt.Errorf("blend %d does not join two clips that meet, or is the second to", b.ID)
		}
		if r.Clips[left].FadeOut.Length > 0 || r.Clips[right].FadeIn.Length > 0 {
			return nil, fmt.Errorf("blend %d shares its cut with a fade", b.ID)
		}
		if b.Before < 0 || b.After < 0 || b.Before > Farthest || b.After > Farthest || b.Length() < 1 {
			return nil, fmt.Errorf("blend %d has no length that can be right", b.ID)
		}
		if err := b.check(); err != nil {
			return nil, fmt.Errorf("blend %d: %w", b.ID, err)
		}
		in[left].atTail, in[left].tail = true, b.Before
		in[right].atHead, in[right].head = true, b.After
		where[k] = ends{left, right}
	}
	for k := range r.Blends {
		b, left, right := &r.Blends[k], where[k].left, where[k].right
		room := r.roomFor(r.Clips[left], r.Clips[right], func(c Clip) (head, tail int64) {
			i := left
			if c.ID == b.Right {
				i = right
			}
			return max(c.FadeIn.Length, in[i].head), max(c.FadeOut.Length, in[i].tail)
		})
		if b.Before > room.Before || b.After > room.After {
			return nil, fmt.Errorf("blend %d reaches past its material", b.ID)
		}
	}
	return in, nil
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
