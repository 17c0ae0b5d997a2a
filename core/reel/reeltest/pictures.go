package reeltest

import (
	"math/rand/v2"

	"blendseam/core/gain"
	"blendseam/core/reel"
	"blendseam/core/timecode"
)

// BlankPicture is a reel with a track of pictures and two of sound, at a rate
// whose frames are no whole number of samples.
func BlankPicture() *reel.Reel {
	r := Blank(2, 2, 90000)
	r.Props.FrameRate = timecode.Rate2997Drop
	r.Tracks = append(r.Tracks, reel.Track{ID: take(r), Name: "p", Role: reel.PictureRole, Place: -1})
	for i, frames := range []int64{60, 40, 0} {
		s := reel.Source{ID: take(r), Name: "shot", Recording: string(rune('p' + i)), Left: -1, Right: -1, StartTC: -1, Picture: reel.Picture{Rate: timecode.Rate2997Drop, Frames: frames}}
		s.Length = s.Picture.Lasts(r.Props)
		r.Sources = append(r.Sources, s)
	}
	r.Sources = append(r.Sources, reel.Source{ID: take(r), Name: "lost", Left: 0, Right: -1, StartTC: 0, Length: 100000})
	return r
}

func pictures(r *reel.Reel) bool {
	for _, t := range r.Tracks {
		if t.Role == reel.PictureRole {
			return true
		}
	}
	return false
}

func shows(r *reel.Reel, c reel.Clip) bool {
	t, _ := r.Track(c.Track)
	return t.Role == reel.PictureRole
}

// aShot lays a moving picture behind all others.
func aShot(rng *rand.Rand, r *reel.Reel) reel.Edit {
	e := &reel.Place{Source: r.Sources[0].ID, Track: r.Tracks[0].ID, Length: sample(r, 5+rng.Int64N(30))}
	for _, s := range r.Sources {
		if s.Picture.Moving() && !s.Missing() {
			e.Source = s.ID
		}
	}
	for _, t := range r.Tracks {
		if t.Role == reel.PictureRole {
			e.Track = t.ID
		}
	}
	for _, c := range r.OnTrack(e.Track) {
		e.Start = max(e.Start, c.End())
	}
	return e
}

// withSound is a shot's speed given to the sound that is tied to it as well; or a shot, or a
// tie, where there is none yet.
func withSound(rng *rand.Rand, r *reel.Reel) reel.Edit {
	var moving []reel.Clip
	for _, c := range r.Clips {
		if src, _ := r.Source(c.Source); src.Picture.Moving() && !src.Missing() {
			moving = append(moving, c)
		}
	}
	if len(moving) == 0 {
		return aShot(rng, r)
	}
	c := pick(rng, moving)
	if rng.IntN(8) == 0 {
		c = pick(rng, r.Clips)
	}
	e := &reel.FitShot{Shot: c.ID, Later: pick(rng, []reel.Later{reel.Stay, reel.Follow}), Recordings: map[reel.ID]string{}}
	if rng.IntN(4) > 0 {
		e.Length = c.Length/2 + rng.Int64N(c.Length)
	}
	tied := r.TiedTo(c.ID)
	for _, t := range tied {
		e.Recordings[t.Clip] = "fitted"
	}
	if len(tied) > 0 || rng.IntN(6) == 0 {
		return e
	}
	for _, o := range r.Clips {
		if src, _ := r.Source(o.Source); !src.Shows() && !src.Missing() && !src.Bed.Grown() {
			return &reel.TieUp{Clips: []reel.ID{c.ID, o.ID}}
		}
	}
	return e
}

