package reel

import (
	"fmt"
	"slices"
	"strings"
)

// Paste lays an excerpt in. Where later clips stay there has to be room; where
// they follow, room is made, and a clip that lies across the place is split.
type Paste struct {
	What  Excerpt `json:"what"`
	Track ID      `json:"track"` // of the uppermost lane
	At    int64   `json:"at"`
	Later Later   `json:"later,omitempty"`
	// Known are sources of recordings that the reel lacks, as they are known
	// where recordings are kept: what was copied says it of itself, and could say
	// anything. Those that are needed come into the reel with the clips.
	Known []Source `json:"-"`
}

// Names implements Edit.
func (e *Paste) Names() []ID { return []ID{e.Track} }

// Apply implements Edit.
func (e *Paste) Apply(r *Reel) (*Done, error) {
	if err := invalid(e.Later.check(), e.What.check(r)); err != nil {
		return nil, err
	}
	own := *r // tone that comes along is grown in it
	clips, tracks, err := e.land(&own)
	r, was := &own, r
	if err != nil {
		return nil, err
	}
	out := new(Reel)
	*out = *r
	var f followers
	if e.Later.follows() {
		var no *Refusal
		if out, f, no = r.part(e.Later, tracks, e.At, e.What.Length); no != nil {
			return nil, no
		}
	} else if start, ok := r.nearestShift(clips, nil, 0); !ok || start != 0 {
		fit := *e
		fit.At += start
		hit := clips[0]
		for _, c := range clips {
			if len(r.under(c.Start, c.End(), map[ID]bool{c.Track: true})) > 0 {
				hit = c
				break
			}
		}
		no := r.noRoom(hit.Start, hit.Length, hit.Track, nil, ok, e.At+start, &fit)
		if ok {
			no.Possible += " Or let later clips follow, to make room here."
		} else {
			no.Possible = "Let later clips follow, to make room here."
		}
		return nil, no
	}
	out.Clips, out.Blends = slices.Clone(out.Clips), slices.Clone(out.Blends)
	o := Outcome{Label: "paste " + both(clips) + " at " + r.Props.at(e.At)}
	for i := range clips {
		clips[i].ID = out.take()
		o.Made = append(o.Made, clips[i].ID)
		for _, l := range e.What.Clips[i].Strikes {
			s := l.Strike
			s.ID, s.Clip, s.Cover.Source = out.take(), clips[i].ID, 0
			if l.Tone != nil {
				tone, no := out.carried(*l.Tone, e.Known)
				if no != nil {
					return nil, no
				}
				s.Cover.Source = tone.ID
			}
			out.Strikes = append(out.Strikes[:len(out.Strikes):len(out.Strikes)], s)
		}
		for _, p := range e.What.Clips[i].Points {
			p.ID, p.Clip, p.Track = out.take(), clips[i].ID, 0
			out.Points = append(out.Points[:len(out.Points):len(out.Points)], p)
		}
		if t := e.What.Clips[i].Treated; t != nil {
			own := *t
			own.ID, own.Clip, own.Track = out.take(), clips[i].ID, 0
			out.Treatments = with(out.Treatments, own)
		}
	}
	out.Clips = append(out.Clips, clips...)
	for _, b := range e.What.Blends {
		b.ID, b.Left, b.Right = out.take(), clips[b.Left].ID, clips[b.Right].ID
		out.Blends = append(out.Blends, b)
	}
	for _, t := range e.What.Ties {
		t.ID, t.Shot, t.Clip = out.take(), clips[t.Shot].ID, clips[t.Clip].ID
		out.Ties = append(out.Ties[:len(out.Ties):len(out.Ties)], t)
	}
	o.Says = append([]string{both(clips) + " at " + r.Props.at(e.At)}, f.say(r.Props, e.What.Length)...)
	if n := came(was, out); n > 0 {
		o.Says = append(o.Says, count(n, "recording")+" added to this reel")
	}
	done, err := was.finish(out, o)
	if err == nil {
		err = invalid(done.Reel.Check()) // an excerpt may come from anywhere
	}
	if err != nil {
		return nil, err
	}
	return done, nil
}

// check refuses an excerpt that cannot have been copied.
func (x Excerpt) check(r *Reel) error {
	if len(x.Clips) == 0 || x.Length < 1 {
		return fmt.Errorf("there is nothing to paste; copy clips or a span first")
	}
	if x.Rate != r.Props.SampleRate {
		return fmt.Errorf("what was copied counts %d samples a second and this reel %d", x.Rate, r.Props.SampleRate)
	}
	if x.Length > r.day() {
		return fmt.Errorf("what was copied is longer than a reel can be")
	}
	for _, l := range x.Clips {
		if l.Lane < 0 || l.Lane >= MaxTracks || l.Clip.Start < 0 || l.Clip.Length < 1 || l.Clip.Length > x.Length-l.Clip.Start {
			return fmt.Errorf("a clip of what was copied is outside it")
		}
	}
	for _, b := range x.Blends {
		if n := ID(len(x.Clips)); b.Left < 0 || b.Left >= n || b.Right < 0 || b.Right >= n {
			return fmt.Errorf("a blend of what was copied joins no clips of it")
		}
	}
	for _, t := range x.Ties {
		if n := ID(len(x.Clips)); t.Shot < 0 || t.Shot >= n || t.Clip < 0 || t.Clip >= n {
			return fmt.Errorf("a tie of what was copied holds no clips of it")
		}
	}
	return nil
}

