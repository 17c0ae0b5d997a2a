package reel

import (
	"math/rand/v2"

	"blendseam/core/gain"
	"blendseam/core/timecode"
)

// blank is a reel with tracks and sources and nothing on it.
func blank(tracks, sources int, sourceLen int64) *Reel {
	r := &Reel{NextID: 1, Props: Props{Name: "test", SampleRate: 48000, FrameRate: timecode.Rate25}}
	for range tracks {
		t := Track{ID: r.take(), Name: "t", Role: Dialogue, Place: len(r.Tracks)}
		r.Tracks = append(r.Tracks, t)
	}
	for range sources {
		s := Source{ID: r.take(), Recording: string(rune('a' + len(r.Sources))), Name: "s", Right: -1, Length: sourceLen, StartTC: -1}
		r.Sources = append(r.Sources, s)
	}
	return r
}

// blankPicture is a reel with a track of pictures and two of sound, at a rate
// whose frames are no whole number of samples.
func blankPicture() *Reel {
	r := blank(2, 2, 90000)
	r.Props.FrameRate = timecode.Rate2997Drop
	r.Tracks = append(r.Tracks, Track{ID: r.take(), Name: "p", Role: PictureRole, Place: -1})
	for i, frames := range []int64{60, 40, 0} {
		s := Source{ID: r.take(), Name: "shot", Recording: string(rune('p' + i)), Left: -1, Right: -1, StartTC: -1, Picture: Picture{Rate: timecode.Rate2997Drop, Frames: frames}}
		s.Length = s.Picture.Lasts(r.Props)
		r.Sources = append(r.Sources, s)
	}
	r.Sources = append(r.Sources, Source{ID: r.take(), Name: "lost", Left: 0, Right: -1, StartTC: 0, Length: 100000})
	return r
}

func pick[T any](rng *rand.Rand, v []T) (none T) {
	if len(v) == 0 {
		return none
	}
	return v[rng.IntN(len(v))]
}

// cuts are the seams where two clips meet.
func cuts(r *Reel) (out []Seam) {
	for _, s := range r.Seams() {
		if s.Kind == CutSeam {
			out = append(out, s)
		}
	}
	return out
}