// splitEdit is an edit of picture and sound together, which may or may
// not be possible.
func splitEdit(rng *rand.Rand, r *reel.Reel) reel.Edit {
	var shots, sounds []reel.Clip
	for _, c := range r.Clips {
		if shows(r, c) {
			shots = append(shots, c)
		} else {
			sounds = append(sounds, c)
		}
	}
	by := sample(r, rng.Int64N(20)-8)
	tied := rng.IntN(3) > 0
	switch rng.IntN(14) {
	case 12, 13:
		return withSound(rng, r)
	case 0, 1:
		e := &reel.TieUp{Clips: []reel.ID{pick(rng, sounds).ID}}
		if rng.IntN(2) == 0 {
			e.Clips = append(e.Clips, pick(rng, shots).ID)
		}
		return e
	case 2:
		if rng.IntN(3) == 0 {
			return &reel.Untie{Clips: []reel.ID{pick(rng, r.Clips).ID}}
		}
		return &reel.Resync{Clips: []reel.ID{pick(rng, r.Ties).Clip}, Way: pick(rng, []reel.Way{reel.ByMove, reel.BySlip, "x"})}
	case 3, 4, 5:
		e := &reel.Lead{Frames: float64(rng.IntN(24) - 12)}
		for range 1 + rng.IntN(2) {
			s := pick(rng, r.Seams())
			if with := (func(s reel.Seam) bool { return s.Cut.Left != 0 }); rng.IntN(4) > 0 {
				for _, o := range r.Seams() {
					if with(o) && rng.IntN(2) == 0 {
						s = o
					}
				}
			}
			e.Cuts = append(e.Cuts, reel.SoundCut{Left: s.Left, Right: s.Right})
		}
		if rng.IntN(2) == 0 {
			e.Remake = &reel.Usual{Length: 3000, Blend: reel.SetBlend{Law: gain.ConstantPower, Lean: 0.5}}
		}
		return e
	case 6: // a shot after the last, and sound under it
		p := pick(rng, r.Sources)
		start := int64(0)
		for _, c := range append(shots, sounds...) {
			if shows(r, c) == p.Shows() {
				start = max(start, c.End())
			}
		}
		e := &reel.Place{Source: p.ID, Track: pick(rng, r.Tracks).ID, Start: start, Offset: by, Length: sample(r, 5+rng.Int64N(20))}
		for _, t := range r.Tracks {
			if (t.Role == reel.PictureRole) == p.Shows() && rng.IntN(4) > 0 {
				e.Track = t.ID
			}
		}
		return e
	case 7:
		if rng.IntN(2) == 0 {
			e := &reel.PaceShot{Shot: pick(rng, r.Clips).ID, Later: pick(rng, []reel.Later{reel.Stay, reel.Follow})}
			if len(shots) > 0 && rng.IntN(8) > 0 {
				e.Shot = pick(rng, shots).ID
			}
			switch c, _ := r.Clip(e.Shot); rng.IntN(4) {
			case 0:
				e.Freeze = &by
			case 1, 2:
				e.Length = 1 + c.Length/4 + rng.Int64N(5*c.Length+1)
			}
			return e
		}
		c := pick(rng, r.Clips)
		return &reel.Split{Clips: []reel.ID{c.ID}, At: c.Start + c.Length/2, Tied: tied}
	case 8:
		return &reel.Trim{Clips: []reel.ID{pick(rng, shots).ID}, End: pick(rng, []reel.End{reel.Head, reel.Tail}), By: by, Tied: tied, Later: pick(rng, []reel.Later{reel.Stay, reel.Follow})}
	case 9:
		for _, a := range shots {
			for _, b := range shots {
				if a.Track == b.Track && a.End() == b.Start && rng.IntN(2) == 0 {
					return &reel.Roll{Left: a.ID, Right: b.ID, By: by, Tied: tied}
				}
			}
		}
		return &reel.Move{Clips: []reel.ID{pick(rng, r.Clips).ID}, By: by, Tied: tied}
	case 10:
		if rng.IntN(2) == 0 {
			return &reel.Remove{Clips: []reel.ID{pick(rng, r.Clips).ID}, Tied: tied, Later: pick(rng, []reel.Later{reel.Stay, reel.Follow})}
		}
		if rng.IntN(2) == 0 {
			e := &reel.LayShot{Picture: pick(rng, r.Sources).ID, Track: r.Order()[0].ID * reel.ID(rng.IntN(2)), Start: rng.Int64N(300000), Offset: by, Length: sample(r, rng.Int64N(20))}
			for _, s := range r.Sources {
				if s.Shows() == (e.Sounds == nil) && rng.IntN(2) == 0 {
					if s.Shows() {
						e.Picture = s.ID
					} else {
						e.Sounds = append(e.Sounds, reel.LaySound{Source: s.ID, Track: pick(rng, r.Tracks).ID})
					}
				}
			}
			return e
		}
		var lost reel.ID
		for _, s := range r.Sources {
			if s.Missing() {
				lost = s.ID
			}
		}
		return &reel.Link{Source: lost, To: pick(rng, r.Sources).ID}
	}
	if rng.IntN(2) == 0 {
		return &reel.Slip{Clips: []reel.ID{pick(rng, r.Clips).ID}, By: by, Tied: tied}
	}
	w := reel.Assembly{Tracks: []reel.NewTrack{{Name: "V", Role: reel.PictureRole}, {Name: "A", Role: reel.Dialogue}}, Sources: []reel.Source{{Name: "card", Left: -1, Right: -1, Length: 500000, Picture: reel.Picture{Rate: r.Props.FrameRate}}, {Name: "wild", Right: -1, Length: 500000}}}
	for i := range 2 {
		w.Clips = append(w.Clips, reel.LaidClip{Track: i, Lacks: i, Clip: reel.Clip{Name: "laid", Start: by, Length: sample(r, 10), Offset: 3000, FadeIn: reel.NoFade, FadeOut: reel.NoFade}})
	}
	w.Ties = []reel.Tie{{Shot: 0, Clip: 1}}
	return &reel.Assemble{Name: "cut 2", What: w}
}
