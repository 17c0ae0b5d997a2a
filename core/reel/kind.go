package reel

import "slices"

// kind is one kind of thing that a reel keeps: what compares, applies, inverts
// and checks changes of it, and what tells of a conflict.
type kind struct {
	diff     func(a, b *Reel, c *Change)
	apply    func(c *Change, r, out *Reel) error
	invert   func(c, out *Change)
	check    func(c *Change) error
	count    func(c *Change) int
	conflict func(c *Change, names []ID) string
}

// kindOf is a kind by its name and by where reels and changes keep it. A change
// of a thing is in conflict with an edit that names it, or that touches says
// bears on it; told is what is said then. Where meant is given, the pairs of a
// change are applied as it makes them of what a reel has.
func kindOf[T thing](name string, of func(*Reel) *[]T, in func(*Change) *[]Pair[T], told func(T) string, touches func(T, []ID) bool, meant func([]T, []Pair[T]) []Pair[T]) kind {
	return kind{
		diff: func(a, b *Reel, c *Change) { *in(c) = diff(*of(a), *of(b)) },
		apply: func(c *Change, r, out *Reel) (err error) {
			pairs := *in(c)
			if meant != nil {
				pairs = meant(*of(r), pairs)
			}
			*of(out), err = apply(*of(r), pairs, &out.NextID, name)
			return err
		},
		invert: func(c, out *Change) { *in(out) = invert(*in(c)) },
		check:  func(c *Change) error { return checkPairs(*in(c)) },
		count:  func(c *Change) int { return len(*in(c)) },
		conflict: func(c *Change, names []ID) string {
			for _, p := range *in(c) {
				if was := either(p); slices.Contains(names, was.id()) || touches != nil && touches(was, names) {
					return told(was)
				}
			}
			return ""
		},
	}
}

// A new kind of thing is one entry here, with its slices in Reel and Change and
// its rows in the store.
var (
	clipKind = kindOf("clip", func(r *Reel) *[]Clip { return &r.Clips }, func(c *Change) *[]Pair[Clip] { return &c.Clips },
		func(c Clip) string { return "clip “" + c.Name + "”" }, nil, nil)

	// otherKinds are all but clips, in the order in which a conflict is told.
	otherKinds = []kind{
		kindOf("marker", func(r *Reel) *[]Marker { return &r.Markers }, func(c *Change) *[]Pair[Marker] { return &c.Markers },
			func(m Marker) string { return "marker “" + m.Text + "”" }, nil, nil),
		kindOf("blend", func(r *Reel) *[]Blend { return &r.Blends }, func(c *Change) *[]Pair[Blend] { return &c.Blends },
			func(Blend) string { return "the blend on this seam" },
			func(b Blend, names []ID) bool {
				return slices.Contains(names, b.Left) && slices.Contains(names, b.Right)
			}, nil),
		kindOf("struck span", func(r *Reel) *[]Strike { return &r.Strikes }, func(c *Change) *[]Pair[Strike] { return &c.Strikes },
			func(Strike) string { return "what is struck there" }, nil, nil),
		kindOf("point", func(r *Reel) *[]Point { return &r.Points }, func(c *Change) *[]Pair[Point] { return &c.Points },
			func(Point) string { return "this gain line" },
			func(p Point, names []ID) bool { return slices.Contains(names, p.On()) }, nil),
		kindOf("treatment", func(r *Reel) *[]Treatment { return &r.Treatments }, func(c *Change) *[]Pair[Treatment] { return &c.Treatments },
			func(Treatment) string { return "this treatment" },
			func(t Treatment, names []ID) bool { return slices.Contains(names, t.On()) }, nil),
		kindOf("swatch", func(r *Reel) *[]Swatch { return &r.Swatches }, func(c *Change) *[]Pair[Swatch] { return &c.Swatches },
			func(s Swatch) string { return "swatch “" + s.Name + "”" }, nil, nil),
		kindOf("tie", func(r *Reel) *[]Tie { return &r.Ties }, func(c *Change) *[]Pair[Tie] { return &c.Ties },
			func(Tie) string { return "a tie of picture and sound" },
			func(t Tie, names []ID) bool { return slices.Contains(names, t.Clip) }, nil),
		kindOf("track", func(r *Reel) *[]Track { return &r.Tracks }, func(c *Change) *[]Pair[Track] { return &c.Tracks },
			func(t Track) string { return "track “" + t.Name + "”" }, nil, nil),
		kindOf("source", func(r *Reel) *[]Source { return &r.Sources }, func(c *Change) *[]Pair[Source] { return &c.Sources },
			func(s Source) string { return "source “" + s.Name + "”" }, nil, onList),
	}

	allKinds = append([]kind{clipKind}, otherKinds...)
)