// land are the excerpt's clips on the reel's tracks, without ids.
func (e *Paste) land(r *Reel) ([]Clip, map[ID]bool, error) {
	order := r.Order()
	top := slices.IndexFunc(order, func(t Track) bool { return t.ID == e.Track })
	if top < 0 {
		return nil, nil, refuse("That track is gone.")
	}
	if e.At < 0 || e.At > r.day()-e.What.Length {
		return nil, nil, refuse("What was copied does not fit in the reel there.")
	}
	need := 0
	for _, l := range e.What.Clips {
		need = max(need, l.Lane+1)
	}
	if top+need > len(order) {
		no := refuse("What was copied takes %s, and from %s down there %s %d.", count(need, "track"), order[top].Name, plural(len(order)-top, "is", "are"), len(order)-top)
		no.Possible = "Add tracks, or paste from a higher one."
		if up := len(order) - need; up >= 0 {
			fit := *e
			fit.Track = order[up].ID
			no.Offer = workable(r, &fit)
			no.Possible = "From " + order[up].Name + " down it fits."
		}
		return nil, nil, no
	}
	tracks := map[ID]bool{}
	var out []Clip
	for _, l := range e.What.Clips {
		t := order[top+l.Lane]
		if t.Locked {
			return nil, nil, locked(t)
		}
		src, no := r.carried(l.Source, e.Known)
		if no == nil {
			no = t.fits(src)
		}
		if no != nil {
			return nil, nil, no
		}
		c := l.Clip
		c.ID, c.Track, c.Source = 0, t.ID, src.ID
		c.Start += e.At
		if _, err := CleanName(c.Name); err != nil {
			return nil, nil, err
		}
		tracks[t.ID] = true
		out = append(out, c)
	}
	return out, tracks, nil
}

// Lacks are the sources of an excerpt whose recordings a reel does not list,
// each once: those of its clips, and those that tone is grown of.
func (r *Reel) Lacks(x Excerpt) []Source {
	var out []Source
	see := func(s Source) {
		s.Bed = Bed{}
		if _, has := r.like(s); !has && s.Recording != "" && !slices.ContainsFunc(out, s.same) {
			out = append(out, s)
		}
	}
	for _, l := range x.Clips {
		see(l.Source)
		for _, k := range l.Strikes {
			if k.Tone != nil {
				see(*k.Tone)
			}
		}
	}
	return out
}

// same reports whether two sources are the same part of one recording, heard in
// the same way.
func (s Source) same(o Source) bool {
	return s.Recording == o.Recording && s.Left == o.Left && s.Right == o.Right && s.Bed == o.Bed && s.Shows() == o.Shows() && s.Picture.Pace == o.Picture.Pace && (!s.Missing() || s.Name == o.Name)
}

// like is the reel's own source that is the same as another.
func (r *Reel) like(src Source) (Source, bool) {
	if i := slices.IndexFunc(r.Sources, src.same); i >= 0 {
		return r.Sources[i], true
	}
	return Source{}, false
}

// came counts the sources that a paste brought along; tone is grown, not brought.
func came(was, now *Reel) int {
	n := 0
	for _, s := range now.Sources {
		if _, had := was.Source(s.ID); !had && !s.Bed.Grown() {
			n++
		}
	}
	return n
}

// carried is the reel's own source for one that was copied; what it lacks comes
// from those that are known. Room tone is grown anew from the same swatch. The
// reel is its own.
func (r *Reel) carried(src Source, known []Source) (Source, error) {
	if own, ok := r.like(src); ok {
		return own, nil
	}
	if src.Bed.Grown() {
		return r.carriedTone(src, known)
	}
	if src.Missing() { // it is known by name alone, there as here
		s, err := r.byName(src)
		if err == nil {
			s.ID = r.take()
			r.Sources = with(r.Sources, s)
		}
		return s, err
	}
	i := slices.IndexFunc(known, src.same)
	if i < 0 {
		no := refuse("This reel lacks the recording “%s”.", src.Name)
		no.Possible = "Import it under Sources first."
		return Source{}, no
	}
	s := known[i]
	name, err := CleanName(src.Name)
	if err != nil {
		return Source{}, err
	}
	s.ID, s.Name, s.Unlisted = r.take(), name, false
	r.Sources = with(r.Sources, s)
	return s, nil
}

// carriedTone grows room tone from the swatch or the made-up room that it was
// grown from where it was copied.
func (r *Reel) carriedTone(src Source, known []Source) (Source, error) {
	t := Tone{From: src.Bed.From, To: src.Bed.To, Room: src.Bed.Room, Seed: src.Bed.Seed, Tint: src.Bed.Tint, Channels: 1}
	if src.Right >= 0 {
		t.Channels = 2
	}
	if t.Room == "" {
		of := slices.IndexFunc(r.Sources, func(s Source) bool {
			return s.Recording == src.Recording && !s.Bed.Grown() && s.Left == src.Left && s.Length >= src.Bed.To
		})
		if of >= 0 {
			t.Source = r.Sources[of].ID
		} else {
			bare := src
			bare.Bed, bare.Name = Bed{}, strings.TrimPrefix(src.Name, "tone of ")
			own, err := r.carried(bare, known)
			if err != nil {
				return Source{}, err
			}
			t.Source = own.ID
		}
	}
	return r.grown(t)
}
