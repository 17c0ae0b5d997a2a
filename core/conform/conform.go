package conform

import (
	"cmp"
	"fmt"
	"path"
	"slices"
	"strings"

	"blendseam/core/reel"
)

// Lacking is a source that a list names and the reel does not have.
type Lacking struct {
	Name    string `json:"name"`
	Tape    string `json:"tape,omitempty"`
	File    string `json:"file,omitempty"`
	Picture bool   `json:"picture"`
	Events  int    `json:"events"`
	From    int64  `json:"from"` // timecode that is needed of it, in samples from midnight
	To      int64  `json:"to"`
}

// Conformed is a list made ready to be laid into a reel.
type Conformed struct {
	What    reel.Assembly
	Lacking []Lacking
	Found   []Found
	Notes   []string
}

// Found is a source that a list names and the reel has.
type Found struct {
	Name   string `json:"name"`   // in the list
	Source string `json:"source"` // of the reel
	Why    string `json:"why"`    // by what it was found, in words: name and timecode
	Events int    `json:"events"`
}

// need are the events that play one source.
type need struct {
	Lacking
	zero int64 // −1 when not known
}

// Conform finds the sources of a list among those of a reel, by name, tape and
// timecode, and lays out its clips. What is missing becomes a source that is
// known by name and timecode alone. Two clips at one place of a track are kept
// on two.
func Conform(l List, r *reel.Reel) Conformed {
	out := Conformed{Notes: slices.Clone(l.Notes)}
	p := r.Props
	if l.Rate != p.FrameRate {
		out.Notes = append(out.Notes, fmt.Sprintf("The list runs at %s fps, the reel at %s. Times were rounded to the reel's frames.", l.Rate, p.FrameRate))
	}
	// Record time of the list against the reel's.
	shift := p.FrameRate.Sample(p.FrameRate.Nearest(l.Rate.Sample(l.StartFrame, p.SampleRate), p.SampleRate)-p.StartFrame, p.SampleRate)
	early := int64(0)
	for _, t := range l.Tracks {
		for _, e := range t.Events {
			early = min(early, e.Record+shift)
		}
	}
	if early < 0 {
		out.Notes = append(out.Notes, fmt.Sprintf("The list begins at %s, before the reel at %s. It was inserted at the reel's start.", l.Rate.Format(l.StartFrame+l.Rate.Nearest(early-shift, p.SampleRate)), p.FrameRate.Format(p.StartFrame)))
		shift -= early
	}
	needs := gather(l)
	have := map[string]reel.Source{}
	lacks := map[string]int{}
	keys := make([]string, 0, len(needs))
	for k := range needs {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	for _, k := range keys {
		n := needs[k]
		if src, by := n.among(r.Sources, p); by.points > 0 {
			have[k] = src
			out.Found = append(out.Found, Found{Name: n.Name, Source: src.Name, Why: by.why, Events: n.Events})
			continue
		}
		lacks[k] = len(out.What.Sources)
		out.What.Sources = append(out.What.Sources, n.missing(p))
		out.Lacking = append(out.Lacking, n.Lacking)
	}
	groups := map[int][]int{} // places in Clips of what belongs together
	slow := 0                 // shots at another speed that has no picture yet
	for _, t := range l.Tracks {
		lanes := apart(t.Events)
		for i, lane := range lanes {
			nt := reel.NewTrack{Name: t.Name, Role: t.Role, GainDB: t.GainDB, Pan: t.Pan}
			if nt.Role == "" {
				nt.Role = reel.Dialogue
			}
			if t.Picture {
				nt.Role = reel.PictureRole
			}
			if i > 0 {
				nt.Name += fmt.Sprintf(", beside %d", i)
				if i == 1 {
					out.Notes = append(out.Notes, fmt.Sprintf("Events of %s overlap; each is kept, on a separate track.", t.Name))
				}
			}
			last := -1
			for _, e := range lane {
				k := e.key(t.Picture)
				c := reel.LaidClip{Track: len(out.What.Tracks), Lacks: lacks[k], Clip: reel.Clip{
					Name: e.label(), Start: onFrame(p, e.Record, shift), GainDB: e.GainDB, FadeIn: e.Fades[0], FadeOut: e.Fades[1],
				}, Pace: e.Pace}
				if src, ok := have[k]; e.Pace != (reel.Pace{}) && (!ok || !src.Picture.Moving()) {
					c.Pace = reel.Pace{}
					slow++
				}
				for _, f := range []*reel.Fade{&c.Clip.FadeIn, &c.Clip.FadeOut} {
					if f.Shape == "" {
						*f = reel.NoFade
					}
				}
				c.Clip.Length = onFrame(p, e.End(), shift) - c.Clip.Start
				zero := int64(0)
				if src, ok := have[k]; ok {
					c.Have, c.Lacks = src.ID, 0
					zero = needs[k].sought(p).begins(src)
				}
				c.Clip.Offset = max(e.SourceIn-zero, 0)
				place := len(out.What.Clips)
				out.What.Clips = append(out.What.Clips, c)
				if e.Blend != nil && last >= 0 && i == 0 {
					b := *e.Blend
					out.What.Blends = append(out.What.Blends, reel.Blend{Left: reel.ID(last), Right: reel.ID(place), Before: b.Before, After: b.After, Law: b.Law, Lean: b.Lean, Out: b.Out, In: b.In})
				}
				last = place
				if e.Group != 0 {
					groups[e.Group] = append(groups[e.Group], place)
				}
			}
			out.What.Tracks = append(out.What.Tracks, nt)
		}
	}
	if slow > 0 {
		note := "1 clip is inserted at normal speed, with its length kept: its picture is missing."
		if slow > 1 {
			note = fmt.Sprintf("%d clips are inserted at normal speed, with their lengths kept: their pictures are missing.", slow)
		}
		out.Notes = append(out.Notes, note)
	}
	out.settle(r, groups)
	for _, m := range l.Markers {
		out.What.Markers = append(out.What.Markers, reel.AddMarker{At: max(m.At+shift, 0), Text: m.Text})
	}
	return out
}

// settle ties what belongs together, and holds clips and blends to the material
// that there is.
func (c *Conformed) settle(r *reel.Reel, groups map[int][]int) {
	w := &c.What
	source := func(l reel.LaidClip) reel.Source {
		if l.Have != 0 {
			s, _ := r.Source(l.Have)
			return s
		}
		return w.Sources[l.Lacks]
	}
	short := 0
	gone := map[int]bool{}
	for i := range w.Clips {
		l := &w.Clips[i]
		src := source(*l)
		over := l.Clip.Offset + l.Clip.Length - src.Length
		switch {
		case l.Pace.Held > 0:
			over = l.Clip.Offset - src.Length + 1
		case l.Pace.Over > 0: // so much longer or shorter is what it has
			over = l.Clip.Length - int64(float64(src.Length-l.Clip.Offset)*float64(l.Pace.Over)/float64(l.Pace.Own))
		}
		if over > 0 {
			short++
			if l.Clip.Length -= over; l.Clip.Length < 1 {
				gone[i] = true
			}
		}
		if n := l.Clip.FadeIn.Length + l.Clip.FadeOut.Length; n > l.Clip.Length {
			l.Clip.FadeIn.Length, l.Clip.FadeOut.Length = 0, 0
		}
	}
	if short > 0 {
		c.Notes = append(c.Notes, fmt.Sprintf("%d clips need more than their recordings hold. They were shortened to what there is.", short))
	}
	for _, members := range groups {
		shot := slices.IndexFunc(members, func(i int) bool { return w.Tracks[w.Clips[i].Track].Role == reel.PictureRole })
		if shot < 0 || gone[members[shot]] {
			continue
		}
		s := w.Clips[members[shot]]
		for _, m := range members {
			if l := w.Clips[m]; w.Tracks[l.Track].Role != reel.PictureRole && !gone[m] {
				// In step by their timecode, whatever the list has made of it.
				pic, snd := source(s), source(l)
				sync := (l.Clip.Start - l.Clip.Offset) - (s.Clip.Start - s.Clip.Offset)
				if pic.StartTC >= 0 && snd.StartTC >= 0 {
					if by := snd.StartTC - pic.StartTC; max(by-sync, sync-by) <= int64(r.Props.SampleRate) {
						sync = by
					}
				}
				w.Ties = append(w.Ties, reel.Tie{Shot: reel.ID(members[shot]), Clip: reel.ID(m), Sync: sync})
			}
		}
	}
	slices.SortFunc(w.Ties, func(a, b reel.Tie) int { return cmp.Or(cmp.Compare(a.Shot, b.Shot), cmp.Compare(a.Clip, b.Clip)) })
	blends := w.Blends
	w.Blends = nil
	lost := 0
	taken := map[reel.ID]int64{}  // of each clip, by the blend at its head
	wanted := map[reel.ID]int64{} // of each clip, by the one at its tail
	for _, b := range blends {
		wanted[b.Left] = b.Before
	}
	for _, b := range blends {
		a, z := w.Clips[b.Left], w.Clips[b.Right]
		if gone[int(b.Left)] || gone[int(b.Right)] || a.Clip.Start+a.Clip.Length != z.Clip.Start {
			lost++
			continue
		}
		beyond := source(a).Length - a.Clip.Offset - a.Clip.Length
		before := min(b.Before, z.Clip.Offset, a.Clip.Length-taken[b.Left])
		after := min(b.After, beyond, z.Clip.Length)
		if after+wanted[b.Right] > z.Clip.Length { // both ends ask for it: each has half
			after = min(after, z.Clip.Length/2)
		}
		if before+after < b.Before+b.After {
			lost++
		}
		if before+after < 1 {
			continue
		}
		b.Before, b.After = before, after
		taken[b.Right] = after
		w.Clips[b.Left].Clip.FadeOut, w.Clips[b.Right].Clip.FadeIn = reel.NoFade, reel.NoFade
		w.Blends = append(w.Blends, b)
	}
	if lost > 0 {
		what := fmt.Sprintf("%d blends are", lost)
		if lost == 1 {
			what = "1 blend is"
		}
		c.Notes = append(c.Notes, what+" shorter than in the list, or removed: no more handle.")
	}
	if len(gone) > 0 {
		c.drop(gone)
	}
}

// drop leaves clips out, and renumbers what names the others.
func (c *Conformed) drop(gone map[int]bool) {
	w := &c.What
	at := make([]reel.ID, len(w.Clips))
	var kept []reel.LaidClip
	for i, l := range w.Clips {
		at[i] = reel.ID(len(kept))
		if !gone[i] {
			kept = append(kept, l)
		}
	}
	w.Clips = kept
	for i := range w.Blends {
		w.Blends[i].Left, w.Blends[i].Right = at[w.Blends[i].Left], at[w.Blends[i].Right]
	}
	for i := range w.Ties {
		w.Ties[i].Shot, w.Ties[i].Clip = at[w.Ties[i].Shot], at[w.Ties[i].Clip]
	}
}

// gather are the sources that a list needs, by key.
func gather(l List) map[string]*need {
	out := map[string]*need{}
	for _, t := range l.Tracks {
		for _, e := range t.Events {
			k := e.key(t.Picture)
			n := out[k]
			if n == nil {
				n = &need{Lacking{Name: e.source(), Tape: e.Tape, File: e.File, Picture: t.Picture, From: e.SourceIn, To: e.SourceIn}, e.Zero}
				out[k] = n
			}
			n.Events++
			n.From, n.To = min(n.From, e.SourceIn), max(n.To, e.SourceIn+e.Length)
		}
	}
	return out
}

// key is the same for events of the same source.
func (e Event) key(picture bool) string {
	return fmt.Sprint(picture, "\x00", fold(e.source()))
}

// source is what an event's source is called: its file, or its tape, or, where
// the tape says nothing, its clip.
func (e Event) source() string {
	switch {
	case e.File != "":
		return e.File
	case e.Tape != "" && !slices.Contains([]string{"AX", "AXX"}, strings.ToUpper(e.Tape)):
		return e.Tape
	case e.Name != "":
		return e.Name
	case e.Tape != "":
		return e.Tape
	}
	return "untitled"
}

func (e Event) label() string {
	if e.Name != "" {
		return reel.ShortName(e.Name)
	}
	return reel.ShortName(e.source())
}

// fold is a name as it is compared: without the path before it, the ending
// behind it, and case.
func fold(name string) string {
	name = strings.ToLower(strings.TrimSpace(name))
	name = name[strings.LastIndexAny(name, `/\`)+1:]
	if ext := path.Ext(name); len(ext) > 1 && len(ext) <= 6 && ext != name && !strings.ContainsAny(ext, " ") {
		name = strings.TrimSuffix(name, ext)
	}
	return name
}

// Same reports whether two names are those of one source.
func Same(a, b string) bool { return a != "" && b != "" && fold(a) == fold(b) }

// sought is what is looked for.
func (n *need) sought(p reel.Props) sought {
	return sought{names: []string{n.File, n.Name}, tape: n.Tape, picture: n.Picture, from: n.From, to: n.To, zero: n.zero, frame: p.FrameRate.Sample(1, p.SampleRate)}
}

// among finds the source, where one is surely it and holds any of what is needed.
func (n *need) among(sources []reel.Source, p reel.Props) (best reel.Source, by found) {
	want := n.sought(p)
	for _, s := range sources {
		if zero := want.begins(s); n.To <= zero || n.From >= zero+s.Length {
			continue // of another time
		}
		if f := want.match(s); f.sure() && f.points > by.points {
			best, by = s, f
		}
	}
	return best, by
}

// missing is the source that stands for what is lacking.
func (n *need) missing(p reel.Props) reel.Source {
	s := reel.Source{Name: reel.ShortName(n.Name), Tape: reel.ShortName(n.Tape), Left: 0, Right: -1, StartTC: 0, Length: reel.MaxHours * 3600 * int64(p.SampleRate)}
	if n.Picture {
		s.Left, s.Picture = -1, reel.Picture{Rate: p.FrameRate}
	}
	return s
}

// apart lays events out on as few lanes as hold them without overlap.
func apart(events []Event) [][]Event {
	events = slices.Clone(events)
	slices.SortStableFunc(events, func(a, b Event) int { return cmp.Compare(a.Record, b.Record) })
	var lanes [][]Event
	for _, e := range events {
		if e.Length < 1 {
			continue
		}
		at := slices.IndexFunc(lanes, func(l []Event) bool { return l[len(l)-1].End() <= e.Record })
		if at < 0 {
			at = len(lanes)
			lanes = append(lanes, nil)
		}
		lanes[at] = append(lanes[at], e)
	}
	return lanes
}

// onFrame is a time moved by so many samples. What is a frame of the list comes
// upon a frame of the reel, though frames are no whole number of samples.
func onFrame(p reel.Props, at, shift int64) int64 {
	to := at + shift
	if shift == 0 {
		return to
	}
	if f := p.FrameRate.Sample(p.FrameRate.Nearest(to, p.SampleRate), p.SampleRate); f-to <= 1 && to-f <= 1 {
		return f
	}
	return to
}
