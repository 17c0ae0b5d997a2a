package reel

import (
	"errors"
	"fmt"
	"slices"

	"blendseam/core/gain"
)

// MaxTracks is the most tracks a reel can have.
const MaxTracks = 64

// Check returns an error unless the role is one of Roles or that of pictures.
func (role Role) Check() error {
	if !slices.Contains(Roles, role) && role != PictureRole {
		return fmt.Errorf("a track's role is one of %v or picture, not %q", Roles, role)
	}
	return nil
}

// Colour is a colour that a track can have besides that of its role, by the
// names that the interface gives its colours.
type Colour string

// The colours of tracks.
const (
	Plain Colour = ""
	Woad  Colour = "woad"
	Moss  Colour = "moss"
	Clay  Colour = "clay"
	Plum  Colour = "plum"
	Slate Colour = "slate"
	Rose  Colour = "rose"
	Straw Colour = "straw"
)

// Colours are the colours in the order in which they are offered.
var Colours = []Colour{Plain, Woad, Moss, Clay, Plum, Slate, Rose, Straw}

// The least and the largest height of a track, in percent of the usual.
const (
	LeastHeight = 50
	MostHeight  = 400
)

// check returns an error when a setting of the track is out of its range.
func (t Track) check() error {
	if _, err := CleanName(t.Name); err != nil {
		return err
	}
	if !slices.Contains(Colours, t.Colour) {
		return fmt.Errorf("a track's colour is one of %q, not %q", Colours, t.Colour)
	}
	if t.Height != 0 && (t.Height < LeastHeight || t.Height > MostHeight) {
		return fmt.Errorf("a track is between %d and %d percent of the usual height, not %d", LeastHeight, MostHeight, t.Height)
	}
	if !(t.Pan >= -1 && t.Pan <= 1) {
		return fmt.Errorf("pan goes from −1 (left) to 1 (right)")
	}
	return errors.Join(t.Role.Check(), gain.CheckDB(t.GainDB), t.Duck.check())
}

// AddTrack adds a track below the others.
type AddTrack struct {
	Name string `json:"name"`
	Role Role   `json:"role"`
}

// Names implements Edit.
func (e *AddTrack) Names() []ID { return nil }

// Apply implements Edit.
func (e *AddTrack) Apply(r *Reel) (*Done, error) {
	name, err := CleanName(e.Name)
	if err == nil {
		err = invalid(e.Role.Check())
	}
	if err != nil {
		return nil, err
	}
	if len(r.Tracks) >= MaxTracks {
		return nil, refuse("A reel has at most %d tracks.", MaxTracks)
	}
	out := *r
	t := Track{ID: out.take(), Name: name, Role: e.Role}
	for _, o := range r.Tracks {
		t.Place = max(t.Place, o.Place+1)
	}
	out.Tracks = with(r.Tracks, t)
	return r.finish(&out, Outcome{Label: "add track " + name, Made: []ID{t.ID}})
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
	Locked *bool    `json:"locked,omitempty"`
	Stays  *bool    `json:"stays,omitempty"`
	Colour *Colour  `json:"colour,omitempty"`
	Height *int     `json:"height,omitempty"`
}

// Names implements Edit.
func (e *SetTrack) Names() []ID { return []ID{e.Track} }

// Apply implements Edit.
func (e *SetTrack) Apply(r *Reel) (*Done, error) {
	t, ok := r.Track(e.Track)
	if !ok {
		return nil, refuse("That track is gone.")
	}
	o := Outcome{Label: "set track " + t.Name}
	if e.Name != nil {
		name, err := CleanName(*e.Name)
		if err != nil {
			return nil, err
		}
		o.Label = "rename track " + t.Name + " to " + name
		t.Name = name
	}
	if e.Role != nil {
		if (t.Role == PictureRole) != (*e.Role == PictureRole) && len(r.OnTrack(t.ID)) > 0 {
			no := refuse("%s has clips, and a track holds pictures or sound.", t.Name)
			no.Possible = "Add another track for the other kind."
			return nil, no
		}
		t.Role = *e.Role
	}
	if e.GainDB != nil {
		t.GainDB = *e.GainDB
		o.Label = "gain of track " + t.Name
	}
	if e.Pan != nil {
		t.Pan = *e.Pan
		o.Label = "pan track " + t.Name
	}
	word := func(v *bool, into *bool, yes, no string) {
		if v != nil {
			*into = *v
			o.Label = fmt.Sprintf(map[bool]string{true: yes, false: no}[*v], t.Name)
		}
	}
	word(e.Mute, &t.Mute, "mute %s", "unmute %s")
	word(e.Solo, &t.Solo, "solo %s", "solo off for %s")
	word(e.Locked, &t.Locked, "lock %s", "unlock %s")
	word(e.Stays, &t.Stays, "%s keeps its time", "%s follows")
	if e.Colour != nil {
		t.Colour = *e.Colour
		o.Label = "colour of track " + t.Name
	}
	if e.Height != nil {
		t.Height = *e.Height
		o.Label = "height of track " + t.Name
	}
	if err := invalid(t.check()); err != nil {
		return nil, err
	}
	out := *r
	out.Tracks = with(r.Tracks, t)
	return r.finish(&out, o)
}

