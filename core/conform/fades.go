package conform

import (
	"fmt"
	"slices"

	"blendseam/core/reel"
)

// Fades say which fades and blends an edit list names files of, as a list tells a curve
// by no more than three of its points.
type Fades string

// Which can be.
const (
	FadesTold   Fades = ""       // none: each is told as near as the list can
	FadesLean   Fades = "leans"  // those with lean or bend, and matched blends
	FadesCurved Fades = "curved" // all but straight lines
)

// Check returns an error that says what is possible.
func (f Fades) Check() error {
	if f != FadesTold && f != FadesLean && f != FadesCurved {
		return fmt.Errorf("files are written of no fades, of those with “leans”, or of all that are “curved”, not of %q", string(f))
	}
	return nil
}

func (f Fades) blend(b reel.Blend) bool {
	c := Blend{Law: b.Law, Lean: b.Lean, Out: b.Out, In: b.In}
	return f == FadesCurved && !c.Straight() || f == FadesLean && (c.Leans() || c.Matched())
}

func (f Fades) fade(of reel.Fade) bool {
	return of.Length > 0 && (f == FadesCurved && !Straight(of) || f == FadesLean && Leans(of))
}

// fadeHandle is how much of a fade's file lies beside the fade at most, in seconds.
const fadeHandle = 1

// fadeFiles is a reel whose clips end where some of their fades and blends begin: these
// have become clips of sources of their own, which are put with those that were made. A
// list writes of it what it would of the reel: clips with their gains, without strikes,
// treatments and gain lines.
func fadeFiles(r *reel.Reel, which Fades, made map[reel.ID]Own) *reel.Reel {
	if which == FadesTold {
		return r
	}
	w := &fadeWriter{of: r, which: which, now: *r, made: made, cut: map[reel.ID][2]int64{}}
	w.now.Sources, w.now.Blends = slices.Clone(r.Sources), nil
	for _, b := range r.Blends {
		if !which.blend(b) || !w.blend(b) {
			w.now.Blends = append(w.now.Blends, b)
		}
	}
	for _, c := range r.Clips {
		for end, f := range []reel.Fade{c.FadeIn, c.FadeOut} {
			if which.fade(f) {
				w.fade(c, end, f)
			}
		}
	}
	var clips []reel.Clip
	for _, c := range r.Clips {
		cut := w.cut[c.ID]
		c.Start, c.Offset, c.Length = c.Start+cut[0], c.Offset+cut[0], c.Length-cut[0]-cut[1]
		if cut[0] > 0 {
			c.FadeIn = reel.NoFade
		}
		if cut[1] > 0 {
			c.FadeOut = reel.NoFade
		}
		if c.Length > 0 {
			clips = append(clips, c)
		}
	}
	w.now.Blends = slices.DeleteFunc(w.now.Blends, func(b reel.Blend) bool {
		gone := func(id reel.ID) bool {
			return !slices.ContainsFunc(clips, func(c reel.Clip) bool { return c.ID == id })
		}
		return gone(b.Left) || gone(b.Right)
	})
	w.now.Clips = append(clips, w.clips...)
	slices.SortFunc(w.now.Clips, func(a, b reel.Clip) int { return int(min(max(a.Start-b.Start, -1), 1)) })
	return &w.now
}

// fadeWriter gathers what becomes of a reel.
type fadeWriter struct {
	of    *reel.Reel
	which Fades
	now   reel.Reel
	made  map[reel.ID]Own
	clips []reel.Clip
	cut   map[reel.ID][2]int64 // what is taken off clips at their heads and tails
}

// sounds is a clip that has sound to write.
func (w *fadeWriter) sounds(id reel.ID) (reel.Clip, bool) {
	c, ok := w.of.Clip(id)
	src, _ := w.of.Source(c.Source)
	return c, ok && !src.Shows() && !src.Missing()
}

// room reports whether a clip has room for what is taken off it: it is there still, or
// nothing that the list tells is at its ends.
func (w *fadeWriter) room(c reel.Clip) bool {
	n, told := c.Length-c.FadeIn.Length-c.FadeOut.Length, false
	for _, f := range []reel.Fade{c.FadeIn, c.FadeOut} {
		told = told || f.Length > 0 && !w.which.fade(f)
	}
	for _, b := range w.of.Blends {
		if b.Left == c.ID {
			n -= b.Before
		}
		if b.Right == c.ID {
			n -= b.After
		}
		told = told || (b.Left == c.ID || b.Right == c.ID) && !w.which.blend(b)
	}
	return n > 0 || n == 0 && !told
}