// randomEdit is an edit that may or may not be possible.
func randomEdit(rng *rand.Rand, r *Reel) Edit {
	str := func(s string) *string { return &s }
	num := func(v float64) *float64 { return &v }
	yes := func(b bool) *bool { return &b }
	n := func(top int64) int64 { return rng.Int64N(top+1) - top/10 }
	if len(r.pictureTracks()) > 0 { // in whole frames as often as not
		small := n
		n = func(top int64) int64 {
			if rng.IntN(2) == 0 {
				return r.Props.sample(small(top) / 20)
			}
			return small(top) * 77
		}
		if rng.IntN(3) == 0 {
			return randomSplitEdit(rng, r)
		}
	}
	later := pick(rng, []Later{"", Stay, Follow, Follow, FollowTrack})
	ids := func(most int) (out []ID) {
		for range 1 + rng.IntN(most) {
			out = append(out, pick(rng, r.Clips).ID)
		}
		return out
	}
	lanes := func() (out []ID) {
		for range 1 + rng.IntN(2) {
			out = append(out, pick(rng, r.Tracks).ID)
		}
		return out
	}
	inside := func(c Clip) int64 { return c.Start - 5 + rng.Int64N(c.Length+11) }
	switch rng.IntN(46) {
	case 14, 15, 16, 17:
		return &Trim{Clips: ids(2), End: pick(rng, []End{Head, Tail, Tail, Head, "x"}), By: n(300) - 100, Later: later}
	case 18:
		return &TrimTo{Clips: ids(2), End: pick(rng, []End{Head, Tail}), At: n(3000), Later: later}
	case 19, 20:
		s := pick(rng, cuts(r))
		return &Roll{Left: s.Left, Right: s.Right, By: n(300) - 130}
	case 21:
		return &Slide{Clip: pick(rng, r.Clips).ID, By: n(200) - 90}
	case 22:
		return &Slip{Clips: ids(2), By: n(300) - 130}
	case 23, 24:
		c := pick(rng, r.Clips)
		return &Split{Clips: []ID{c.ID}, At: inside(c)}
	case 25:
		s := pick(rng, cuts(r))
		return &Join{Left: s.Left, Right: s.Right}
	case 26:
		c := pick(rng, r.Clips)
		from := inside(c)
		return &RemoveSpan{From: from, To: from + n(300), Tracks: append(lanes(), c.Track), Later: later}
	case 27:
		c := pick(rng, r.Clips)
		from := inside(c)
		return &KeepSpan{From: from, To: from + n(600), Tracks: append(lanes(), c.Track), Later: later}
	case 28:
		return &CloseGap{Track: pick(rng, r.Tracks).ID, At: n(4000), By: n(100) * rng.Int64N(2), Later: later}
	case 29:
		return &InsertTime{At: n(3000), Length: n(400), Tracks: lanes(), Later: later}
	case 30:
		e := &Fill{Source: pick(rng, r.Sources).ID, Track: pick(rng, r.Tracks).ID, From: n(3000), Mark: n(1200), Anchor: pick(rng, []Anchor{AnchorIn, AnchorOut, "x"})}
		if rng.IntN(2) == 0 {
			e.To = e.From + n(300)
		}
		return e
	case 31:
		x, err := r.CopyClips(ids(3))
		if err != nil {
			c := pick(rng, r.Clips)
			x, _ = r.CopySpan(c.Start+2, c.End()+100, lanes())
		}
		return &Paste{What: x, Track: pick(rng, r.Tracks).ID, At: n(4000), Later: later}
	case 32:
		switch rng.IntN(4) {
		case 0:
			return &RemoveMarker{Marker: pick(rng, r.Markers).ID}
		case 1:
			at := n(3000)
			return &SetMarker{Marker: pick(rng, r.Markers).ID, At: &at, Text: str("here")}
		}
		return &AddMarker{At: n(50) * 60, Text: pick(rng, []string{"", "breath"})}
	case 33:
		return &MoveTrack{Track: pick(rng, r.Tracks).ID, To: rng.IntN(6) - 1}
	case 34:
		t := pick(rng, r.Tracks)
		if t.Locked || rng.IntN(3) > 0 {
			return &SetTrack{Track: t.ID, Locked: yes(false), Stays: yes(rng.IntN(3) == 0), Height: &[]int{0, 120, 9}[rng.IntN(3)], Colour: &append(Colours, "x")[rng.IntN(len(Colours)+1)]}
		}
		return &SetTrack{Track: t.ID, Locked: yes(true)}
	case 35:
		return &Remove{Clips: ids(3), Later: later}
	case 36:
		// The pair that overlaps on two tracks, or meets on two, where there is one.
		for _, a := range r.Clips {
			for _, b := range r.Clips {
				if a.Track != b.Track && a.Start < b.Start && a.End() < b.End() && b.Start <= a.End() {
					if b.Start == a.End() {
						return &SetBlend{Left: a.ID, Right: b.ID, Before: n(200), After: n(200), Law: pick(rng, gain.Laws), Lean: 0.5, In: Side{pick(rng, gain.Shapes), 0.3}}
					}
					return &BlendOver{Left: a.ID, Right: b.ID, Law: pick(rng, gain.Laws), Lean: 0.5}
				}
			}
		}
		return &BlendOver{Left: pick(rng, r.Clips).ID, Right: pick(rng, r.Clips).ID, Law: gain.Matched, Lean: 0.5}
	case 37:
		c := pick(rng, r.Clips)
		e := &DropBlend{Clip: c.ID, By: n(600) - 250, Law: pick(rng, gain.Laws), Lean: 0.5}
		if rng.IntN(2) == 0 {
			e.ToTrack = pick(rng, r.Tracks).ID
		}
		return e
	case 39, 40:
		c := pick(rng, r.Clips)
		from := inside(c)
		e := &StrikeSpan{From: from, To: from + n(300), Tracks: append(lanes(), c.Track), Fade: n(60), Shape: pick(rng, gain.Shapes)}
		if rng.IntN(3) == 0 {
			e.LowerDB = pick(rng, []float64{12, 0.1, 99})
		}
		if rng.IntN(3) == 0 {
			e.Clips = ids(2)
		}
		return e
	case 41:
		s := pick(rng, r.Strikes)
		from, to := s.From+n(100)-40, s.To+n(100)-40
		e := &SetStrike{Strike: s.ID, From: &from, Rise: &Fade{n(80), pick(rng, gain.Shapes), 0.4}}
		if rng.IntN(2) == 0 {
			e.From, e.To = nil, &to
		}
		return e
	case 42:
		return &Lift{Strikes: []ID{pick(rng, r.Strikes).ID}}
	case 43, 44:
		t := Tone{Source: pick(rng, r.Sources).ID, From: n(400), To: n(900), Seed: rng.Int64N(4), Channels: rng.IntN(3)}
		if rng.IntN(3) == 0 {
			t = Tone{Room: pick(rng, append(Rooms, "x")), Seed: 1}
		}
		if rng.IntN(4) == 0 {
			c := pick(rng, r.Clips)
			for _, o := range r.Clips {
				if src, _ := r.Source(o.Source); src.Bed.Grown() {
					c = o
				}
			}
			return &SetTone{Clip: c.ID, Tone: t, GainDB: -2}
		}
		if rng.IntN(2) == 0 {
			return &CoverStrike{Strike: pick(rng, r.Strikes).ID, Tone: &t, GainDB: -3}
		}
		e := &LayTone{Track: pick(rng, r.Tracks).ID, From: n(4000), Tone: t, Blend: n(100), Fade: n(50)}
		if rng.IntN(2) == 0 {
			e.To = e.From + n(500)
		}
		if rng.IntN(2) == 0 {
			e.Into = &Tone{Room: Rooms[0], Seed: 2}
		}
		return e
	case 45:
		switch rng.IntN(3) {
		case 0:
			return &RemoveSwatch{Swatch: pick(rng, r.Swatches).ID}
		case 1:
			return &SetSwatch{Swatch: pick(rng, r.Swatches).ID, Name: str("fan")}
		}
		return &AddSwatch{Name: "air", Source: pick(rng, r.Sources).ID, From: n(500), To: n(1000)}
	case 38:
		limits := Tolerances{Room: Tolerance{float64(rng.IntN(8)), 5}}
		return &Together{Label: "both", Edits: []Edit{&SetReel{Limits: &limits}, &SetClip{Clip: pick(rng, r.Clips).ID, GainDB: num(-2)}}}
	case 0:
		return &AddTrack{Name: pick(rng, []string{"", "Warden", "Fan"}), Role: pick(rng, append(Roles[:4:4], PictureRole, "x"))}
	case 1:
		return &SetTrack{Track: pick(rng, r.Tracks).ID, Name: str("n"), GainDB: num(rng.Float64()*130 - 100), Mute: yes(rng.IntN(2) == 0)}
	case 2:
		if rng.IntN(5) > 0 {
			return &SetReel{Name: str("reel")}
		}
		return &RemoveTrack{Track: pick(rng, r.Tracks).ID}
	case 3, 4, 5, 6:
		c := pick(rng, r.Clips)
		start := n(4000)
		if rng.IntN(3) > 0 {
			start = c.End()
		}
		return &Place{Source: pick(rng, r.Sources).ID, Track: pick(rng, r.Tracks).ID, Start: start, Offset: n(1000), Length: 1 + n(800)}
	case 7, 8:
		e := &Move{By: n(1000) - 400}
		for range 1 + rng.IntN(3) {
			e.Clips = append(e.Clips, pick(rng, r.Clips).ID)
		}
		if rng.IntN(2) == 0 {
			e.ToTrack = pick(rng, r.Tracks).ID
		} else {
			e.Down = rng.IntN(3) - 1
		}
		return e
	case 9:
		return &Remove{Clips: []ID{pick(rng, r.Clips).ID}}
	case 10:
		return &SetClip{Clip: pick(rng, r.Clips).ID, GainDB: num(-3)}
	case 11:
		return &SetFade{Clip: pick(rng, r.Clips).ID, End: pick(rng, []End{Head, Tail}), Fade: Fade{n(300), pick(rng, gain.Shapes), 0.3}}
	case 12:
		return &RemoveBlend{Blend: pick(rng, r.Blends).ID}
	default:
		s := pick(rng, cuts(r))
		return &SetBlend{Left: s.Left, Right: s.Right, Before: n(200), After: n(200), Law: pick(rng, gain.Laws), Lean: 0.5}
	}
}