// RemoveTrack takes a track away with the clips on it.
type RemoveTrack struct {
	Track ID `json:"track"`
}

// Names implements Edit.
func (e *RemoveTrack) Names() []ID { return []ID{e.Track} }

// Apply implements Edit.
func (e *RemoveTrack) Apply(r *Reel) (*Done, error) {
	t, ok := r.Track(e.Track)
	if !ok {
		return nil, refuse("That track is gone.")
	}
	if t.Locked {
		return nil, locked(t)
	}
	if err := r.freeOfLocked(t); err != nil {
		return nil, err
	}
	o := Outcome{Label: "remove track " + t.Name}
	out := *r
	out.Tracks = without(r.Tracks, t.ID)
	out.Clips = slices.DeleteFunc(slices.Clone(r.Clips), func(c Clip) bool { return c.Track == t.ID })
	if n := len(r.Clips) - len(out.Clips); n > 0 {
		o.Notes = append(o.Notes, fmt.Sprintf("%s removed with the track.", count(n, "clip")))
	}
	return r.finish(&out, o)
}

// freeOfLocked refuses to take away a track when a clip on a locked one would
// lose its blend with it.
func (r *Reel) freeOfLocked(t Track) error {
	for _, b := range r.Blends {
		left, _ := r.Clip(b.Left)
		right, _ := r.Clip(b.Right)
		for _, pair := range [][2]Clip{{left, right}, {right, left}} {
			if other, _ := r.Track(pair[1].Track); pair[0].Track == t.ID && other.ID != t.ID && other.Locked {
				no := locked(other)
				no.Reason = fmt.Sprintf("“%s” on %s is blended with “%s” on %s, which is locked.", pair[0].Name, t.Name, pair[1].Name, other.Name)
				no.Possible = "Unlock " + other.Name + ", or remove that blend first."
				return no
			}
		}
	}
	return nil
}

// MoveTrack puts a track at another place among the others.
type MoveTrack struct {
	Track ID  `json:"track"`
	To    int `json:"to"` // how many tracks are above it then
}

// Names implements Edit.
func (e *MoveTrack) Names() []ID { return []ID{e.Track} }

// Apply implements Edit.
func (e *MoveTrack) Apply(r *Reel) (*Done, error) {
	t, ok := r.Track(e.Track)
	if !ok {
		return nil, refuse("That track is gone.")
	}
	order := r.Order()
	if e.To < 0 || e.To >= len(order) {
		no := refuse("There are %s.", count(len(order), "track"))
		no.Possible = "A track is between the first place and the last."
		no.Offer = &MoveTrack{Track: e.Track, To: min(max(e.To, 0), len(order)-1)}
		return nil, no
	}
	order = slices.DeleteFunc(order, func(o Track) bool { return o.ID == t.ID })
	order = slices.Insert(order, e.To, t)
	out := *r
	out.Tracks = slices.Clone(r.Tracks)
	for place, o := range order {
		i, _ := find(out.Tracks, o.ID)
		out.Tracks[i].Place = place
	}
	above := "above the others"
	if e.To > 0 {
		above = "below " + order[e.To-1].Name
	}
	return r.finish(&out, Outcome{Label: "put track " + t.Name + " " + above})
}

// SetReel alters the reel's own settings. What is nil stays.
type SetReel struct {
	Name       *string `json:"name,omitempty"`
	StartFrame *int64  `json:"startFrame,omitempty"`
	// Limits by which its seams are judged.
	Limits *Tolerances `json:"limits,omitempty"`
	// Target is how loud it is to be.
	Target *Target `json:"target,omitempty"`
}

// Names implements Edit.
func (e *SetReel) Names() []ID { return nil }

// Apply implements Edit.
func (e *SetReel) Apply(r *Reel) (*Done, error) {
	out := *r
	o := Outcome{Label: "set the reel"}
	if e.Name != nil {
		name, err := CleanName(*e.Name)
		if err != nil {
			return nil, err
		}
		out.Props.Name = name
		o.Label = "rename the reel to “" + name + "”"
	}
	if e.StartFrame != nil {
		if *e.StartFrame < 0 || *e.StartFrame >= r.Props.FrameRate.DayFrames() {
			return nil, refuse("A reel starts between %s and %s.", r.Props.FrameRate.Format(0), r.Props.FrameRate.Format(r.Props.FrameRate.DayFrames()-1))
		}
		out.Props.StartFrame = *e.StartFrame
		o.Label = "start the reel at " + r.Props.FrameRate.Format(*e.StartFrame)
	}
	if e.Limits != nil {
		if err := invalid(e.Limits.Check()); err != nil {
			return nil, err
		}
		out.Props.Limits = *e.Limits
		o.Label = "set the limits of what is heard"
	}
	if e.Target != nil {
		if err := e.Target.refusal(); err != nil {
			return nil, err
		}
		out.Props.Target = *e.Target
		o.Label = "set the target of loudness"
	}
	return r.finish(&out, o)
}
