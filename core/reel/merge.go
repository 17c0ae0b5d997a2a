package reel

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"slices"
)

// Merging is a stretch of a track that is to become one recording and one clip.
type Merging struct {
	Track         ID
	From, To      int64   // where the merged clip lies
	Before, After int64   // samples of handle that its recording has at either end
	Reel          *Reel   // what is rendered from From−Before to To+After: these clips alone
	GainDB        float64 // that the merged clip plays at
	clips         []Clip
}

// Samples is how long the recording will be.
func (m Merging) Samples() int64 { return m.Before + m.To - m.From + m.After }

// MergeHandles is how much handle a merged recording keeps at most, in seconds, where
// no blend needs more.
const MergeHandles = 30

// Bounds of what is merged at a time.
const (
	MostMerged      = 3600 // seconds
	MostMergedClips = 1000
)

// Digest names all that is heard of what is merged.
func (m Merging) Digest() string {
	text, err := json.Marshal(m.Reel)
	if err != nil {
		panic(err) // a reel can be written
	}
	sum := sha256.Sum256(fmt.Appendf(text, " %d %d %d %d", m.From, m.To, m.Before, m.After))
	return hex.EncodeToString(sum[:])
}

// Merging tells what merging some clips of one track would render: their blends, fades,
// strikes and treatments, and their gains and rides unless it is plain. What comes of
// the track, which is its treatment, rides, gain and pan, stays with the track. The
// fades and blends at the outer ends stay with the clip, beyond which the recording has
// handles.
func (r *Reel) Merging(ids []ID, plain bool) (Merging, error) {
	clips, err := r.named(ids)
	if err != nil {
		return Merging{}, err
	}
	clips = slices.Clone(clips)
	slices.SortFunc(clips, func(a, b Clip) int { return int(min(max(a.Start-b.Start, -1), 1)) })
	first, last := clips[0], clips[len(clips)-1]
	m := Merging{Track: first.Track, From: first.Start, To: last.End(), clips: clips}
	if no := r.mergeable(m); no != nil {
		return m, no
	}
	head, _ := r.BlendAt(first.ID)
	_, tail := r.BlendAt(last.ID)
	most := MergeHandles * int64(r.Props.SampleRate)
	before, _ := r.spare(first)
	_, after := r.spare(last)
	m.Before, m.After = min(before, max(most, head.Before, head.After)), min(after, max(most, tail.Before, tail.After))
	own := map[ID]bool{}
	for _, c := range clips {
		own[c.ID] = true
	}
	track, _ := r.Track(m.Track)
	out := &Reel{Props: r.Props, NextID: r.NextID, Sources: r.Sources}
	out.Tracks = []Track{{ID: track.ID, Name: track.Name, Role: track.Role}}
	alike := true // they all play at one gain, which a plain recording leaves to its clip
	for i, c := range clips {
		alike = alike && c.GainDB == first.GainDB
		if plain {
			c.GainDB, c.Balance, c.RightDB = 0, 0, 0
		}
		if i == 0 {
			c.Start, c.Offset, c.Length, c.FadeIn = c.Start-m.Before, c.Offset-m.Before, c.Length+m.Before, NoFade
		}
		if i == len(clips)-1 {
			c.Length, c.FadeOut = c.Length+m.After, NoFade
		}
		out.Clips = with(out.Clips, c)
	}
	if plain && alike {
		m.GainDB = first.GainDB
	}
	for _, b := range r.Blends {
		if own[b.Left] && own[b.Right] {
			out.Blends = append(out.Blends, b)
		}
	}
	for _, s := range r.Strikes {
		if own[s.Clip] {
			out.Strikes = append(out.Strikes, s)
		}
	}
	for _, p := range r.Points {
		if own[p.Clip] && !plain {
			out.Points = append(out.Points, p)
		}
	}
	for _, t := range r.Treatments {
		if own[t.Clip] {
			out.Treatments = append(out.Treatments, t)
		}
	}
	m.Reel = out
	return m, nil
}

