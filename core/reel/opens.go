package reel

import (
	"cmp"
	"fmt"
	"slices"
)

// Gap is a stretch of a track between two clips where no clip lies.
type Gap struct {
	Track ID    `json:"track"`
	From  int64 `json:"from"`
	To    int64 `json:"to"`
}

// strip is where a clip lies, in less room than the clip itself takes.
type strip struct {
	id         ID
	start, end int64
}

// strips are the clips of the chosen tracks by start.
func (r *Reel) strips(tracks map[ID]bool) map[ID][]strip {
	sizes, out := map[ID]int{}, map[ID][]strip{}
	for i := range r.Clips {
		sizes[r.Clips[i].Track]++
	}
	for i := range r.Clips {
		c := &r.Clips[i]
		if !tracks[c.Track] {
			continue
		}
		if out[c.Track] == nil {
			out[c.Track] = make([]strip, 0, sizes[c.Track])
		}
		out[c.Track] = append(out[c.Track], strip{c.ID, c.Start, c.End()})
	}
	for _, lane := range out {
		slices.SortFunc(lane, func(a, b strip) int { return cmp.Compare(a.start, b.start) })
	}
	return out
}

// tellGaps adds the gaps to the outcome that lie in out where an edge met
// another clip before.
func (r *Reel) tellGaps(out *Reel, d difference, o *Outcome) {
	told := map[Gap]bool{}
	for _, g := range o.Opens {
		told[g] = true
	}
	// On which ends clips met others before; found when the first gap asks.
	var metHead, metTail map[ID]bool
	met := func() {
		metHead, metTail = map[ID]bool{}, map[ID]bool{}
		all := map[ID]bool{}
		for _, t := range r.Tracks {
			all[t.ID] = true
		}
		for _, lane := range r.strips(all) {
			for i := 1; i < len(lane); i++ {
				if lane[i-1].end == lane[i].start {
					metTail[lane[i-1].id], metHead[lane[i].id] = true, true
				}
			}
		}
	}
	lanes := out.strips(d.tracks)
	for _, t := range out.Tracks {
		lane := lanes[t.ID]
		for i := 1; i < len(lane); i++ {
			a, b := lane[i-1], lane[i]
			if a.end == b.start {
				continue
			}
			if metHead == nil {
				met()
			}
			if g := (Gap{t.ID, a.end, b.start}); !told[g] && (metTail[a.id] || metHead[b.id]) {
				o.Opens = append(o.Opens, g)
			}
		}
	}
	for i, g := range o.Opens {
		if i == 3 && len(o.Opens) > 4 {
			o.Says = append(o.Says, fmt.Sprintf("%s open besides", count(len(o.Opens)-i, "gap")))
			break
		}
		t, _ := out.Track(g.Track)
		o.Says = append(o.Says, fmt.Sprintf("a gap of %s opens on %s", r.Props.distance(g.To-g.From), t.Name))
	}
}
