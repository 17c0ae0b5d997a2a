package conform

import (
	"strings"

	"blendseam/core/reel"
)

// Missing is a source that is known by name alone, and what of the reel's
// recordings it could be.
type Missing struct {
	reel.Source
	Clips int        `json:"clips"` // that play it
	From  int64      `json:"from"`  // timecode that is needed of it, in samples
	To    int64      `json:"to"`
	Match reel.ID    `json:"match,omitempty"` // the source that has its name
	Link  *reel.Link `json:"-"`               // links it to that
}

// MissingOf are the sources of a reel that clips play and nobody has a recording
// of, with the recording that each is by its name, where there is one.
func MissingOf(r *reel.Reel) []Missing {
	var out []Missing
	for _, src := range r.Sources {
		if !src.Missing() || src.Unlisted {
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
		if m.Clips == 0 {
			continue
		}
		var could []reel.Source
		for _, o := range r.Sources {
			if o.Missing() || o.Bed.Grown() || o.Unlisted || o.Shows() != src.Shows() || !Same(o.Name, src.Name) && !Same(o.Name, src.Tape) && !Same(o.Tape, src.Tape) {
				continue
			}
			could = append(could, o)
		}
		if link, ok := r.LinkTo(src, could, m.From); ok {
			m.Match, m.Link = link.To, link
		}
		out = append(out, m)
	}
	return out
}

// Wanted are those of files that have the name of a source nobody has a
// recording of. Where one has the very name of a source, its ending included,
// those of another ending are not wanted for it.
func Wanted(r *reel.Reel, files []string) []string {
	wanted := map[string]bool{}
	for _, m := range MissingOf(r) {
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