// blend makes a file of a blend; not of one that would sound with another clip on its
// track, and not where a clip has no room beside its other end.
func (w *fadeWriter) blend(b reel.Blend) bool {
	left, okL := w.sounds(b.Left)
	right, okR := w.sounds(b.Right)
	if !okL || !okR || !w.room(left) || !w.room(right) {
		return false
	}
	from, to := right.Start-b.Before, left.End()+b.After
	name := left.Name + " to " + right.Name
	if left.Track == right.Track {
		w.add(left.Track, name, from, to, w.alone(b, left, right), nil, min(left.Length-b.Before, w.second()), min(right.Length-b.After, w.second()))
	} else {
		// Each track has its side of it.
		for _, c := range []reel.Clip{left, right} {
			for _, o := range w.of.OnTrack(c.Track) {
				if o.ID != c.ID && o.Start < to && o.End() > from {
					return false
				}
			}
		}
		w.add(left.Track, name+", out", from, to, w.alone(b, left, right), []reel.ID{right.ID}, min(left.Length-b.Before, w.second()), 0)
		w.add(right.Track, name+", in", from, to, w.alone(b, left, right), []reel.ID{left.ID}, 0, min(right.Length-b.After, w.second()))
	}
	w.take(left.ID, 1, b.Before)
	w.take(right.ID, 0, b.After)
	return true
}

// fade makes a file of a fade at an end of a clip.
func (w *fadeWriter) fade(c reel.Clip, end int, f reel.Fade) {
	if _, ok := w.sounds(c.ID); !ok || !w.room(c) {
		return
	}
	of, rest := w.alone(reel.Blend{}, c), min(c.Length-f.Length, w.second())
	if end == 0 {
		of.Clips[0].FadeIn = f
		w.add(c.Track, c.Name+", fade in", c.Start, c.Start+f.Length, of, nil, 0, rest)
	} else {
		of.Clips[0].FadeOut = f
		w.add(c.Track, c.Name+", fade out", c.End()-f.Length, c.End(), of, nil, rest, 0)
	}
	w.take(c.ID, end, f.Length)
}

func (w *fadeWriter) second() int64 { return fadeHandle * int64(w.of.Props.SampleRate) }

func (w *fadeWriter) take(id reel.ID, end int, n int64) {
	cut := w.cut[id]
	cut[end] = n
	w.cut[id] = cut
}

// alone is a reel of some clips as a list has them, and of a blend.
func (w *fadeWriter) alone(b reel.Blend, clips ...reel.Clip) *reel.Reel {
	out := &reel.Reel{Props: w.of.Props, NextID: w.of.NextID, Sources: w.of.Sources}
	for _, c := range clips {
		t, _ := w.of.Track(c.Track)
		if _, have := out.Track(t.ID); !have {
			out.Tracks = append(out.Tracks, reel.Track{ID: t.ID, Name: t.Name, Role: t.Role, Place: t.Place})
		}
		c.FadeIn, c.FadeOut, c.Balance, c.RightDB = reel.NoFade, reel.NoFade, 0, 0
		out.Clips = append(out.Clips, c)
	}
	if b.ID != 0 {
		out.Blends = []reel.Blend{b}
	}
	return out
}

// add puts a clip of a source of its own on a track.
func (w *fadeWriter) add(track reel.ID, name string, from, to int64, of *reel.Reel, silent []reel.ID, before, after int64) {
	stereo := slices.ContainsFunc(of.Clips, func(c reel.Clip) bool {
		s, _ := of.Source(c.Source)
		return s.Right >= 0 && !slices.Contains(silent, c.ID)
	})
	src := own(&w.now, name, from-before, before+to-from+after, stereo)
	w.made[src.ID] = Own{Folder: "Fades", Reel: of, Silent: silent, From: from - before, Length: src.Length}
	w.clips = append(w.clips, reel.Clip{ID: w.now.NextID, Track: track, Source: src.ID, Name: src.Name, Start: from, Offset: before, Length: to - from, FadeIn: reel.NoFade, FadeOut: reel.NoFade})
	w.now.NextID++
}
