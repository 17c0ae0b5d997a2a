package conform

import (
	"maps"
	"slices"
	"strings"

	"blendseam/core/reel"
)

// Missing is a source that nobody has a recording of, and what of the reel's recordings
// it could be.
type Missing struct {
	reel.Source
	Clips int        `json:"clips"` // that play it
	From  int64      `json:"from"`  // timecode that is needed of it, in samples
	To    int64      `json:"to"`
	Match reel.ID    `json:"match,omitempty"` // the source that it is, or may be
	Why   string     `json:"why,omitempty"`   // by what it was found, in words: name and length
	Link  *reel.Link `json:"-"`               // links it to that, where it surely is
}

// MissingOf are the sources of a reel that clips play and nobody has a recording
// of, with the recording that each is, where there is one. Gone tells which of those
// that have been recorded nobody has any more; nil is none.
func MissingOf(r *reel.Reel, gone func(reel.Source) bool) []Missing {
	lacks := func(s reel.Source) bool { return s.Missing() || gone != nil && gone(s) }
	var out []Missing
	var here []reel.Source
	for _, s := range r.Sources {
		if !s.Unlisted && !lacks(s) {
			here = append(here, s)
		}
	}
	for _, src := range r.Sources {
		if src.Unlisted && src.Missing() || !lacks(src) {
			continue
		}
		m := Missing{Source: src, From: -1}
		for _, c := range r.UsedBy(src.ID) {
			from := max(src.StartTC, 0) + c.Offset
			if m.From < 0 || from < m.From {
				m.From = from
			}
			m.To = max(m.To, from+c.Length)
			m.Clips++
		}
		if m.Clips > 0 {
			m.among(r, here)
			out = append(out, m)
		}
	}
	return out
}

// among finds the recording that a source is. Of those that are alike the one that holds
// most of what is needed is taken.
func (m *Missing) among(r *reel.Reel, here []reel.Source) {
	p := r.Props
	n := sought{names: []string{m.Name}, tape: m.Tape, picture: m.Shows(), from: m.From, to: m.To, zero: m.StartTC, frame: p.FrameRate.Sample(1, p.SampleRate)}
	if !m.Missing() {
		n.length = m.Length
	}
	by := map[int][]reel.Source{}
	why := map[reel.ID]string{}
	for _, s := range here {
		f := n.match(s)
		by[f.points], why[s.ID] = append(by[f.points], s), f.why
	}
	delete(by, 0)
	for _, points := range slices.Backward(slices.Sorted(maps.Keys(by))) {
		could := by[points]
		if !(found{points: points}).sure() {
			if len(could) == 1 { // else it may be any of them
				m.Match, m.Why = could[0].ID, why[could[0].ID]
			}
			return
		}
		if link, ok := r.LinkTo(m.Source, could, m.From); ok {
			m.Match, m.Why, m.Link = link.To, why[link.To], link
			return
		}
	}
}

// Wanted are those of files that have the name of a source nobody has a
// recording of. Where one has the very name of a source, its ending included,
// those of another ending are not wanted for it. Gone is as in MissingOf.
func Wanted(r *reel.Reel, files []string, gone func(reel.Source) bool) []string {
	wanted := map[string]bool{}
	for _, m := range MissingOf(r, gone) {
		for _, name := range []string{m.Name, m.Tape} {
			var alike, exact []string
			for _, f := range files {
				if Same(f, name) {
					alike = append(alike, f)
				}
				if name != "" && strings.EqualFold(f, name) {
					exact = append(exact, f)
				}
			}
			if exact != nil {
				alike = exact
			}
			for _, f := range alike {
				wanted[f] = true
			}
		}
	}
	out := []string{}
	for _, f := range files {
		if wanted[f] {
			out = append(out, f)
		}
	}
	return out
}
