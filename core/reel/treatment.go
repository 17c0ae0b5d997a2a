package reel

import (
	"cmp"
	"fmt"
	"slices"

	"blendseam/core/treat"
)

// Treatment is what is done to the sound of a track, or of a clip besides. A clip is
// treated before its gain line, its gain and its fades; a track after those of its
// clips, before its own.
type Treatment struct {
	ID    ID             `json:"id"`
	Clip  ID             `json:"clip,omitempty"`  // that is treated, or
	Track ID             `json:"track,omitempty"` // all of a track
	Alone bool           `json:"alone,omitempty"` // of a clip: without the treatment of its track
	Off   bool           `json:"off,omitempty"`   // heard as if there were none, to compare
	Does  treat.Settings `json:"does"`
}

func (t Treatment) id() ID { return t.ID }

// On is the clip or the track that is treated.
func (t Treatment) On() ID { return cmp.Or(t.Clip, t.Track) }

// Treatment gives the treatment of an id.
func (r *Reel) Treatment(id ID) (Treatment, bool) { return get(r.Treatments, id) }

// TreatmentOf is what is done to a clip or a track, where anything is.
func (r *Reel) TreatmentOf(on ID) (Treatment, bool) {
	for _, t := range r.Treatments {
		if t.On() == on {
			return t, true
		}
	}
	return Treatment{}, false
}

// checkTreatments returns an error when a treatment is of nothing, or two are of one.
func (r *Reel) checkTreatments() error {
	if err := sorted(r.Treatments, r.NextID, "treatment"); err != nil {
		return err
	}
	pics, seen := r.pictureTracks(), map[ID]bool{}
	for _, t := range r.Treatments {
		c, onClip := find(r.Clips, t.Clip)
		_, onTrack := find(r.Tracks, t.Track)
		track := t.Track
		if onClip {
			track = r.Clips[c].Track
		}
		if onClip == onTrack || onClip && t.Track != 0 || onTrack && t.Clip != 0 || pics[track] || onTrack && t.Alone {
			return fmt.Errorf("treatment %d is of no sound", t.ID)
		}
		if seen[t.On()] {
			return fmt.Errorf("there are two treatments of %d", t.On())
		}
		seen[t.On()] = true
		if err := t.Does.Check(); err != nil {
			return fmt.Errorf("treatment %d: %w", t.ID, err)
		}
	}
	return nil
}

// keepTreatments takes away those of clips and tracks that have gone, or show pictures.
func (r *Reel) keepTreatments() {
	gone := func(t Treatment) bool {
		if t.Clip != 0 {
			_, there := find(r.Clips, t.Clip)
			return !there
		}
		at, there := find(r.Tracks, t.Track)
		return !there || r.Tracks[at].Role == PictureRole
	}
	if slices.ContainsFunc(r.Treatments, gone) {
		r.Treatments = slices.DeleteFunc(slices.Clone(r.Treatments), gone)
	}
}

// treatAlike gives one clip the treatment of another.
func (r *Reel) treatAlike(from, to ID) {
	if t, ok := r.TreatmentOf(from); ok {
		t.ID, t.Clip = r.take(), to
		r.Treatments = with(r.Treatments, t)
	}
}

// treatedAlike reports whether two clips are treated in the same way.
func (r *Reel) treatedAlike(a, b ID) bool {
	one, _ := r.TreatmentOf(a)
	other, _ := r.TreatmentOf(b)
	one.ID, one.Clip, other.ID, other.Clip = 0, 0, 0, 0
	return one == other
}

// Treat sets what is done to the sound of clips, or of a track. What is nil stays.
// Settings that do nothing take the treatment away, unless it keeps a clip out of that
// of its track, or holds a tone of which none is used just now.
type Treat struct {
	Clips []ID            `json:"clips,omitempty"`
	Track ID              `json:"track,omitempty"`
	Does  *treat.Settings `json:"does,omitempty"`
	Tone  *treat.Voicing  `json:"tone,omitempty"` // of the settings, the matched tone alone
	Alone *bool           `json:"alone,omitempty"`
	Off   *bool           `json:"off,omitempty"`
}

// Names implements Edit.
func (e *Treat) Names() []ID {
	if e.Track != 0 {
		return []ID{e.Track}
	}
	return e.Clips
}

// Apply implements Edit.
func (e *Treat) Apply(r *Reel) (*Done, error) {
	if (e.Track != 0) == (len(e.Clips) > 0) {
		return nil, refuse("A treatment is of clips or of a track.")
	}
	out := *r
	if e.Track != 0 {
		t, err := r.open(e.Track)
		if err != nil {
			return nil, err
		}
		if t.Role == PictureRole {
			return nil, refuse("%s shows pictures and has no sound to treat.", t.Name)
		}
		if e.Alone != nil {
			return nil, refuse("A clip can be kept out of the treatment of its track, not a track.")
		}
		if err := out.treat(e, Treatment{Track: t.ID}); err != nil {
			return nil, err
		}
		return r.finish(&out, Outcome{Label: e.label() + " of " + t.Name})
	}
	clips, err := r.named(e.Clips)
	if err != nil {
		return nil, err
	}
	for _, c := range clips {
		if r.shows(c) {
			return nil, refuse("“%s” is a picture and has no sound to treat.", c.Name)
		}
		if err := out.treat(e, Treatment{Clip: c.ID}); err != nil {
			return nil, err
		}
	}
	return r.finish(&out, Outcome{Label: e.label() + " of " + both(clips)})
}

// treat sets one treatment; blank is a new one.
func (r *Reel) treat(e *Treat, blank Treatment) error {
	t, had := r.TreatmentOf(blank.On())
	if !had {
		t = blank
	}
	if e.Does != nil {
		t.Does = *e.Does
	}
	if e.Tone != nil {
		t.Does.Tone = *e.Tone
	}
	if e.Alone != nil {
		t.Alone = *e.Alone
	}
	if e.Off != nil {
		t.Off = *e.Off
	}
	if err := invalid(t.Does.Check()); err != nil {
		return err
	}
	if t.Does.None() && t.Does.Tone.Bands == (treat.Voicing{}).Bands && !t.Alone {
		r.Treatments = without(r.Treatments, t.ID)
		return nil
	}
	if !had {
		t.ID = r.take()
	}
	r.Treatments = with(r.Treatments, t)
	return nil
}

func (e *Treat) label() string {
	switch {
	case e.Does == nil && e.Tone == nil && e.Off != nil && *e.Off:
		return "treatment off"
	case e.Does == nil && e.Tone == nil && e.Off != nil:
		return "treatment on"
	case e.Does == nil && e.Tone != nil:
		return "tone"
	}
	return "treatment"
}
