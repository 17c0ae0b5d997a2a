package reel

import (
	"cmp"
	"fmt"
	"slices"
)

// TieUp ties clips of sound to shots as they stand. With a shot among the
// clips, the others are tied to it; without, each to the shot that it lies
// under most. Where both tell their timecode the sync is taken from that, so
// that what is off already is told.
type TieUp struct {
	Clips []ID `json:"clips"`
}

// Names implements Edit.
func (e *TieUp) Names() []ID { return e.Clips }

// Apply implements Edit.
func (e *TieUp) Apply(r *Reel) (*Done, error) {
	clips, err := r.existing(e.Clips)
	if err != nil {
		return nil, err
	}
	var shots, sounds []Clip
	for _, c := range clips {
		if r.shows(c) {
			shots = append(shots, c)
		} else {
			sounds = append(sounds, c)
		}
	}
	no := func(reason, possible string) (*Done, error) {
		return nil, &Refusal{Reason: reason, Possible: possible}
	}
	switch {
	case len(shots) > 1:
		return no("Sound is tied to one shot at a time.", "Select one shot and its clips, or sound clips alone: each is tied to the shot above it.")
	case len(sounds) == 0:
		return no("There is no clip of sound among those that are chosen.", "Choose the shot and its sound together.")
	}
	out := *r
	out.Ties = slices.Clone(r.Ties)
	o := Outcome{}
	for _, c := range sounds {
		shot, ok := r.shotOver(c)
		if len(shots) == 1 {
			shot, ok = shots[0], true
		}
		if !ok {
			return no(fmt.Sprintf("No shot above “%s”.", c.Name), "Select its shot together with it.")
		}
		t := Tie{Shot: shot.ID, Clip: c.ID, Sync: r.syncOf(shot, c)}
		if had := out.TieOf(c.ID); had.ID != 0 {
			t.ID = had.ID
		} else {
			t.ID = out.take()
			o.Made = append(o.Made, t.ID)
		}
		out.Ties = with(out.Ties, t)
		if off := out.Off(t); off != 0 {
			o.Notes = append(o.Notes, fmt.Sprintf("“%s” stands %s off its picture by their timecode.", c.Name, r.Props.shift(off)))
		}
	}
	o.Label = "tie " + both(sounds)
	if len(shots) == 1 {
		o.Label += " to “" + shots[0].Name + "”"
	}
	return r.finish(&out, o)
}

// syncOf is the sync of a sound to a picture: by their timecode where both tell
// it and it is near, else as they stand.
func (r *Reel) syncOf(shot, sound Clip) int64 {
	pic, _ := r.Source(shot.Source)
	snd, _ := r.Source(sound.Source)
	if pic.StartTC >= 0 && snd.StartTC >= 0 {
		// Both show the same time of day at one moment of the reel.
		sync := snd.StartTC - pic.StartTC
		if off := between(shot, sound) - sync; max(off, -off) <= 10*int64(r.Props.SampleRate) {
			return sync
		}
	}
	return between(shot, sound)
}

// shotOver is the shot that lies over a clip the most, on the uppermost track.
func (r *Reel) shotOver(c Clip) (Clip, bool) {
	pics := r.pictureTracks()
	var over []Clip
	for _, o := range r.Clips {
		if pics[o.Track] && overlapOf(o, c) > 0 {
			over = append(over, o)
		}
	}
	if len(over) == 0 {
		return Clip{}, false
	}
	return slices.MaxFunc(over, func(a, b Clip) int { return cmp.Compare(overlapOf(a, c), overlapOf(b, c)) }), true
}

// Untie lets clips of sound go from their shots, and shots from their sound.
type Untie struct {
	Clips []ID `json:"clips"`
}

// Names implements Edit.
func (e *Untie) Names() []ID { return e.Clips }

// Apply implements Edit.
func (e *Untie) Apply(r *Reel) (*Done, error) {
	clips, err := r.existing(e.Clips)
	if err != nil {
		return nil, err
	}
	in := idSet(e.Clips)
	out := *r
	out.Ties = slices.DeleteFunc(slices.Clone(r.Ties), func(t Tie) bool { return in[t.Clip] || in[t.Shot] })
	if len(out.Ties) == len(r.Ties) {
		return nil, refuse("%s tied to nothing.", both(clips)+plural(len(clips), " is", " are"))
	}
	return r.finish(&out, Outcome{Label: "untie " + both(clips)})
}

// Way is how sound is brought back into step.
type Way string

// The ways.
const (
	ByMove Way = "move" // the clip goes to where its content is in step
	BySlip Way = "slip" // its content goes, the clip keeps its place
)

// Resync brings tied sound back to the sync of its picture.
type Resync struct {
	Clips []ID `json:"clips"`
	Way   Way  `json:"way"`
}

// Names implements Edit.
func (e *Resync) Names() []ID { return e.Clips }

// Apply implements Edit.
func (e *Resync) Apply(r *Reel) (*Done, error) {
	clips, err := r.named(e.Clips)
	if err != nil {
		return nil, err
	}
	if e.Way != ByMove && e.Way != BySlip {
		return nil, refuse("Sound comes back in sync by move or by slip, not by %q.", string(e.Way))
	}
	// What stands off alike goes together, so that clips that meet can.
	by := map[int64][]ID{}
	var order []int64
	for _, c := range clips {
		t := r.TieOf(c.ID)
		if t.ID == 0 {
			no := refuse("“%s” is not tied to a shot, so there is no sync to restore.", c.Name)
			no.Possible = "Tie it to its shot first."
			return nil, no
		}
		if off := r.Off(t); off != 0 {
			if by[off] == nil {
				order = append(order, off)
			}
			by[off] = append(by[off], c.ID)
		}
	}
	if len(order) == 0 {
		return nil, refuse("%s in sync with its picture already.", both(clips)+plural(len(clips), " is", " are"))
	}
	out, o := r, Outcome{Label: "bring " + both(clips) + " back in sync"}
	for _, off := range order {
		var step Edit = &Move{Clips: by[off], By: -off}
		if e.Way == BySlip {
			step = &Slip{Clips: by[off], By: -off}
		}
		done, err := step.Apply(out)
		if no, ok := err.(*Refusal); ok {
			other := *e
			other.Way = map[Way]Way{ByMove: BySlip, BySlip: ByMove}[e.Way]
			if _, err := step.Apply(r); err != nil && other.tryable(r) {
				no.Offer = &other
				no.Possible = "It can come back by a " + string(other.Way) + " instead."
			}
			return nil, no
		}
		if err != nil {
			return nil, err
		}
		out = done.Reel
		o.Says = append(o.Says, done.Says...)
		o.join(done.Outcome)
	}
	return &Done{out, o}, nil
}

// tryable reports whether the other way works, which is only asked once.
func (e *Resync) tryable(r *Reel) bool {
	ids := e.Clips
	for _, id := range ids {
		off := r.Off(r.TieOf(id))
		if off == 0 {
			continue
		}
		var step Edit = &Move{Clips: []ID{id}, By: -off}
		if e.Way == BySlip {
			step = &Slip{Clips: []ID{id}, By: -off}
		}
		if _, err := step.Apply(r); err != nil {
			return false
		}
	}
	return true
}
