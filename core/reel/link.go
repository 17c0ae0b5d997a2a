package reel

import (
	"fmt"
	"slices"
)

// Link points the clips of a source at a recording: of one that is known by name alone, or
// whose recording nobody has any more.
type Link struct {
	Source ID `json:"source"` // the one whose clips are linked
	To     ID `json:"to"`     // a source of the same kind
	// StartTC is the timecode at which the recording begins, in samples from
	// midnight; its own where it tells it, when nil.
	StartTC *int64 `json:"startTC,omitempty"`
}

// Names implements Edit.
func (e *Link) Names() []ID { return []ID{e.Source, e.To} }

// Apply implements Edit. What the recording does not hold stays missing, and is
// told.
func (e *Link) Apply(r *Reel) (*Done, error) {
	from, okF := r.Source(e.Source)
	to, okT := r.Source(e.To)
	if !okF || !okT {
		return nil, refuse("That source is not in this reel.")
	}
	if from.ID == to.ID || from.Bed.Grown() || from.Fitted() || to.Missing() || to.Bed.Grown() || from.Shows() != to.Shows() {
		no := refuse("“%s” cannot take the place of “%s”.", to.Name, from.Name)
		no.Possible = "What is missing is linked to a recording of its kind: a picture to a picture, sound to sound."
		return nil, no
	}
	begins := max(to.StartTC, 0)
	if e.StartTC != nil {
		begins = *e.StartTC
	}
	if begins < 0 || begins > r.day() {
		return nil, refuse("A recording starts between midnight and midnight.")
	}
	shift := max(from.StartTC, 0) - begins
	if from.StartTC < 0 && e.StartTC == nil {
		shift = 0
	}
	p := r.Props
	out := *r
	out.Clips, out.Strikes, out.Points = slices.Clone(r.Clips), slices.Clone(r.Strikes), slices.Clone(r.Points)
	var linked, outside []Clip
	for i, c := range r.Clips {
		if c.Source != from.ID {
			continue
		}
		if _, err := r.open(c.Track); err != nil {
			return nil, err
		}
		c.Offset += shift
		if past := c.Offset + c.Length - to.Length; c.Offset < -slack || past > slack && to.Length < r.day() {
			outside = append(outside, c)
			continue
		}
		c.Source, c.Offset = to.ID, min(max(c.Offset, 0), max(to.Length-c.Length, 0))
		if !to.Shows() {
			c.Length = min(c.Length, to.Length-c.Offset)
		}
		linked = append(linked, c)
		out.Clips[i] = c
		for k, s := range out.Strikes {
			if s.Clip == c.ID {
				out.Strikes[k].From, out.Strikes[k].To = s.From+shift, s.To+shift
			}
		}
		for k, p := range out.Points {
			if p.Clip == c.ID {
				out.Points[k].At = p.At + shift
			}
		}
	}
	if len(linked) == 0 {
		if len(outside) == 0 {
			return nil, refuse("No clip plays “%s” any more.", from.Name)
		}
		c := outside[0]
		rate := p.FrameRate
		tc := func(at int64) string { return rate.Format(rate.Frame(max(at, 0), p.SampleRate)) }
		no := refuse("“%s” holds %s to %s, and “%s” needs %s to %s.", to.Name, tc(begins), tc(begins+to.Length), c.Name, tc(c.Offset+begins), tc(c.Offset+c.Length+begins))
		no.Possible = "Look for the recording of that time, or say at which timecode this one begins."
		return nil, no
	}
	// What was struck has to lie inside the recording.
	out.Strikes = slices.DeleteFunc(out.Strikes, func(s Strike) bool {
		c, _ := out.Clip(s.Clip)
		return c.Source == to.ID && s.check(&out) != nil
	})
	if len(outside) == 0 {
		from.Unlisted = true
	}
	out.Sources = with(r.Sources, from)
	o := Outcome{Label: "link “" + from.Name + "” to “" + to.Name + "”"}
	o.Says = []string{count(len(linked), "clip") + " linked"}
	if n := len(outside); n > 0 {
		o.Notes = append(o.Notes, fmt.Sprintf("%s still missing: “%s” does not hold %s.", count(n, "clip")+plural(n, " is", " are"), to.Name, plural(n, "it", "them")))
	}
	return r.finish(&out, o)
}

// LinkTo is the edit that links a missing source to the recording, of several
// that it could be, that fits best: one that holds what is needed by its own
// timecode, or counted from zero where it tells none, comes before one that only
// fits if it is taken to begin where it is first needed; then the one that holds
// most clips. first is the timecode, in samples, of what is first needed.
func (r *Reel) LinkTo(missing Source, could []Source, first int64) (*Link, bool) {
	var best *Link
	bestWay, bestClips := 0, 0
	for _, to := range could {
		ways := []*Link{{Source: missing.ID, To: to.ID}}
		if to.StartTC < 0 {
			zero := int64(0)
			ways = append(ways, &Link{Source: missing.ID, To: to.ID, StartTC: &zero}, &Link{Source: missing.ID, To: to.ID, StartTC: &first})
		}
		for way, e := range ways {
			out, err := e.Apply(r)
			if err != nil {
				continue
			}
			if n := len(out.Reel.UsedBy(to.ID)) - len(r.UsedBy(to.ID)); best == nil || way < bestWay || way == bestWay && n > bestClips {
				best, bestWay, bestClips = e, way, n
			}
			break
		}
	}
	return best, best != nil
}

// SilentIn are the clips of a span whose media is missing, so that they are
// silent.
func (r *Reel) SilentIn(from, to int64) (out []Clip) {
	for _, c := range r.Clips {
		if src, ok := r.Source(c.Source); ok && src.Missing() && c.Start < to && c.End() > from {
			out = append(out, c)
		}
	}
	return out
}
