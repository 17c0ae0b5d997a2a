package reel

import (
	"cmp"
	"slices"
)

// Excerpt is a copied part of a reel: clips over one or more tracks with their
// fades and the blends between them. It stands by itself, so that it can be
// pasted after its clips have gone, and into another reel.
type Excerpt struct {
	Rate   int         `json:"rate"`   // samples a second
	Length int64       `json:"length"` // in samples
	Lanes  int         `json:"lanes"`  // tracks from the uppermost to the lowest
	Clips  []LooseClip `json:"clips"`
	Blends []Blend     `json:"blends,omitempty"` // Left and Right are places in Clips, ID is 0
	Ties   []Tie       `json:"ties,omitempty"`   // Shot and Clip are places in Clips, ID is 0
}

// LooseClip is a clip of an excerpt.
type LooseClip struct {
	Lane    int           `json:"lane"` // tracks below the uppermost
	Source  Source        `json:"source"`
	Clip    Clip          `json:"clip"` // Start counts from the excerpt's; ID, Track and Source are 0
	Strikes []LooseStrike `json:"strikes,omitempty"`
	Points  []Point       `json:"points,omitempty"`  // its gain line; ID and Clip are 0
	Treated *Treatment    `json:"treated,omitempty"` // ID and Clip are 0
}

// LooseStrike is a struck span of a copied clip, with the tone that covers it.
type LooseStrike struct {
	Strike Strike  `json:"strike"` // ID, Clip and Cover.Source are 0
	Tone   *Source `json:"tone,omitempty"`
}

// CopyClips is an excerpt of clips.
func (r *Reel) CopyClips(ids []ID) (Excerpt, error) {
	clips, err := r.existing(ids)
	if err != nil {
		return Excerpt{}, err
	}
	from, to := clips[0].Start, clips[0].End()
	for _, c := range clips {
		from, to = min(from, c.Start), max(to, c.End())
	}
	return r.excerpt(clips, from, to), nil
}

// CopySpan is an excerpt of what sounds on tracks in a span; clips that run
// across its ends are copied as far as they lie in it.
func (r *Reel) CopySpan(from, to int64, tracks []ID) (Excerpt, error) {
	if err := r.inReel(from, to); err != nil {
		return Excerpt{}, err
	}
	chosen := idSet(tracks)
	part := *r
	part.Clips = nil
	for _, c := range r.under(from, to, chosen) {
		if c.End() > to {
			c = trimmed(c, Tail, to-c.End())
			c.FadeOut = NoFade
		}
		if c.Start < from {
			c = trimmed(c, Head, from-c.Start)
			c.FadeIn = NoFade
		}
		part.Clips = append(part.Clips, c)
	}
	if len(part.Clips) == 0 {
		no := refuse("No clips in the span on the active tracks.")
		no.Possible = "Mark a span with clips, or activate their tracks."
		return Excerpt{}, no
	}
	var o Outcome
	part.settle(compare(r, &part), &o)
	return part.excerpt(part.Clips, from, to), nil
}

func (r *Reel) excerpt(clips []Clip, from, to int64) Excerpt {
	clips = slices.Clone(clips)
	place := map[ID]int{}
	for i, t := range r.Order() {
		place[t.ID] = i
	}
	slices.SortFunc(clips, func(a, b Clip) int {
		return cmp.Or(cmp.Compare(place[a.Track], place[b.Track]), cmp.Compare(a.Start, b.Start))
	})
	top := place[clips[0].Track]
	out := Excerpt{Rate: r.Props.SampleRate, Length: to - from}
	at := map[ID]int{}
	for i, c := range clips {
		src, _ := r.Source(c.Source)
		src.Former, src.Fit = "", Fit{} // of this reel; where it is pasted its own source has them
		l := LooseClip{Lane: place[c.Track] - top, Source: src, Clip: c}
		l.Clip.ID, l.Clip.Track, l.Clip.Source = 0, 0, 0
		l.Clip.Start -= from
		for _, s := range r.StrikesOf(c.ID) {
			loose := LooseStrike{Strike: s}
			if tone, ok := r.Source(s.Cover.Source); ok {
				loose.Tone = &tone
			}
			loose.Strike.ID, loose.Strike.Clip, loose.Strike.Cover.Source = 0, 0, 0
			l.Strikes = append(l.Strikes, loose)
		}
		for _, p := range r.Line(c.ID) {
			p.ID, p.Clip = 0, 0
			l.Points = append(l.Points, p)
		}
		if t, ok := r.TreatmentOf(c.ID); ok {
			t.ID, t.Clip = 0, 0
			l.Treated = &t
		}
		out.Lanes = max(out.Lanes, l.Lane+1)
		out.Clips = append(out.Clips, l)
		at[c.ID] = i
	}
	for _, b := range r.Blends {
		left, okL := at[b.Left]
		right, okR := at[b.Right]
		if okL && okR {
			b.ID, b.Left, b.Right = 0, ID(left), ID(right)
			out.Blends = append(out.Blends, b)
		}
	}
	for _, t := range r.Ties {
		shot, okS := at[t.Shot]
		sound, okC := at[t.Clip]
		if okS && okC {
			t.ID, t.Shot, t.Clip = 0, ID(shot), ID(sound)
			out.Ties = append(out.Ties, t)
		}
	}
	return out
}