// randomSplitEdit is an edit of picture and sound together, which may or may
// not be possible.
func randomSplitEdit(rng *rand.Rand, r *Reel) Edit {
	var shots, sounds []Clip
	for _, c := range r.Clips {
		if r.shows(c) {
			shots = append(shots, c)
		} else {
			sounds = append(sounds, c)
		}
	}
	by := r.Props.sample(rng.Int64N(20) - 8)
	tied := rng.IntN(3) > 0
	switch rng.IntN(12) {
	case 0, 1:
		e := &TieUp{Clips: []ID{pick(rng, sounds).ID}}
		if rng.IntN(2) == 0 {
			e.Clips = append(e.Clips, pick(rng, shots).ID)
		}
		return e
	case 2:
		if rng.IntN(3) == 0 {
			return &Untie{Clips: []ID{pick(rng, r.Clips).ID}}
		}
		return &Resync{Clips: []ID{pick(rng, r.Ties).Clip}, Way: pick(rng, []Way{ByMove, BySlip, "x"})}
	case 3, 4, 5:
		e := &Lead{Frames: float64(rng.IntN(24) - 12)}
		for range 1 + rng.IntN(2) {
			s := pick(rng, r.Seams())
			if with := (func(s Seam) bool { return s.Cut.Left != 0 }); rng.IntN(4) > 0 {
				for _, o := range r.Seams() {
					if with(o) && rng.IntN(2) == 0 {
						s = o
					}
				}
			}
			e.Cuts = append(e.Cuts, SoundCut{s.Left, s.Right})
		}
		if rng.IntN(2) == 0 {
			e.Remake = &Usual{Length: 3000, Blend: SetBlend{Law: gain.ConstantPower, Lean: 0.5}}
		}
		return e
	case 6: // a shot after the last, and sound under it
		p := pick(rng, r.Sources)
		start := int64(0)
		for _, c := range append(shots, sounds...) {
			if r.shows(c) == p.Shows() {
				start = max(start, c.End())
			}
		}
		e := &Place{Source: p.ID, Track: pick(rng, r.Tracks).ID, Start: start, Offset: by, Length: r.Props.sample(5 + rng.Int64N(20))}
		for _, t := range r.Tracks {
			if (t.Role == PictureRole) == p.Shows() && rng.IntN(4) > 0 {
				e.Track = t.ID
			}
		}
		return e
	case 7:
		c := pick(rng, r.Clips)
		return &Split{Clips: []ID{c.ID}, At: c.Start + c.Length/2, Tied: tied}
	case 8:
		return &Trim{Clips: []ID{pick(rng, shots).ID}, End: pick(rng, []End{Head, Tail}), By: by, Tied: tied, Later: pick(rng, []Later{Stay, Follow})}
	case 9:
		for _, a := range shots {
			for _, b := range shots {
				if meet(a, b) && rng.IntN(2) == 0 {
					return &Roll{Left: a.ID, Right: b.ID, By: by, Tied: tied}
				}
			}
		}
		return &Move{Clips: []ID{pick(rng, r.Clips).ID}, By: by, Tied: tied}
	case 10:
		if rng.IntN(2) == 0 {
			return &Remove{Clips: []ID{pick(rng, r.Clips).ID}, Tied: tied, Later: pick(rng, []Later{Stay, Follow})}
		}
		if rng.IntN(2) == 0 {
			e := &LayShot{Picture: pick(rng, r.Sources).ID, Track: r.Order()[0].ID * ID(rng.IntN(2)), Start: rng.Int64N(300000), Offset: by, Length: r.Props.sample(rng.Int64N(20))}
			for _, s := range r.Sources {
				if s.Shows() == (e.Sounds == nil) && rng.IntN(2) == 0 {
					if s.Shows() {
						e.Picture = s.ID
					} else {
						e.Sounds = append(e.Sounds, LaySound{s.ID, pick(rng, r.Tracks).ID})
					}
				}
			}
			return e
		}
		var lost ID
		for _, s := range r.Sources {
			if s.Missing() {
				lost = s.ID
			}
		}
		return &Link{Source: lost, To: pick(rng, r.Sources).ID}
	}
	if rng.IntN(2) == 0 {
		return &Slip{Clips: []ID{pick(rng, r.Clips).ID}, By: by, Tied: tied}
	}
	w := Assembly{Tracks: []NewTrack{{Name: "V", Role: PictureRole}, {Name: "A", Role: Dialogue}}, Sources: []Source{{Name: "card", Left: -1, Right: -1, Length: 500000, Picture: Picture{Rate: r.Props.FrameRate}}, {Name: "wild", Right: -1, Length: 500000}}}
	for i := range 2 {
		w.Clips = append(w.Clips, LaidClip{Track: i, Lacks: i, Clip: Clip{Name: "laid", Start: by, Length: r.Props.sample(10), Offset: 3000, FadeIn: NoFade, FadeOut: NoFade}})
	}
	w.Ties = []Tie{{Shot: 0, Clip: 1}}
	return &Assemble{Name: "cut 2", What: w}
}
