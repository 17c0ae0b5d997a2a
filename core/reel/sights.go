package reel

import "slices"

// Sight is a stretch of whole frames in which one shot is seen, or nothing.
type Sight struct {
	Frames int64  // of the reel
	Shot   ID     // 0 where nothing is seen
	Source Source // of the shot
	First  int64  // frame of the source that is seen first
	In     int64  // the same in frames of the reel, at the pace of the source
}

// Sights are what is seen from one sample to another, in whole frames of the reel: of
// shots over each other the upper.
func (r *Reel) Sights(from, to int64) []Sight {
	p := r.Props
	frame := func(at int64) int64 { return p.FrameRate.Frame(at, p.SampleRate) }
	sample := func(n int64) int64 { return p.FrameRate.Sample(n, p.SampleRate) }
	first, end := frame(from), frame(to-1)+1
	cuts := []int64{first, end}
	var lanes [][]Clip
	for _, t := range r.Order() {
		if t.Role != PictureRole || t.Mute {
			continue
		}
		lane := r.OnTrack(t.ID)
		lanes = append(lanes, lane)
		for _, c := range lane {
			for _, at := range []int64{p.nearest(c.Start), p.nearest(c.End())} {
				if at > first && at < end {
					cuts = append(cuts, at)
				}
			}
		}
	}
	slices.Sort(cuts)
	cuts = slices.Compact(cuts)
	var out []Sight
	for i, n := range cuts[:len(cuts)-1] {
		s := Sight{Frames: cuts[i+1] - n}
		for _, lane := range lanes {
			if c, ok := shotOver(lane, p.nearest, n); ok && s.Shot == 0 {
				s.Shot, s.First, s.In = c.ID, r.Frame(c, sample(n)), p.framed(c).in+n-p.framed(c).start
				s.Source, _ = r.Source(c.Source)
			}
		}
		out = append(out, s)
	}
	return out
}

// shotOver is the shot of a track that is seen in a frame.
func shotOver(lane []Clip, nearest func(int64) int64, n int64) (Clip, bool) {
	for _, c := range lane {
		if nearest(c.Start) <= n && n < nearest(c.End()) {
			return c, true
		}
	}
	return Clip{}, false
}
