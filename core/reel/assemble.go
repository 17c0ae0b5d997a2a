package reel

import (
	"fmt"
	"slices"
)

// Assembly is an edit that was made elsewhere, ready to be laid in: tracks,
// clips, blends, ties and markers that name each other by their places in the
// slices, with ids of 0.
type Assembly struct {
	Tracks  []NewTrack  `json:"tracks"`
	Sources []Source    `json:"sources"` // those that the reel lacks: known by name and time alone
	Clips   []LaidClip  `json:"clips"`
	Blends  []Blend     `json:"blends,omitempty"` // Left and Right are places in Clips
	Ties    []Tie       `json:"ties,omitempty"`   // Shot and Clip are places in Clips
	Markers []AddMarker `json:"markers,omitempty"`
}

// NewTrack is a track of an assembly.
type NewTrack struct {
	Name   string  `json:"name"`
	Role   Role    `json:"role"`
	GainDB float64 `json:"gainDB,omitempty"`
	Pan    float64 `json:"pan,omitempty"`
}

// LaidClip is a clip of an assembly. Its source is one of the reel, or one that
// the assembly brings.
type LaidClip struct {
	Track int  `json:"track"` // place in Tracks
	Have  ID   `json:"have"`  // source of the reel, or 0
	Lacks int  `json:"lacks"` // else the place in Sources
	Clip  Clip `json:"clip"`  // ID, Track and Source are 0
	// Pace is how a picture of the reel runs in it; Offset is its first frame as recorded.
	Pace Pace `json:"pace,omitzero"`
}

// Assemble lays an edit in that was made elsewhere, on tracks of its own.
type Assemble struct {
	Name string   `json:"name"` // of the edit, for the step
	What Assembly `json:"what"`
}

// MostLaid is how many clips one assembly can bring.
const MostLaid = 50000

// Names implements Edit.
func (e *Assemble) Names() []ID {
	var out []ID
	for _, c := range e.What.Clips {
		if c.Have != 0 && !slices.Contains(out, c.Have) {
			out = append(out, c.Have)
		}
	}
	return out
}