// mergeable says why clips cannot become one.
func (r *Reel) mergeable(m Merging) *Refusal {
	own := map[ID]bool{}
	for _, c := range m.clips {
		own[c.ID] = true
	}
	alone := 0
	for _, c := range m.clips {
		src, _ := r.Source(c.Source)
		t, _ := r.TreatmentOf(c.ID)
		if t.Alone && !t.Off {
			alone++
		}
		var no *Refusal
		switch {
		case c.Track != m.Track:
			no = refuse("The selected clips are on several tracks.")
			no.Possible = "Merge those of one track at a time."
		case src.Shows():
			no = refuse("Shots cannot be merged.")
			no.Possible = "Select clips of sound."
		case src.Missing():
			no = refuse("“%s” has no recording.", c.Name)
			no.Possible = "Locate its media under Sources first."
		}
		if no != nil {
			return no
		}
	}
	if len(m.clips) == 1 && !r.worked(m.clips[0]) {
		no := refuse("“%s” is one clip as recorded: nothing to merge.", m.clips[0].Name)
		no.Possible = "Select clips that meet, or mark a span over several."
		return no
	}
	if alone > 0 && alone < len(m.clips) {
		if t, ok := r.TreatmentOf(m.Track); ok && !t.Off {
			no := refuse("Some of these clips have a treatment in place of the track's, and others do not.")
			no.Possible = "Give all of them one or the other first."
			return no
		}
	}
	for _, c := range r.under(m.From, m.To, map[ID]bool{m.Track: true}) {
		if !own[c.ID] {
			no := refuse("“%s” is between the selected clips.", c.Name)
			no.Possible = "Select it as well."
			return no
		}
	}
	first, last := m.clips[0].ID, m.clips[len(m.clips)-1].ID
	for _, b := range r.Blends {
		if own[b.Left] == own[b.Right] || b.Right == first || b.Left == last {
			continue
		}
		left, _ := r.Clip(b.Left)
		right, _ := r.Clip(b.Right)
		no := refuse("“%s” is blended with “%s” on another track.", left.Name, right.Name)
		no.Possible = "Remove that blend, or merge up to there."
		return no
	}
	if len(m.clips) > MostMergedClips {
		return refuse("Those are %s; at most %d are merged at a time.", count(len(m.clips), "clip"), MostMergedClips)
	}
	if long := MostMerged * int64(r.Props.SampleRate); m.To-m.From > long {
		return refuse("That is %s; at most an hour is merged at a time.", r.Props.say(m.To-m.From))
	}
	return nil
}

// worked reports whether anything was done to a clip that merging would make part of a
// recording.
func (r *Reel) worked(c Clip) bool {
	_, treated := r.TreatmentOf(c.ID)
	return c.GainDB != 0 || c.Balance != 0 || c.RightDB != 0 || treated || len(r.StrikesOf(c.ID)) > 0 || len(r.Line(c.ID)) > 0
}

// Former are the clips that a merged recording was made of, as they were, with the
// sample of the recording at which the first of them began.
type Former struct {
	From       int64       `json:"from"` // where the stretch began in the reel
	Before     int64       `json:"before"`
	Clips      []Clip      `json:"clips"`
	Blends     []Blend     `json:"blends,omitempty"`
	Strikes    []Strike    `json:"strikes,omitempty"`
	Points     []Point     `json:"points,omitempty"`
	Treatments []Treatment `json:"treatments,omitempty"`
	Ties       []Tie       `json:"ties,omitempty"`
	GainDB     float64     `json:"gainDB,omitempty"` // that the merged clip was given
}

// Merge puts one clip in the place of several: of a recording that was rendered of them.
// It is no edit of the page's: who makes it has the recording.
type Merge struct {
	Merged
	Digest string // of what was rendered
	Source Source // Recording, Left, Right and Name
}

// Merged is what is merged: clips, or what a track holds in a span, at whose ends clips
// are split.
type Merged struct {
	Clips []ID  `json:"clips,omitempty"`
	Track ID    `json:"track,omitempty"`
	From  int64 `json:"from,omitempty"`
	To    int64 `json:"to,omitempty"`
	Plain bool  `json:"plain,omitempty"` // without their gains and rides
}

// Of is the reel with its clips split as far as it takes, and what is merged in it.
func (e Merged) Of(r *Reel) (*Reel, Merging, error) {
	ids := e.Clips
	if len(ids) == 0 {
		if err := r.inReel(e.From, e.To); err != nil {
			return r, Merging{}, err
		}
		if _, err := r.open(e.Track); err != nil {
			return r, Merging{}, err
		}
		on := map[ID]bool{e.Track: true}
		for _, at := range []int64{e.From, e.To} {
			for _, c := range r.under(at-1, at+1, on) {
				if c.Start >= at || c.End() <= at {
					continue
				}
				done, err := (&Split{Clips: []ID{c.ID}, At: at}).Apply(r)
				if no, ok := err.(*Refusal); ok { // what it offers is of a clip that is split already
					return r, Merging{}, &Refusal{Reason: no.Reason, Possible: no.Possible, Limit: no.Limit}
				}
				if err != nil {
					return r, Merging{}, err
				}
				r = done.Reel
			}
		}
		for _, c := range r.under(e.From, e.To, on) {
			ids = append(ids, c.ID)
		}
	}
	m, err := r.Merging(ids, e.Plain)
	return r, m, err
}

