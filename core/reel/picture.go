package reel

import (
	"fmt"
	"slices"

	"blendseam/core/timecode"
)

// PictureRole is the role of a track of shots: clips that are seen, not heard.
const PictureRole Role = "picture"

// Picture says what a source of pictures shows. Its zero value is that of a
// source of sound.
type Picture struct {
	Rate   timecode.Rate `json:"rate"`             // its own frames a second
	Frames int64         `json:"frames"`           // how many it has; 0 for a still and for a card
	Width  int           `json:"width,omitempty"`  // of the frames kept to look at, in pixels
	Height int           `json:"height,omitempty"` //
	Pace                 // how it runs
}

// Shows reports whether the source is one of pictures.
func (s Source) Shows() bool { return s.Picture.Rate.Num != 0 }

// Missing reports whether a source is known by name and time alone: clips of it
// are silent, and shots of it are cards, until a recording is pointed at.
func (s Source) Missing() bool { return s.Recording == "" && !s.Bed.Grown() }

// Moving reports whether a source of pictures has frames of its own, one after the other.
func (p Picture) Moving() bool { return p.Frames > 0 && p.Held == 0 }

func (p Picture) check() error {
	if p == (Picture{}) {
		return nil
	}
	if p.Frames < 0 || p.Width < 0 || p.Height < 0 {
		return fmt.Errorf("a picture has no fewer than no frames")
	}
	if err := p.Pace.check(); err != nil {
		return err
	}
	return p.Rate.Check()
}

// Lasts is how many samples of a reel a picture's frames last, in whole frames
// of the reel; a still and a card last as long as any reel.
func (p Picture) Lasts(props Props) int64 {
	if !p.Moving() {
		return MaxHours * 3600 * int64(props.SampleRate)
	}
	return props.FrameRate.Sample(p.paced(props.FrameRate.Lasts(p.Frames, p.Rate)), props.SampleRate)
}

// Frame is the frame of a source's own picture that a shot shows at a sample of
// the reel.
func (r *Reel) Frame(shot Clip, at int64) int64 {
	src, _ := r.Source(shot.Source)
	p := r.Props
	n := p.nearest(shot.Offset) + p.FrameRate.Frame(at, p.SampleRate) - p.nearest(shot.Start)
	if !src.Picture.Moving() {
		return max(src.Picture.Held-1, 0)
	}
	return min(max(src.Picture.Rate.Shown(src.Picture.own(n), p.FrameRate), 0), src.Picture.Frames-1)
}

// Sounding is the reel without its pictures: what those who listen need.
func (r *Reel) Sounding() *Reel {
	pics := r.pictureTracks()
	if len(pics) == 0 {
		return r
	}
	out := *r
	out.Tracks = slices.DeleteFunc(slices.Clone(r.Tracks), func(t Track) bool { return pics[t.ID] })
	seen := map[ID]bool{}
	out.Clips = make([]Clip, 0, len(r.Clips))
	for _, c := range r.Clips {
		if pics[c.Track] {
			seen[c.ID] = true
		} else {
			out.Clips = append(out.Clips, c)
		}
	}
	out.Blends = slices.DeleteFunc(slices.Clone(r.Blends), func(b Blend) bool { return seen[b.Left] })
	out.Ties = nil
	return &out
}

// pictureTracks are the tracks of shots.
func (r *Reel) pictureTracks() map[ID]bool {
	var out map[ID]bool
	for _, t := range r.Tracks {
		if t.Role == PictureRole {
			if out == nil {
				out = map[ID]bool{}
			}
			out[t.ID] = true
		}
	}
	return out
}

// shows reports whether a clip is a shot.
func (r *Reel) shows(c Clip) bool {
	t, _ := r.Track(c.Track)
	return t.Role == PictureRole
}

// fits refuses sound on a track of pictures, and pictures on one of sound.
func (t Track) fits(src Source) error {
	if (t.Role == PictureRole) == src.Shows() {
		return nil
	}
	no := refuse("“%s” is sound, and %s is for pictures.", src.Name, t.Name)
	if src.Shows() {
		no = refuse("“%s” is picture, and %s is for sound.", src.Name, t.Name)
	}
	no.Possible = "Use a track of its own kind."
	return no
}

// refuseShots refuses what only sound can be given where a clip is a shot.
func (r *Reel) refuseShots(clips ...Clip) error {
	for _, c := range clips {
		if r.shows(c) {
			no := refuse("“%s” is a shot; it has no sound of its own.", c.Name)
			no.Possible = "Its sound is on the tracks below: select the clip there."
			return no
		}
	}
	return nil
}
