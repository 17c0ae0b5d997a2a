package reel

import (
	"slices"

	"blendseam/core/gain"
)

// Place of the reel at which music and atmospheres can be ended.
const (
	EndReel    = "reel"    // where the last clip ends
	EndPicture = "picture" // where the last shot ends
)

// usualEnd is how long music fades out at an end, in seconds: common practice.
const usualEnd = 2.0

// EndTracks fades out what sounds at a place on tracks of music and room tone, so
// that it has ended there: clips that go beyond it are trimmed to it. What ends by it
// with a fade already keeps that.
type EndTracks struct {
	Where  string `json:"where,omitempty"` // EndReel or EndPicture; At counts without it
	At     int64  `json:"at,omitempty"`
	Length int64  `json:"length,omitempty"` // samples of the fade; 0 for two seconds
	Tracks []ID   `json:"tracks,omitempty"` // all of music and room tone without it
}

// Names implements Edit.
func (e *EndTracks) Names() []ID { return e.Tracks }

// On implements Timed.
func (e *EndTracks) On() []ID { return e.Tracks }

// Apply implements Edit.
func (e *EndTracks) Apply(r *Reel) (*Done, error) {
	at, where, err := e.place(r)
	if err != nil {
		return nil, err
	}
	length := e.Length
	if length == 0 {
		length = r.Props.samples(usualEnd)
	}
	if length < 0 {
		return nil, refuse("A fade cannot be negative.")
	}
	var ended []Clip
	out := *r
	out.Clips = slices.Clone(r.Clips)
	o := Outcome{}
	blends := r.ends()
	for i, c := range r.Clips {
		t, _ := r.Track(c.Track)
		if len(e.Tracks) == 0 && t.Role != Music && t.Role != RoomTone || len(e.Tracks) > 0 && !slices.Contains(e.Tracks, t.ID) {
			continue
		}
		// What has ended just before it ends with it.
		if c.Start >= at || c.End() <= at-length || r.shows(c) {
			continue
		}
		if t.Locked {
			return nil, locked(t)
		}
		by := at - c.End()
		if by >= 0 && c.FadeOut.Length > 0 {
			continue
		}
		if by < 0 {
			c = trimmed(c, Tail, by)
			o.Notes = append(o.Notes, "“"+c.Name+"” shortened by "+r.Props.say(-by)+".")
		}
		head, _ := blends.reach(c)
		room := c.Length - head
		if room < 1 {
			o.Notes = append(o.Notes, "“"+c.Name+"” is too short to fade.")
			continue
		}
		c.FadeOut = Fade{Length: min(length, room), Shape: gain.Smooth, Bend: gain.Even}
		out.Clips[i] = c
		ended = append(ended, c)
	}
	if len(ended) == 0 {
		no := refuse("Nothing to fade: no music or room tone sounds at %s, or all of it fades already.", where)
		no.Possible = "Put the playhead where it should end."
		return nil, no
	}
	// A blend with what came after has gone with it.
	for _, c := range ended {
		if b := blends.tail[c.ID]; b.ID != 0 {
			out.Blends = without(out.Blends, b.ID)
			o.Notes = append(o.Notes, "The blend at the end of “"+c.Name+"” was removed.")
		}
	}
	o.Label = "end " + both(ended) + " at " + where
	o.Says = []string{both(ended) + " faded out by " + where}
	return r.finish(&out, o)
}

// place is where the end is, and how it is told.
func (e *EndTracks) place(r *Reel) (at int64, words string, err error) {
	switch e.Where {
	case "":
		if e.At <= 0 || e.At > r.day() {
			return 0, "", refuse("That is outside the reel.")
		}
		return e.At, r.Props.at(e.At), nil
	case EndReel, EndPicture:
		for _, c := range r.Clips {
			if e.Where == EndReel || r.shows(c) {
				at = max(at, c.End())
			}
		}
		if at == 0 && e.Where == EndPicture {
			no := refuse("This reel has no picture.")
			no.Possible = "End it at the playhead, or at the end of the reel."
			return 0, "", no
		}
		if at == 0 {
			return 0, "", refuse("This reel has no clips.")
		}
		return at, "the end of the " + e.Where, nil
	}
	return 0, "", refuse("An end is that of the reel or of the picture.")
}
