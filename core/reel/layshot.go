package reel

import "strings"

// LayShot lays a stretch of a picture on a track of pictures, and what is heard
// with it beneath, tied to it.
type LayShot struct {
	Picture ID         `json:"picture"` // source
	Track   ID         `json:"track"`   // of pictures; 0 for the uppermost, or a new one above the others
	Start   int64      `json:"start"`
	Offset  int64      `json:"offset"` // in the picture
	Length  int64      `json:"length"`
	Sounds  []LaySound `json:"sounds,omitempty"`
	Later   Later      `json:"later,omitempty"`
}

// LaySound is a sound that is laid with a shot: from a recording that begins
// with the picture, or that tells its timecode as the picture does.
type LaySound struct {
	Source ID `json:"source"`
	Track  ID `json:"track"`
}

// Names implements Edit.
func (e *LayShot) Names() []ID {
	out := []ID{e.Picture, e.Track}
	for _, s := range e.Sounds {
		out = append(out, s.Source, s.Track)
	}
	return out
}

// Apply implements Edit.
func (e *LayShot) Apply(r *Reel) (*Done, error) {
	pic, ok := r.Source(e.Picture)
	if !ok || !pic.Shows() {
		return nil, refuse("That picture is not in this reel.")
	}
	if e.Track == 0 {
		wide, id, err := r.pictureTrack()
		if err != nil {
			return nil, err
		}
		own := *e
		own.Track = id
		done, err := own.Apply(wide)
		if no, ok := err.(*Refusal); ok {
			if fit, is := no.Offer.(*LayShot); is {
				fit.Track = 0 // the new track is not there yet
			}
		}
		return done, err
	}
	p := r.Props
	lay := &Place{Source: e.Picture, Track: e.Track, Start: p.whole(e.Start), Offset: p.whole(e.Offset), Length: p.whole(e.Length), Later: e.Later}
	done, err := lay.Apply(r)
	if no, isNo := err.(*Refusal); isNo {
		if fit, is := no.Offer.(*Place); is {
			own := *e
			own.Start, own.Offset, own.Length, own.Later = fit.Start, fit.Offset, fit.Length, fit.Later
			no.Offer = nil
			if own.Start != e.Start || own.Offset != e.Offset || own.Length != e.Length || own.Later != e.Later {
				no.Offer = workable(r, &own)
			}
		}
		return nil, no
	}
	if err != nil {
		return nil, err
	}
	shot, _ := done.Reel.Clip(done.Made[0])
	for _, s := range e.Sounds {
		snd, ok := done.Reel.Source(s.Source)
		if !ok || snd.Shows() {
			return nil, refuse("The sound of that shot is not in this reel.")
		}
		shift := int64(0)
		if pic.StartTC >= 0 && snd.StartTC >= 0 {
			shift = pic.StartTC - snd.StartTC
		}
		// Sound that begins later or ends sooner than the shot is laid where it is.
		from := max(shot.Offset+shift, 0)
		to := min(shot.Offset+shift+shot.Length, snd.Length)
		if to <= from {
			done.Notes = append(done.Notes, "“"+snd.Name+"” holds no sound of that stretch.")
			continue
		}
		heard, err := (&Place{Source: s.Source, Track: s.Track, Start: shot.Start + from - shot.Offset - shift, Offset: from, Length: to - from}).Apply(done.Reel)
		if no, isNo := err.(*Refusal); isNo {
			no.Offer = nil
			return nil, no
		}
		if err != nil {
			return nil, err
		}
		out, clip := heard.Reel, heard.Made[0]
		out.Ties = append(out.Ties[:len(out.Ties):len(out.Ties)], Tie{ID: out.take(), Shot: shot.ID, Clip: clip, Sync: -shift})
		done.Made = append(done.Made, clip)
		done.Reel = out
	}
	done.Label = "insert “" + shot.Name + "”"
	if len(done.Made) > 1 {
		done.Label += " with its sound"
	}
	return done, nil
}

// pictureTrack is the uppermost track of pictures, in a reel that has one.
func (r *Reel) pictureTrack() (*Reel, ID, error) {
	for _, t := range r.Order() {
		if t.Role == PictureRole {
			return r, t.ID, nil
		}
	}
	done, err := (&AddTrack{Name: "Picture", Role: PictureRole}).Apply(r)
	if err != nil {
		return nil, 0, err
	}
	id := done.Made[0]
	if done, err = (&MoveTrack{Track: id, To: 0}).Apply(done.Reel); err != nil {
		return nil, 0, err
	}
	return done.Reel, id, nil
}

// SoundOf is what was recorded with a picture: the sound of the same file, or a
// recording that begins at the same timecode and whose name begins with the
// same word.
func (r *Reel) SoundOf(pic Source) (Source, bool) {
	word := func(s Source) string { w, _, _ := strings.Cut(strings.ToLower(s.Name), " "); return w }
	second := Source{}
	for _, s := range r.Sources {
		switch {
		case s.Shows() || s.Missing() || s.Unlisted || s.Bed.Grown():
		case s.Recording == pic.Recording:
			return s, true
		case second.ID == 0 && pic.StartTC >= 0 && s.StartTC == pic.StartTC && word(s) == word(pic):
			second = s
		}
	}
	return second, second.ID != 0
}
