package reel

import (
	"fmt"
	"slices"

	"blendseam/core/gain"
)

// MaxTracks is the most tracks a reel can have.
const MaxTracks = 64

// Check returns an error unless the role is one of Roles.
func (role Role) Check() error {
	if !slices.Contains(Roles, role) {
		return fmt.Errorf("a track's role is one of %v, not %q", Roles, role)
	}
	return nil
}

// AddTrack adds a track below the others.
type AddTrack struct {
	Name string `json:"name"`
	Role Role   `json:"role"`
}

// Names implements Edit.
func (e *AddTrack) Names() []ID { return nil }

// Apply implements Edit.
func (e *AddTrack) Apply(r *Reel) (*Reel, Outcome, error) {
	name, err := cleanName(e.Name)
	if err == nil {
		err = invalid(e.Role.Check())
	}
	if err != nil {
		return nil, Outcome{}, err
	}
	if len(r.Tracks) >= MaxTracks {
		return nil, Outcome{}, refuse("A reel has at most %d tracks.", MaxTracks)
	}
	out := *r
	t := Track{ID: out.take(), Name: name, Role: e.Role}
	for _, o := range r.Tracks {
		t.Place = max(t.Place, o.Place+1)
	}
	out.Tracks = with(r.Tracks, t)
	return &out, Outcome{Label: "add track " + name, Made: []ID{t.ID}}, nil
}

// SetTrack alters a track. What is nil stays.
type SetTrack struct {
	Track  ID       `json:"track"`
	Name   *string  `json:"name,omitempty"`
	Role   *Role    `json:"role,omitempty"`
	GainDB *float64 `json:"gainDB,omitempty"`
	Pan    *float64 `json:"pan,omitempty"`
	Mute   *bool    `json:"mute,omitempty"`
	Solo   *bool    `json:"solo,omitempty"`
}

// Names implements Edit.
func (e *SetTrack) Names() []ID { return []ID{e.Track} }

// Apply implements Edit.
func (e *SetTrack) Apply(r *Reel) (*Reel, Outcome, error) {
	t, ok := r.Track(e.Track)
	if !ok {
		return nil, Outcome{}, refuse("That track is gone.")
	}
	o := Outcome{Label: "set track " + t.Name}
	if e.Name != nil {
		name, err := cleanName(*e.Name)
		if err != nil {
			return nil, Outcome{}, err
		}
		o.Label = "rename track " + t.Name + " to " + name
		t.Name = name
	}
	if e.Role != nil {
		if err := invalid(e.Role.Check()); err != nil {
			return nil, Outcome{}, err
		}
		t.Role = *e.Role
	}
	if e.GainDB != nil {
		if err := invalid(gain.CheckDB(*e.GainDB)); err != nil {
			return nil, Outcome{}, err
		}
		t.GainDB = *e.GainDB
		o.Label = "gain of track " + t.Name
	}
	if e.Pan != nil {
		if !(*e.Pan >= -1 && *e.Pan <= 1) {
			return nil, Outcome{}, refuse("Pan goes from −1 (left) to 1 (right).")
		}
		t.Pan = *e.Pan
		o.Label = "pan track " + t.Name
	}
	if e.Mute != nil {
		t.Mute = *e.Mute
		o.Label = map[bool]string{true: "mute ", false: "unmute "}[t.Mute] + t.Name
	}
	if e.Solo != nil {
		t.Solo = *e.Solo
		o.Label = map[bool]string{true: "solo ", false: "solo off for "}[t.Solo] + t.Name
	}
	out := *r
	out.Tracks = with(r.Tracks, t)
	return &out, o, nil
}

// RemoveTrack takes a track away with the clips on it.
type RemoveTrack struct {
	Track ID `json:"track"`
}

// Names implements Edit.
func (e *RemoveTrack) Names() []ID { return []ID{e.Track} }

// Apply implements Edit.
func (e *RemoveTrack) Apply(r *Reel) (*Reel, Outcome, error) {
	t, ok := r.Track(e.Track)
	if !ok {
		return nil, Outcome{}, refuse("That track is gone.")
	}
	o := Outcome{Label: "remove track " + t.Name}
	out := *r
	out.Tracks = without(r.Tracks, t.ID)
	out.Clips = slices.DeleteFunc(slices.Clone(r.Clips), func(c Clip) bool { return c.Track == t.ID })
	if n := len(r.Clips) - len(out.Clips); n > 0 {
		o.Notes = append(o.Notes, fmt.Sprintf("%d clips went with the track.", n))
	}
	var went Outcome // the blends on the track go with their clips: nothing to say
	out.settle(&went)
	return &out, o, nil
}

// SetReel alters the reel's own settings. What is nil stays.
type SetReel struct {
	Name       *string `json:"name,omitempty"`
	StartFrame *int64  `json:"startFrame,omitempty"`
}

// Names implements Edit.
func (e *SetReel) Names() []ID { return nil }

// Apply implements Edit.
func (e *SetReel) Apply(r *Reel) (*Reel, Outcome, error) {
	out := *r
	o := Outcome{Label: "set the reel"}
	if e.Name != nil {
		name, err := cleanName(*e.Name)
		if err != nil {
			return nil, Outcome{}, err
		}
		out.Props.Name = name
		o.Label = "rename the reel to “" + name + "”"
	}
	if e.StartFrame != nil {
		if *e.StartFrame < 0 || *e.StartFrame >= r.Props.FrameRate.DayFrames() {
			return nil, Outcome{}, refuse("A reel starts between %s and %s.", r.Props.FrameRate.Format(0), r.Props.FrameRate.Format(r.Props.FrameRate.DayFrames()-1))
		}
		out.Props.StartFrame = *e.StartFrame
		o.Label = "start the reel at " + r.Props.FrameRate.Format(*e.StartFrame)
	}
	return &out, o, nil
}
