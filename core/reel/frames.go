package reel

import "slices"

// Shots begin and end on frames. They are placed in samples like all clips, by
// the rounding of core/timecode, so that one set of edits serves both.

// nearest is the frame that begins nearest to a sample.
func (p Props) nearest(sample int64) int64 { return p.FrameRate.Nearest(sample, p.SampleRate) }

// sample is where a frame begins.
func (p Props) sample(frame int64) int64 { return p.FrameRate.Sample(frame, p.SampleRate) }

// whole is a length brought to whole frames.
func (p Props) whole(samples int64) int64 { return p.sample(p.nearest(samples)) }

// slack is how far rounding can take a frame that is counted from another
// place than the reel's start, in samples.
const slack = 1

// framed is a shot in frames: where it begins in the reel and in its source,
// and how many it has.
type framed struct{ start, in, n int64 }

func (p Props) framed(c Clip) framed {
	start := p.nearest(c.Start)
	// The distance of reel and source outlives a head that is trimmed by less
	// than a frame.
	return framed{start, start + p.nearest(c.Offset-c.Start), p.nearest(c.End()) - start}
}

// place puts the clip where its frames begin.
func (f framed) place(p Props, c Clip) Clip {
	c.Start, c.Offset = p.sample(f.start), p.sample(f.in)
	c.Length = p.sample(f.start+f.n) - c.Start
	return c
}

// least is the shortest that a clip can be: a sample, or a frame of a shot.
func (r *Reel) least(c Clip) int64 {
	if !r.shows(c) {
		return 1
	}
	n := r.Props.nearest(c.Start)
	return r.Props.sample(n+1) - r.Props.sample(n)
}

// spare is the material of a clip's source ahead of its head and beyond its
// tail, in samples; of a shot in whole frames.
func (r *Reel) spare(c Clip) (ahead, beyond int64) {
	src, _ := r.Source(c.Source)
	if !r.shows(c) {
		return c.Offset, src.Length - c.Offset - c.Length
	}
	p := r.Props
	f := p.framed(c)
	return p.sample(f.in), p.sample(max(p.nearest(src.Length)-f.in-f.n, 0))
}

// give is the most that can be taken off one end of a clip.
func (r *Reel) give(c Clip) int64 {
	if !r.shows(c) {
		return c.Length - 1
	}
	return r.Props.sample(r.Props.framed(c).n - 1)
}

// wholeIfSeen brings a move to whole frames where a shot is among the clips.
func (r *Reel) wholeIfSeen(by int64, clips ...Clip) int64 {
	if slices.ContainsFunc(clips, r.shows) {
		return r.Props.whole(by)
	}
	return by
}

// within brings a limit of a move to whole frames, no further than it, where a
// shot is among the clips.
func (r *Reel) within(by int64, clips ...Clip) int64 {
	if slices.ContainsFunc(clips, r.shows) {
		return r.Props.wholeWithin(by)
	}
	return by
}

// wholeWithin is a length brought to whole frames that is no longer.
func (p Props) wholeWithin(by int64) int64 {
	whole := p.whole(by)
	if max(whole, -whole) > max(by, -by) {
		whole = p.sample(p.nearest(by) - sign(by))
	}
	return whole
}

func sign(n int64) int64 {
	if n < 0 {
		return -1
	}
	return 1
}

// onFrames brings shots that an edit altered to whole frames. Shots that were
// only moved have to come upon frames by themselves: those that follow sound
// by part of a frame would lose its sync.
func (r *Reel) onFrames(was *Reel, d difference) (changed bool, err error) {
	pics := r.pictureTracks()
	if !slices.ContainsFunc(r.Tracks, func(t Track) bool { return pics[t.ID] && d.tracks[t.ID] }) {
		return false, nil
	}
	p := r.Props
	own := false
	for i, c := range r.Clips {
		by := d.by(c.ID)
		if !pics[c.Track] || !d.altered[c.ID] && by == 0 {
			continue
		}
		f := p.framed(c)
		if !d.altered[c.ID] {
			if off := c.Start - p.sample(f.start); off > slack || off < -slack {
				no := refuse("“%s” would follow by %s, and pictures move by whole frames.", c.Name, p.distance(by))
				no.Possible = "Take whole frames, or let only the track itself follow."
				return false, no
			}
			before, _ := was.Clip(c.ID)
			f.n = p.framed(before).n
		}
		if f.in < 0 {
			f.start, f.n, f.in = f.start-f.in, f.n+f.in, 0
		}
		src, _ := r.Source(c.Source)
		f.n = min(f.n, p.nearest(src.Length)-f.in)
		if f.n < 1 {
			no := refuse("“%s” would be shorter than a frame.", c.Name)
			no.Possible = "At least one frame must stay. To delete it, remove the clip."
			return false, no
		}
		if next := f.place(p, c); next != c {
			if !own {
				r.Clips, own = slices.Clone(r.Clips), true
			}
			r.Clips[i] = next
		}
	}
	return own, nil
}

// orWhole gives the refusal of an edit that shots cannot follow a way out: the
// first of the edits that works.
func orWhole(r *Reel, done *Done, err error, later Later, ways ...Edit) (*Done, error) {
	if no, ok := err.(*Refusal); ok && no.Offer == nil && later == Follow {
		for _, way := range ways {
			if _, err := way.Apply(r); err == nil {
				no.Offer = way
				break
			}
		}
	}
	return done, err
}

// checkFrames returns an error when a shot does not lie on frames.
func (r *Reel) checkFrame(c Clip) bool {
	f := r.Props.framed(c)
	src, _ := r.Source(c.Source)
	return f.in >= 0 && f.n >= 1 && f.in+f.n <= r.Props.nearest(src.Length) && f.place(r.Props, c) == c
}

// asFrames is a length of whole frames where there is room: the room itself,
// when that is as many frames and a sample shorter.
func (p Props) asFrames(n, room int64) int64 {
	if n > room && p.nearest(n) <= p.nearest(room) {
		return room
	}
	return n
}
