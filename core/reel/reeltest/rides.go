package reeltest

import (
	"math/rand/v2"

	"blendseam/core/reel"
)

// rideEdit is an edit of a gain line, which may or may not be possible.
func rideEdit(rng *rand.Rand, r *reel.Reel) reel.Edit {
	level := func() float64 { return pick(rng, []float64{0, -6, 6, -12.5, -144, -1, 3, 61}) }
	place := func() int64 { return rng.Int64N(4200) - 100 }
	points := func() (out []reel.ID) {
		for range 1 + rng.IntN(3) {
			out = append(out, pick(rng, r.Points).ID)
		}
		return out
	}
	clip, track := pick(rng, r.Clips).ID, reel.ID(0)
	if rng.IntN(3) == 0 {
		clip, track = 0, pick(rng, r.Tracks).ID
	}
	switch rng.IntN(11) {
	case 9, 10:
		return treatEdit(rng, clip, track)
	case 8:
		e := &reel.EndTracks{At: place(), Length: rng.Int64N(300), Where: pick(rng, []string{"", "", reel.EndReel, reel.EndPicture})}
		for range 1 + rng.IntN(2) {
			e.Tracks = append(e.Tracks, pick(rng, r.Tracks).ID)
		}
		return e
	case 0, 1, 2:
		e := &reel.AddPoint{Clip: clip, Track: track, At: place(), Eased: rng.IntN(3) == 0}
		if db := level(); rng.IntN(3) > 0 {
			e.DB = &db
		}
		return e
	case 3:
		return &reel.MovePoints{Points: points(), By: rng.Int64N(400) - 200, ByDB: float64(rng.IntN(9) - 4)}
	case 4:
		at, db, eased := place(), level(), rng.IntN(2) == 0
		return &reel.SetPoint{Point: pick(rng, r.Points).ID, At: &at, DB: &db, Eased: &eased}
	case 5:
		return &reel.RemovePoints{Points: points()}
	case 6:
		switch rng.IntN(6) {
		case 0:
			e := &reel.LiftDuck{Track: pick(rng, r.Tracks).ID}
			for _, t := range r.Tracks {
				if t.Duck != (reel.Ducking{}) && rng.IntN(3) > 0 {
					e.Track = t.ID
				}
			}
			return e
		case 1, 2:
			e := &reel.LayDuck{Track: pick(rng, r.Tracks).ID, Like: reel.UsualDuck(r.Props)}
			for at := place(); at < 4000; at += rng.Int64N(3000) {
				e.Speech = append(e.Speech, reel.Stretch{From: at, To: at + rng.Int64N(600)})
				at += 700
			}
			if e.Like.ByDB = pick(rng, []float64{9, 12, 0.1}); rng.IntN(2) == 0 {
				e.Like = reel.Ducking{ByDB: e.Like.ByDB, Down: 200, Hold: 100, Up: 300, Ahead: 200, Bridge: 400}
			}
			return e
		}
		e := &reel.LayRide{Clip: clip, Track: track, From: place(), Within: float64(rng.IntN(2))}
		e.To = e.From + rng.Int64N(1500)
		for at := e.From; at < e.To; at += 60 + rng.Int64N(200) {
			e.Points = append(e.Points, reel.RidePoint{At: at, DB: level()})
		}
		return e
	}
	c := pick(rng, r.Clips)
	e := &reel.RideSpan{From: c.Start + rng.Int64N(c.Length+1), Tracks: []reel.ID{c.Track}, OnTrack: rng.IntN(3) == 0, ByDB: level(), Slope: rng.Int64N(120)}
	e.To = e.From + rng.Int64N(600)
	return e
}
