// Package reeltest makes reels and edits by chance, for tests of what has to
// hold whatever is edited.
package reeltest

import (
	"math/rand/v2"

	"blendseam/core/gain"
	"blendseam/core/reel"
	"blendseam/core/timecode"
)

func take(r *reel.Reel) reel.ID {
	r.NextID++
	return r.NextID - 1
}

// Blank is a reel with tracks and sources and nothing on it.
func Blank(tracks, sources int, sourceLen int64) *reel.Reel {
	r := &reel.Reel{NextID: 1, Props: reel.Props{Name: "test", SampleRate: 48000, FrameRate: timecode.Rate25}}
	for range tracks {
		t := reel.Track{ID: take(r), Name: "t", Role: reel.Dialogue, Place: len(r.Tracks)}
		r.Tracks = append(r.Tracks, t)
	}
	for range sources {
		s := reel.Source{ID: take(r), Recording: string(rune('a' + len(r.Sources))), Name: "s", Right: -1, Length: sourceLen, StartTC: -1}
		r.Sources = append(r.Sources, s)
	}
	return r
}

func pick[T any](rng *rand.Rand, v []T) (none T) {
	if len(v) == 0 {
		return none
	}
	return v[rng.IntN(len(v))]
}

// cuts are the seams where two clips meet.
func cuts(r *reel.Reel) (out []reel.Seam) {
	for _, s := range r.Seams() {
		if s.Kind == reel.CutSeam {
			out = append(out, s)
		}
	}
	return out
}

func sample(r *reel.Reel, frame int64) int64 {
	return r.Props.FrameRate.Sample(frame, r.Props.SampleRate)
}