// Names implements Edit.
func (e *Merge) Names() []ID { return e.Clips }

// On implements Timed: a span is about what its track holds.
func (e *Merge) On() []ID {
	if len(e.Clips) > 0 {
		return nil
	}
	return []ID{e.Track}
}

// Apply implements Edit.
func (e *Merge) Apply(before *Reel) (*Done, error) {
	r, m, err := e.Of(before)
	if err != nil {
		return nil, err
	}
	if m.Digest() != e.Digest {
		no := refuse("The clips were changed while they were merged.")
		no.Possible = "Merge them again."
		return nil, no
	}
	name, err := CleanName(ShortName(e.Source.Name))
	if err != nil {
		return nil, err
	}
	former := Former{From: m.From, Before: m.Before, Clips: m.clips, Blends: m.Reel.Blends, Strikes: m.Reel.Strikes, Treatments: m.Reel.Treatments, GainDB: m.GainDB}
	for _, c := range m.clips {
		former.Points = append(former.Points, r.Line(c.ID)...)
		if t := r.TieOf(c.ID); t.ID != 0 {
			former.Ties = append(former.Ties, t)
		}
	}
	text, err := json.Marshal(former)
	if err != nil {
		return nil, err
	}
	out := *r
	src := Source{ID: out.take(), Recording: e.Source.Recording, Name: name, Left: e.Source.Left, Right: e.Source.Right, Length: m.Samples(), StartTC: -1, Former: string(text)}
	out.Sources = with(r.Sources, src)
	first, last := m.clips[0], m.clips[len(m.clips)-1]
	c := Clip{ID: out.take(), Track: m.Track, Source: src.ID, Name: name, Start: m.From, Offset: m.Before, Length: m.To - m.From, GainDB: m.GainDB, FadeIn: first.FadeIn, FadeOut: last.FadeOut}
	out.replace(m.clips, []Clip{c})
	o := Outcome{Label: "merge " + both(m.clips), Made: []ID{c.ID}, Says: []string{fmt.Sprintf("%s merged, %s long", count(len(m.clips), "clip"), r.Props.say(c.Length))}}
	if t, _ := r.TreatmentOf(first.ID); t.Alone && !t.Off {
		// What is in the recording already is not to be treated by the track on top.
		out.Treatments = with(out.Treatments, Treatment{ID: out.take(), Clip: c.ID, Alone: true})
	}
	shots := map[ID]bool{}
	for _, t := range former.Ties {
		shots[t.Shot] = true
	}
	if len(shots) == 1 {
		t := former.Ties[0]
		shot, _ := r.Clip(t.Shot)
		t.ID, t.Clip, t.Sync = out.take(), c.ID, between(shot, c)-r.Off(t)
		out.Ties = append(slices.Clone(out.Ties), t)
	} else if len(shots) > 1 {
		o.Notes = append(o.Notes, "The clips were tied to several shots: the merged clip is tied to none.")
	}
	return before.finish(&out, o)
}

// replace puts clips in the place of others that lie in the same stretch of a track.
// The blends at the outer ends stay. The reel is its own.
func (r *Reel) replace(old, now []Clip) {
	gone := map[ID]bool{}
	for _, c := range old {
		gone[c.ID] = true
	}
	first, last := old[0].ID, old[len(old)-1].ID
	r.Clips = slices.DeleteFunc(slices.Clone(r.Clips), func(c Clip) bool { return gone[c.ID] })
	for _, c := range now {
		r.Clips = with(r.Clips, c)
	}
	blends := []Blend{}
	for _, b := range r.Blends {
		switch {
		case gone[b.Left] && gone[b.Right]:
			continue
		case b.Right == first:
			b.Right = now[0].ID
		case b.Left == last:
			b.Left = now[len(now)-1].ID
		}
		blends = append(blends, b)
	}
	r.Blends = blends
	r.Strikes = slices.DeleteFunc(slices.Clone(r.Strikes), func(s Strike) bool { return gone[s.Clip] })
	r.Points = slices.DeleteFunc(slices.Clone(r.Points), func(p Point) bool { return gone[p.Clip] })
	r.Treatments = slices.DeleteFunc(slices.Clone(r.Treatments), func(t Treatment) bool { return gone[t.Clip] })
	r.Ties = slices.DeleteFunc(slices.Clone(r.Ties), func(t Tie) bool { return gone[t.Clip] })
}