// Apply implements Edit.
func (e *Assemble) Apply(r *Reel) (*Done, error) {
	w := e.What
	if len(w.Clips) == 0 {
		return nil, refuse("The list holds nothing to insert.")
	}
	if len(w.Clips) > MostLaid {
		return nil, refuse("An edit of %d clips is more than the %d that can be inserted at once.", len(w.Clips), MostLaid)
	}
	name, err := CleanName(ShortName(e.Name))
	if err != nil {
		return nil, err
	}
	out := *r
	o := Outcome{Label: "import “" + name + "”"}
	if len(r.Tracks)+len(w.Tracks) > MaxTracks {
		return nil, refuse("It takes %s and there are %d; a reel has at most %d.", count(len(w.Tracks), "track"), len(r.Tracks), MaxTracks)
	}
	tracks := make([]ID, len(w.Tracks))
	pictures := 0
	for i, t := range w.Tracks {
		did, err := (&AddTrack{Name: t.Name, Role: t.Role}).Apply(&out)
		if err != nil {
			return nil, err
		}
		out = *did.Reel
		tracks[i] = did.Made[0]
		own, _ := out.Track(tracks[i])
		own.GainDB, own.Pan = t.GainDB, t.Pan
		if err := invalid(own.check()); err != nil {
			return nil, err
		}
		out.Tracks = with(out.Tracks, own)
		if t.Role == PictureRole { // pictures lie above the sound
			next, err := (&MoveTrack{Track: tracks[i], To: pictures}).Apply(&out)
			if err != nil {
				return nil, err
			}
			out = *next.Reel
			pictures++
		}
	}
	sources := make([]ID, len(w.Sources))
	out.Sources = slices.Clone(r.Sources)
	for i, s := range w.Sources {
		s, err := r.byName(s)
		if err != nil {
			return nil, err
		}
		s.ID = out.take()
		sources[i] = s.ID
		out.Sources = append(out.Sources, s)
	}
	clips := make([]ID, len(w.Clips))
	out.Clips = slices.Clone(r.Clips)
	moved := map[ID]int64{} // by how much the place moved that a shot at another speed begins with
	for i, l := range w.Clips {
		if l.Track < 0 || l.Track >= len(tracks) || l.Have == 0 && (l.Lacks < 0 || l.Lacks >= len(sources)) {
			return nil, refuse("One of its clips has no track or no source.")
		}
		c := l.Clip
		c.ID, c.Track, c.Source = out.take(), tracks[l.Track], l.Have
		if l.Have == 0 {
			c.Source = sources[l.Lacks]
		}
		if c.Name, err = CleanName(c.Name); err != nil {
			return nil, err
		}
		clips[i] = c.ID
		if src, at, ok := out.laidAtPace(c, l.Pace); ok {
			src.ID = out.take()
			out.Sources = append(out.Sources, src)
			moved[c.ID] = at - c.Offset
			c.Source, c.Offset = src.ID, at
		}
		out.Clips = append(out.Clips, c)
	}
	at := func(i ID) (ID, bool) {
		if i < 0 || int(i) >= len(clips) {
			return 0, false
		}
		return clips[i], true
	}
	out.Blends, out.Ties = slices.Clone(r.Blends), slices.Clone(r.Ties)
	for _, b := range w.Blends {
		left, okL := at(b.Left)
		right, okR := at(b.Right)
		if !okL || !okR {
			return nil, refuse("A blend of it joins no clips.")
		}
		b.ID, b.Left, b.Right = out.take(), left, right
		out.Blends = append(out.Blends, b)
	}
	for k, t := range w.Ties {
		shot, okS := at(t.Shot)
		clip, okC := at(t.Clip)
		if !okS || !okC {
			return nil, refuse("A tie of it holds no clips.")
		}
		t.ID, t.Shot, t.Clip = out.take(), shot, clip
		if t.Sync += moved[shot]; w.Clips[int(w.Ties[k].Shot)].Pace.Held > 0 { // what stands is as much in step as it is
			s, _ := out.Clip(shot)
			c, _ := out.Clip(clip)
			t.Sync = between(s, c)
		}
		out.Ties = append(out.Ties, t)
	}
	done, err := r.finish(&out, o)
	if err != nil {
		return nil, err
	}
	for _, m := range w.Markers {
		if next, err := m.Apply(done.Reel); err == nil {
			done.Reel = next.Reel
		} else {
			done.Notes = append(done.Notes, fmt.Sprintf("The marker “%s” was left out: %v", ShortName(m.Text), err))
		}
	}
	if err := invalid(done.Reel.Check()); err != nil { // it comes from elsewhere
		return nil, err
	}
	done.Opens = nil // gaps that it came with are its own
	done.Says = []string{fmt.Sprintf("%s on %s", count(len(clips), "clip"), count(len(tracks), "track"))}
	return done, nil
}

// laidAtPace is the source that a shot plays which runs otherwise than recorded; not ok
// where it does not, or cannot: then it runs as recorded.
func (r *Reel) laidAtPace(c Clip, pace Pace) (src Source, offset int64, ok bool) {
	own, known := r.Source(c.Source)
	if pace == (Pace{}) || !known || !own.Picture.Moving() || own.Missing() || own.Picture.Pace != (Pace{}) || invalid(pace.check()) != nil {
		return src, 0, false
	}
	p := r.Props
	f := p.framed(c)
	n := f.n
	if pace.Held > 0 {
		shown := own.Picture.Rate.Shown(f.in, p.FrameRate)
		pace = Pace{Held: min(max(shown, 0), own.Picture.Frames-1) + 1}
	} else {
		if pace.Own > pace.Over*MostFactor || pace.Over > pace.Own*MostFactor {
			return src, 0, false
		}
		pace.Shift = 0
		n = max(pace.own(f.n), 1)
	}
	src, offset = p.running(own, pace, f.in, n, f.n)
	return src, offset, true
}
