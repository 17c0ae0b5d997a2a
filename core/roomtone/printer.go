package roomtone

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"slices"
	"sort"

	"blendseam/core/reel"
	"blendseam/core/treat"
)

// Printer makes fingerprints of what sounds in stretches of a reel: equal
// prints are equal pieces.
type Printer struct {
	order        []reel.Track
	lanes        map[reel.ID][]reel.Clip
	heads, tails map[reel.ID]reel.Blend
	strikes      map[reel.ID][]reel.Strike
	heard        map[reel.ID]string       // what sources sound like: prints hold for any reel
	lines        map[reel.ID][]reel.Point // gain lines, by time
	treatments   map[reel.ID]reel.Treatment
	rate         int
}

// NewPrinter makes the printer of a version.
func NewPrinter(r *reel.Reel) *Printer {
	r = r.Sounding()
	p := &Printer{r.Order(), r.Lanes(), map[reel.ID]reel.Blend{}, map[reel.ID]reel.Blend{}, map[reel.ID][]reel.Strike{}, map[reel.ID]string{}, map[reel.ID][]reel.Point{}, map[reel.ID]reel.Treatment{}, r.Props.SampleRate}
	for _, q := range r.Points {
		p.lines[q.On()] = append(p.lines[q.On()], q)
	}
	for _, l := range p.lines {
		slices.SortFunc(l, func(a, b reel.Point) int { return cmp.Compare(a.At, b.At) })
	}
	for _, t := range r.Treatments {
		if !t.Off {
			p.treatments[t.On()] = t
		}
	}
	for _, s := range r.Sources {
		p.heard[s.ID] = s.Heard()
	}
	for _, b := range r.Blends {
		p.tails[b.Left], p.heads[b.Right] = b, b
	}
	for _, s := range r.Strikes {
		p.strikes[s.Clip] = append(p.strikes[s.Clip], s)
	}
	return p
}

// Print is the fingerprint of a stretch.
func (p *Printer) Print(from, to int64) string {
	h := sha256.New()
	enc := json.NewEncoder(h)
	put := func(v ...any) { _ = enc.Encode(v) } // a hash takes anything
	put(p.rate, to-from)
	// Of treated tracks what went before, and what comes, bears on what sounds.
	var before, after int64
	if len(p.treatments) > 0 {
		before, after = int64(treat.MostMemory*float64(p.rate)), int64(treat.MostAhead*float64(p.rate))
	}
	for _, t := range p.order {
		if t.Mute {
			continue
		}
		put(t.Role, t.GainDB, t.Pan)
		p.treated(put, t.ID)
		p.line(put, t.ID, from, to, from)
		p.line(put, -t.ID, from, to, from)
		for _, c := range p.lanes[t.ID] {
			head, tail := p.heads[c.ID], p.tails[c.ID]
			if c.End()+tail.After <= from-before || c.Start-head.Before >= to+after {
				continue
			}
			for _, s := range p.strikes[c.ID] {
				put(p.heard[s.Cover.Source])
				s.ID, s.Clip, s.Cover.Source = 0, 0, 0
				put(s)
			}
			// Where a blend sounds, both of its clips do.
			head.ID, head.Left, head.Right = 0, 0, 0
			tail.ID, tail.Left, tail.Right = 0, 0, 0
			put(p.heard[c.Source])
			p.treated(put, c.ID)
			zero := c.Offset - c.Start + from
			p.line(put, c.ID, zero-before, zero+to-from+after, zero)
			c.Start -= from
			c.Name, c.ID, c.Track, c.Source = "", 0, 0, 0
			put(c, head, tail)
		}
	}
	return hex.EncodeToString(h.Sum(nil)[:16])
}

// line puts a gain line as far as it matters between two places of its own time: with
// the points beside them, which its slopes come from.
func (p *Printer) line(put func(...any), on reel.ID, from, to, zero int64) {
	l := p.lines[on]
	a := sort.Search(len(l), func(i int) bool { return l[i].At > from })
	b := sort.Search(len(l), func(i int) bool { return l[i].At >= to })
	for _, q := range l[max(a-1, 0):min(b+1, len(l))] {
		put(q.At-zero, q.DB, q.Eased)
	}
}

// treated puts what is done to a clip or a track.
func (p *Printer) treated(put func(...any), on reel.ID) {
	if t, ok := p.treatments[on]; ok {
		put(t.Alone, t.Does)
	}
}
