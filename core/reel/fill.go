package reel

// Fill lays in from a source exactly as much as a place asks for.
type Fill struct {
	Source ID     `json:"source"`
	Track  ID     `json:"track"`
	From   int64  `json:"from"`           // the place; with To 0 any sample of a gap on the track, which is filled
	To     int64  `json:"to"`             //
	Mark   int64  `json:"mark"`           // the in point, or the out point, in the source
	Anchor Anchor `json:"anchor"`         // which of them it is
	Name   string `json:"name,omitempty"` // the source's name when empty
}

// Anchor says which end of a marked stretch decides when a length is given.
type Anchor string

const (
	AnchorIn  Anchor = "in"  // the in point lies at the start, the end falls where it falls
	AnchorOut Anchor = "out" // the out point lies at the end
)

// Names implements Edit.
func (e *Fill) Names() []ID { return []ID{e.Source, e.Track} }

// On implements Timed.
func (e *Fill) On() []ID { return []ID{e.Track} }

// Apply implements Edit.
func (e *Fill) Apply(r *Reel) (*Done, error) {
	src, ok := r.Source(e.Source)
	if !ok {
		return nil, refuse("That source is not in this reel.")
	}
	if _, err := r.open(e.Track); err != nil {
		return nil, err
	}
	if e.Anchor != AnchorIn && e.Anchor != AnchorOut {
		return nil, refuse("Fill from the in or the out point, not %q.", string(e.Anchor))
	}
	from, to := e.From, e.To
	if to == 0 {
		g, ok := r.GapAt(e.Track, from)
		if !ok {
			t, _ := r.Track(e.Track)
			no := refuse("There is no gap on %s at %s to fill.", t.Name, r.Props.at(max(from, 0)))
			no.Possible = "Put the playhead between two clips of the track, or mark a span."
			return nil, no
		}
		from, to = g.From, g.To
	}
	if err := r.inReel(from, to); err != nil {
		return nil, err
	}
	if e.Mark < 0 || e.Mark > src.Length {
		return nil, refuse("“%s” is %s long; the mark is outside it.", src.Name, r.Props.say(src.Length))
	}
	lay := &Place{Source: e.Source, Track: e.Track, Start: from, Offset: e.Mark, Length: to - from, Name: e.Name}
	there, where := src.Length-e.Mark, "after its in point"
	if e.Anchor == AnchorOut {
		lay.Offset = e.Mark - lay.Length
		there, where = e.Mark, "before its out point"
	}
	if there < lay.Length {
		no := refuse("%s is to be filled, and “%s” has %s %s.", r.Props.say(to-from), src.Name, r.Props.handle(there), where)
		if no.Limit = there; there > 0 {
			lay.Offset, lay.Length = e.Mark, there
			if e.Anchor == AnchorOut {
				lay.Start, lay.Offset = to-there, 0
			}
			no.Offer = workable(r, lay)
			no.Possible = "Insert what there is, or fill from the other point."
		}
		return nil, no
	}
	done, err := lay.Apply(r)
	if err != nil {
		return nil, err
	}
	done.Says = []string{r.Props.say(lay.Length) + " from “" + src.Name + "”"}
	return done, nil
}
