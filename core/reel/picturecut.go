package reel

import (
	"cmp"
	"slices"
)

// PictureCut is the cut between two shots that a seam of sound belongs to, and
// how the sound stands to it.
type PictureCut struct {
	At    int64 `json:"at"`    // in samples; on a frame
	Left  ID    `json:"left"`  // outgoing shot
	Right ID    `json:"right"` // incoming shot
	Lag   int64 `json:"lag"`   // the sound cuts so many samples after the picture; negative where it leads
	// Lead is by how many frames the sound leads, negative where it lags, and
	// Words say so; none where the sound is cut with the picture.
	Lead  float64 `json:"lead"`
	Words string  `json:"words"`
}

// furthest is how far from its picture cut the end of a sound can lie and still
// belong to it, in seconds, where no shot on the other side says so.
const furthest = 10

// shotIndex finds the picture cut of seams, for many seams at once.
type shotIndex struct {
	r    *Reel
	shot map[ID]ID     // by clip of sound
	next map[ID]Clip   // by shot: the one that meets its tail
	prev map[ID]Clip   //
	cuts []PictureCut  // by time, of the uppermost track
	held map[[2]ID]int // by shot and track: clips tied to it there
}

func (r *Reel) shotIndex() *shotIndex {
	pics := r.pictureTracks()
	if len(pics) == 0 {
		return nil
	}
	x := &shotIndex{r: r, shot: map[ID]ID{}, next: map[ID]Clip{}, prev: map[ID]Clip{}, held: map[[2]ID]int{}}
	for _, t := range r.Ties {
		x.shot[t.Clip] = t.Shot
		if c, ok := r.Clip(t.Clip); ok {
			x.held[[2]ID{t.Shot, c.Track}]++
		}
	}
	for _, t := range r.Order() {
		if !pics[t.ID] {
			continue
		}
		lane := r.OnTrack(t.ID)
		for i := 1; i < len(lane); i++ {
			if a, b := lane[i-1], lane[i]; meet(a, b) {
				x.next[a.ID], x.prev[b.ID] = b, a
				x.cuts = append(x.cuts, PictureCut{At: b.Start, Left: a.ID, Right: b.ID})
			}
		}
	}
	slices.SortStableFunc(x.cuts, func(a, b PictureCut) int { return cmp.Compare(a.At, b.At) })
	return x
}

// of is the picture cut that a seam belongs to: the one between the shots that
// its clips are tied to, or the one that lies at the same place.
func (x *shotIndex) of(s Seam) (PictureCut, bool) {
	c, ok := x.cutOf(s)
	if ok {
		if c.Lead = x.r.Props.leadOf(c); c.Lead != 0 {
			c.Words = LeadWords(c.Lead)
		}
	}
	return c, ok
}

func (x *shotIndex) cutOf(s Seam) (PictureCut, bool) {
	if x == nil || s.Kind == StruckSeam {
		return PictureCut{}, false
	}
	left, right := x.shot[s.Left], x.shot[s.Right]
	at := func(a, b Clip, ok bool) (PictureCut, bool) {
		if !ok || a.ID == 0 || b.ID == 0 {
			return PictureCut{}, false
		}
		return PictureCut{At: b.Start, Left: a.ID, Right: b.ID, Lag: s.At - b.Start}, true
	}
	near := func(b Clip) bool {
		d := s.At - b.Start
		return max(d, -d) <= furthest*int64(x.r.Props.SampleRate)
	}
	clip := func(id ID) Clip { c, _ := x.r.Clip(id); return c }
	switch {
	case left != 0 && right != 0:
		if left == right {
			return PictureCut{}, false
		}
		// Where other shots lie between the two, the nearer of their cuts.
		a, okA := at(clip(left), x.next[left], true)
		b, okB := at(x.prev[right], clip(right), true)
		if okA && (!okB || max(a.Lag, -a.Lag) <= max(b.Lag, -b.Lag)) {
			return a, true
		}
		return b, okB
	case right != 0:
		a, b := x.prev[right], clip(right)
		// A head after its picture cut that meets nothing is a pause, no split edit;
		// nor is one of the second clip of a shot.
		ok := near(b) && (s.Left != 0 || s.At <= b.Start && x.first(s.Right, right))
		if ok || s.At != b.Start {
			return at(a, b, ok)
		}
	case left != 0:
		a, b := clip(left), x.next[left]
		ok := near(b) && (s.Right != 0 || s.At >= b.Start && x.last(s.Left, left))
		if ok || s.At != b.Start {
			return at(a, b, ok)
		}
	}
	// Not tied: a cut within half a frame is the same cut.
	p := x.r.Props
	i, _ := slices.BinarySearchFunc(x.cuts, s.At, func(c PictureCut, at int64) int { return cmp.Compare(c.At, at) })
	for _, k := range []int{i, i - 1} {
		if k >= 0 && k < len(x.cuts) {
			c := x.cuts[k]
			if c.Lag = s.At - c.At; 2*max(c.Lag, -c.Lag) < p.sample(1) {
				return c, true
			}
		}
	}
	return PictureCut{}, false
}

// first and last report whether a clip is the first, or the last, of those on
// its track that are tied to a shot.
func (x *shotIndex) first(clip, shot ID) bool {
	return x.outermost(clip, shot, func(o, c Clip) bool { return o.Start < c.Start })
}

func (x *shotIndex) last(clip, shot ID) bool {
	return x.outermost(clip, shot, func(o, c Clip) bool { return o.Start > c.Start })
}

func (x *shotIndex) outermost(clip, shot ID, beyond func(o, c Clip) bool) bool {
	c, _ := x.r.Clip(clip)
	if x.held[[2]ID{shot, c.Track}] < 2 {
		return true
	}
	for _, t := range x.r.TiedTo(shot) {
		if o, _ := x.r.Clip(t.Clip); o.Track == c.Track && beyond(o, c) {
			return false
		}
	}
	return true
}

// PictureCuts are the cuts between shots by time.
func (r *Reel) PictureCuts() []PictureCut {
	if x := r.shotIndex(); x != nil {
		return x.cuts
	}
	return nil
}

// CutOf is the picture cut that the seam of two clips belongs to; either id is
// 0 where the seam is an end.
func (r *Reel) CutOf(left, right ID) (PictureCut, bool) {
	return r.shotIndex().of(r.seamOf(left, right))
}

// seamOf is the seam of two clips as far as its picture cut needs it.
func (r *Reel) seamOf(left, right ID) Seam {
	s := Seam{Kind: CutSeam, Left: left, Right: right}
	switch {
	case left == 0:
		c, _ := r.Clip(right)
		s.Kind, s.At = HeadSeam, c.Start
	default:
		c, _ := r.Clip(left)
		s.At = c.End()
		if right == 0 {
			s.Kind = TailSeam
		}
	}
	return s
}
