package reel

import (
	"cmp"
	"slices"
)

// SeamKind says what meets at a seam.
type SeamKind string

const (
	CutSeam    SeamKind = "cut"    // two clips meet, or a blend joins them over two tracks
	HeadSeam   SeamKind = "head"   // a clip begins after a gap or at the start
	TailSeam   SeamKind = "tail"   // a clip ends before a gap or at the end
	StruckSeam SeamKind = "struck" // a stretch of a clip is struck: Left is the clip, Right the struck span
)

// Seam is a place where two clips meet, or a clip meets a gap or the end. It
// is derived from the reel, never stored.
type Seam struct {
	Kind  SeamKind `json:"kind"`
	At    int64    `json:"at"`    // the cut, in samples
	Track ID       `json:"track"` // of the outgoing clip, or of the only one
	To    ID       `json:"to"`    // track of the incoming clip, where a blend joins clips on two tracks; else 0
	Left  ID       `json:"left"`  // outgoing clip, 0 at a head
	Right ID       `json:"right"` // incoming clip, 0 at a tail; the struck span where one begins
	Blend ID       `json:"blend"` // 0 for a hard cut
	Gap   int64    `json:"gap"`   // at a tail: the gap after it before the next clip on the track, 0 at the end; the length of what is struck
	// Continues is a cut at which one clip goes on where the other ends, in the
	// same recording and as loud, so that the two can be joined.
	Continues bool `json:"continues"`
	// Cut is the picture cut that it belongs to, where there is one.
	Cut PictureCut `json:"cut,omitzero"`
}

// Title names a seam by its clips, as lists show it.
func (r *Reel) Title(s Seam) string {
	left, _ := r.Clip(s.Left)
	right, _ := r.Clip(s.Right)
	switch s.Kind {
	case StruckSeam:
		return left.Name + ", struck"
	case HeadSeam:
		return right.Name + ", start"
	case TailSeam:
		return left.Name + ", end"
	}
	return left.Name + " → " + right.Name
}

// Seams are all seams of the reel by time, then by track as shown.
func (r *Reel) Seams() []Seam {
	blends, across, begun := map[ID]ID{}, map[ID]Clip{}, map[ID]bool{}
	for _, b := range r.Blends {
		blends[b.Left] = b.ID
		left, _ := r.Clip(b.Left)
		if right, ok := r.Clip(b.Right); ok && right.Track != left.Track {
			across[b.Left], begun[b.Right] = right, true
		}
	}
	lanes := r.Lanes()
	var out []Seam
	for _, t := range r.Order() {
		if t.Role == PictureRole {
			continue // shots are seen: what they meet is no seam of sound
		}
		clips := lanes[t.ID]
		for i, c := range clips {
			met := i > 0 && clips[i-1].End() == c.Start && across[clips[i-1].ID].ID == 0
			if !met && !begun[c.ID] {
				out = append(out, Seam{Kind: HeadSeam, At: c.Start, Track: t.ID, Right: c.ID})
			}
			switch {
			case across[c.ID].ID != 0:
				out = append(out, Seam{Kind: CutSeam, At: c.End(), Track: t.ID, To: across[c.ID].Track, Left: c.ID, Right: across[c.ID].ID, Blend: blends[c.ID]})
			case i+1 < len(clips) && clips[i+1].Start == c.End() && !begun[clips[i+1].ID]:
				out = append(out, Seam{Kind: CutSeam, At: c.End(), Track: t.ID, Left: c.ID, Right: clips[i+1].ID, Blend: blends[c.ID], Continues: continues(c, clips[i+1])})
			case i+1 < len(clips):
				out = append(out, Seam{Kind: TailSeam, At: c.End(), Track: t.ID, Left: c.ID, Gap: clips[i+1].Start - c.End()})
			default:
				out = append(out, Seam{Kind: TailSeam, At: c.End(), Track: t.ID, Left: c.ID})
			}
		}
	}
	for _, s := range r.Strikes {
		c, _ := r.Clip(s.Clip)
		if from, to, plays := s.In(c); plays {
			out = append(out, Seam{Kind: StruckSeam, At: from, Track: c.Track, Left: c.ID, Right: s.ID, Gap: to - from})
		}
	}
	if x := r.shotIndex(); x != nil {
		for i, s := range out {
			out[i].Cut, _ = x.of(s)
		}
	}
	slices.SortStableFunc(out, func(a, b Seam) int { return cmp.Compare(a.At, b.At) })
	return out
}

// continues reports whether right goes on in the source where left ends.
func continues(left, right Clip) bool {
	return left.Source == right.Source && left.Offset+left.Length == right.Offset && left.GainDB == right.GainDB
}