// Edit is an edit of any kind that may or may not be possible.
func Edit(rng *rand.Rand, r *reel.Reel) reel.Edit {
	str := func(s string) *string { return &s }
	num := func(v float64) *float64 { return &v }
	yes := func(b bool) *bool { return &b }
	n := func(top int64) int64 { return rng.Int64N(top+1) - top/10 }
	if pictures(r) { // in whole frames as often as not
		small := n
		n = func(top int64) int64 {
			if rng.IntN(2) == 0 {
				return sample(r, small(top)/20)
			}
			return small(top) * 77
		}
		if rng.IntN(3) == 0 {
			return splitEdit(rng, r)
		}
	}
	later := pick(rng, []reel.Later{"", reel.Stay, reel.Follow, reel.Follow, reel.FollowTrack})
	ids := func(most int) (out []reel.ID) {
		for range 1 + rng.IntN(most) {
			out = append(out, pick(rng, r.Clips).ID)
		}
		return out
	}
	lanes := func() (out []reel.ID) {
		for range 1 + rng.IntN(2) {
			out = append(out, pick(rng, r.Tracks).ID)
		}
		return out
	}
	inside := func(c reel.Clip) int64 { return c.Start - 5 + rng.Int64N(c.Length+11) }
	switch rng.IntN(55) {
	case 53, 54:
		return unmergeEdit(rng, r)
	case 47, 48, 49, 50, 51, 52:
		return rideEdit(rng, r)
	case 46:
		e, db := &reel.Gain{Clips: ids(3)}, float64(rng.IntN(260)-180)/2
		if e.ByDB = &db; rng.IntN(2) == 0 {
			e.ByDB, e.ToDB = nil, &db
		}
		return e
	case 14, 15, 16, 17:
		return &reel.Trim{Clips: ids(2), End: pick(rng, []reel.End{reel.Head, reel.Tail, reel.Tail, reel.Head, "x"}), By: n(300) - 100, Later: later}
	case 18:
		return &reel.TrimTo{Clips: ids(2), End: pick(rng, []reel.End{reel.Head, reel.Tail}), At: n(3000), Later: later}
	case 19, 20:
		s := pick(rng, cuts(r))
		return &reel.Roll{Left: s.Left, Right: s.Right, By: n(300) - 130}
	case 21:
		return &reel.Slide{Clip: pick(rng, r.Clips).ID, By: n(200) - 90}
	case 22:
		return &reel.Slip{Clips: ids(2), By: n(300) - 130}
	case 23, 24:
		c := pick(rng, r.Clips)
		return &reel.Split{Clips: []reel.ID{c.ID}, At: inside(c)}
	case 25:
		s := pick(rng, cuts(r))
		return &reel.Join{Left: s.Left, Right: s.Right}
	case 26:
		c := pick(rng, r.Clips)
		from := inside(c)
		return &reel.RemoveSpan{From: from, To: from + n(300), Tracks: append(lanes(), c.Track), Later: later}
	case 27:
		c := pick(rng, r.Clips)
		from := inside(c)
		return &reel.KeepSpan{From: from, To: from + n(600), Tracks: append(lanes(), c.Track), Later: later}
	case 28:
		return &reel.CloseGap{Track: pick(rng, r.Tracks).ID, At: n(4000), By: n(100) * rng.Int64N(2), Later: later}
	case 29:
		return &reel.InsertTime{At: n(3000), Length: n(400), Tracks: lanes(), Later: later}
	case 30:
		e := &reel.Fill{Source: pick(rng, r.Sources).ID, Track: pick(rng, r.Tracks).ID, From: n(3000), Mark: n(1200), Anchor: pick(rng, []reel.Anchor{reel.AnchorIn, reel.AnchorOut, "x"})}
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
		return &reel.Paste{What: x, Track: pick(rng, r.Tracks).ID, At: n(4000), Later: later}
	case 32:
		switch rng.IntN(4) {
		case 0:
			return &reel.RemoveMarker{Marker: pick(rng, r.Markers).ID}
		case 1:
			at := n(3000)
			return &reel.SetMarker{Marker: pick(rng, r.Markers).ID, At: &at, Text: str("here")}
		}
		return &reel.AddMarker{At: n(50) * 60, Text: pick(rng, []string{"", "breath"})}
	case 33:
		return &reel.MoveTrack{Track: pick(rng, r.Tracks).ID, To: rng.IntN(6) - 1}
	case 34:
		t := pick(rng, r.Tracks)
		if t.Locked || rng.IntN(3) > 0 {
			return &reel.SetTrack{Track: t.ID, Locked: yes(false), Stays: yes(rng.IntN(3) == 0), Height: &[]int{0, 120, 9}[rng.IntN(3)], Colour: &append(reel.Colours, "x")[rng.IntN(len(reel.Colours)+1)]}
		}
		return &reel.SetTrack{Track: t.ID, Locked: yes(true)}
	case 35:
		return &reel.Remove{Clips: ids(3), Later: later}
	case 36:
		// The pair that overlaps on two tracks, or meets on two, where there is one.
		for _, a := range r.Clips {
			for _, b := range r.Clips {
				if a.Track != b.Track && a.Start < b.Start && a.End() < b.End() && b.Start <= a.End() {
					if b.Start == a.End() {
						return &reel.SetBlend{Left: a.ID, Right: b.ID, Before: n(200), After: n(200), Law: pick(rng, gain.Laws), Lean: 0.5, In: reel.Side{Shape: pick(rng, gain.Shapes), Bend: 0.3}}
					}
					return &reel.BlendOver{Left: a.ID, Right: b.ID, Law: pick(rng, gain.Laws), Lean: 0.5}
				}
			}
		}
		return &reel.BlendOver{Left: pick(rng, r.Clips).ID, Right: pick(rng, r.Clips).ID, Law: gain.Matched, Lean: 0.5}
	case 37:
		c := pick(rng, r.Clips)
		e := &reel.DropBlend{Clip: c.ID, By: n(600) - 250, Law: pick(rng, gain.Laws), Lean: 0.5}
		if rng.IntN(2) == 0 {
			e.ToTrack = pick(rng, r.Tracks).ID
		}
		return e
	case 39, 40:
		c := pick(rng, r.Clips)
		from := inside(c)
		e := &reel.StrikeSpan{From: from, To: from + n(300), Tracks: append(lanes(), c.Track), Fade: n(60), Shape: pick(rng, gain.Shapes)}
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
		e := &reel.SetStrike{Strike: s.ID, From: &from, Rise: &reel.Fade{Length: n(80), Shape: pick(rng, gain.Shapes), Bend: 0.4}}
		if rng.IntN(2) == 0 {
			e.From, e.To = nil, &to
		}
		return e
	case 42:
		return &reel.Lift{Strikes: []reel.ID{pick(rng, r.Strikes).ID}}
	case 43, 44:
		t := reel.Tone{Source: pick(rng, r.Sources).ID, From: n(400), To: n(900), Seed: rng.Int64N(4), Channels: rng.IntN(3)}
		if rng.IntN(3) == 0 {
			t = reel.Tone{Room: pick(rng, append(reel.Rooms, "x")), Seed: 1}
		}
		if rng.IntN(4) == 0 {
			c := pick(rng, r.Clips)
			for _, o := range r.Clips {
				if src, _ := r.Source(o.Source); src.Bed.Grown() {
					c = o
				}
			}
			return &reel.SetTone{Clip: c.ID, Tone: t, GainDB: -2}
		}
		if rng.IntN(2) == 0 {
			return &reel.CoverStrike{Strike: pick(rng, r.Strikes).ID, Tone: &t, GainDB: -3}
		}
		e := &reel.LayTone{Track: pick(rng, r.Tracks).ID, From: n(4000), Tone: t, Blend: n(100), Fade: n(50)}
		if rng.IntN(2) == 0 {
			e.To = e.From + n(500)
		}
		if rng.IntN(2) == 0 {
			e.Into = &reel.Tone{Room: reel.Rooms[0], Seed: 2}
		}
		return e
	case 45:
		switch rng.IntN(3) {
		case 0:
			return &reel.RemoveSwatch{Swatch: pick(rng, r.Swatches).ID}
		case 1:
			return &reel.SetSwatch{Swatch: pick(rng, r.Swatches).ID, Name: str("fan")}
		}
		return &reel.AddSwatch{Name: "air", Source: pick(rng, r.Sources).ID, From: n(500), To: n(1000)}
	case 38:
		limits := reel.Tolerances{Room: reel.Tolerance{Hear: float64(rng.IntN(8)), Mend: 5}}
		return &reel.Together{Label: "both", Edits: []reel.Edit{&reel.SetReel{Limits: &limits}, &reel.SetClip{Clip: pick(rng, r.Clips).ID, GainDB: num(-2)}}}
	case 0:
		return &reel.AddTrack{Name: pick(rng, []string{"", "Warden", "Fan"}), Role: pick(rng, append(reel.Roles[:4:4], reel.PictureRole, "x"))}
	case 1:
		return &reel.SetTrack{Track: pick(rng, r.Tracks).ID, Name: str("n"), GainDB: num(rng.Float64()*130 - 100), Mute: yes(rng.IntN(2) == 0)}
	case 2:
		if rng.IntN(5) > 0 {
			return &reel.SetReel{Name: str("reel")}
		}
		return &reel.RemoveTrack{Track: pick(rng, r.Tracks).ID}
	case 3, 4, 5, 6:
		c := pick(rng, r.Clips)
		start := n(4000)
		if rng.IntN(3) > 0 {
			start = c.End()
		}
		return &reel.Place{Source: pick(rng, r.Sources).ID, Track: pick(rng, r.Tracks).ID, Start: start, Offset: n(1000), Length: 1 + n(800)}
	case 7, 8:
		e := &reel.Move{By: n(1000) - 400}
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
		return &reel.Remove{Clips: []reel.ID{pick(rng, r.Clips).ID}}
	case 10:
		return &reel.SetClip{Clip: pick(rng, r.Clips).ID, GainDB: num(-3)}
	case 11:
		return &reel.SetFade{Clip: pick(rng, r.Clips).ID, End: pick(rng, []reel.End{reel.Head, reel.Tail}), Fade: reel.Fade{Length: n(300), Shape: pick(rng, gain.Shapes), Bend: 0.3}}
	case 12:
		return &reel.RemoveBlend{Blend: pick(rng, r.Blends).ID}
	default:
		s := pick(rng, cuts(r))
		if rng.IntN(4) == 0 {
			e := &reel.BlendCuts{Usual: reel.Usual{Length: n(400), Blend: reel.SetBlend{Law: pick(rng, gain.Laws), Lean: 0.5}}}
			for _, o := range r.Seams() {
				if rng.IntN(2) == 0 {
					e.Cuts = append(e.Cuts, reel.SoundCut{Left: o.Left, Right: o.Right})
				}
			}
			return e
		}
		return &reel.SetBlend{Left: s.Left, Right: s.Right, Before: n(200), After: n(200), Law: pick(rng, gain.Laws), Lean: 0.5}
	}
}
