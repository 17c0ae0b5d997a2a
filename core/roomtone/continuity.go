package roomtone

import (
	"context"
	"math"

	"blendseam/core/measure"
	"blendseam/core/mix"
	"blendseam/core/reel"
)

// Piece is what was found of the room in a stretch of the programme.
type Piece struct {
	Frames []float32  // power of dialogue and room tone, a value for each 20 ms
	None   [][2]int64 // where the programme is digital silence, counted from the piece's start
}

// PieceSeconds is how much of a reel one piece holds.
const PieceSeconds = 10

// leastNone is the shortest digital silence that is told, in seconds.
const leastNone = 0.005

// FrameSamples is the number of samples that a frame of a piece stands for.
func FrameSamples(rate int) int64 { return int64(float64(rate) * measure.FrameSeconds) }

// Listen renders a piece of the programme: what it measures is what is heard,
// but for solo, which is a way of listening.
func Listen(ctx context.Context, r *reel.Reel, open mix.Open, from, to int64) (Piece, error) {
	var p Piece
	plain := *r
	plain.Tracks = append([]reel.Track(nil), r.Tracks...)
	var besides mix.Options
	for i, t := range plain.Tracks {
		plain.Tracks[i].Solo = false
		if t.Role != reel.Dialogue && t.Role != reel.RoomTone {
			besides.Without = append(besides.Without, t.ID)
		}
	}
	room, err := mix.New(&plain, open, besides)
	if err != nil {
		return p, err
	}
	left, right := make([]float32, to-from), make([]float32, to-from)
	if err := room.Render(ctx, left, right, from); err != nil {
		return p, err
	}
	mono := room.Mono(from, to)
	size := int(FrameSamples(r.Props.SampleRate))
	// Above the rumble, which is no room; one side stands for both where they are the same.
	sides := [][]float32{left, right}
	if mono {
		sides = sides[:1]
	}
	filters := make([]pass, len(sides))
	for i, v := range sides {
		filters[i].x = float64(v[0])
	}
	keep := math.Exp(-2 * math.Pi * rumble / float64(r.Props.SampleRate))
	for at := 0; at < len(left); at += size {
		end := min(at+size, len(left))
		var f frame
		for i, v := range sides {
			f.add(v[at:end], len(sides), &filters[i], keep)
		}
		p.Frames = append(p.Frames, float32(min(f.high, math.MaxFloat32)))
	}
	least := int64(leastNone * float64(r.Props.SampleRate))
	none := silences(left, right, least)
	if len(none) == 0 || len(besides.Without) == 0 {
		p.None = none
		return p, nil
	}
	// Where the room is silent something else may sound.
	all, err := mix.New(&plain, open, mix.Options{})
	if err != nil {
		return p, err
	}
	for _, s := range none {
		l, r := left[s[0]:s[1]], right[s[0]:s[1]]
		if err := all.Render(ctx, l, r, from+s[0]); err != nil {
			return p, err
		}
		for _, part := range silences(l, r, least) {
			p.None = append(p.None, [2]int64{s[0] + part[0], s[0] + part[1]})
		}
	}
	return p, nil
}

// silences are the runs of digital silence on both sides. Runs that reach an
// end of what was rendered are told however short they are, as they may go on
// beyond it.
func silences(left, right []float32, least int64) [][2]int64 {
	var out [][2]int64
	n := int64(len(left))
	for at := int64(0); at < n; at++ {
		if left[at] != 0 || right[at] != 0 {
			continue
		}
		begin := at
		for at < n && left[at] == 0 && right[at] == 0 {
			at++
		}
		if at-begin >= least || begin == 0 || at == n {
			out = append(out, [2]int64{begin, at})
		}
	}
	return out
}

// Continuity is the room of a whole reel as it sounds.
type Continuity struct {
	Hop    int64      `json:"hop"`    // samples from one level to the next
	Levels []float32  `json:"levels"` // dBFS, the floor of dialogue and room tone around each place
	Holes  [][2]int64 `json:"holes"`  // digital silence inside the programme, as [from, to)
}

// floorReach is how far around a place its floor is looked for, in frames; and
// hopFrames how far the places are apart.
const (
	floorReach = 50
	hopFrames  = 10
)

// Join puts the pieces of a reel together. Holes are told from so many samples
// on, and lie between the first and the last that sounds.
func Join(pieces []Piece, rate int, length, least int64) Continuity {
	size := FrameSamples(rate)
	out := Continuity{Hop: size * hopFrames, Levels: []float32{}, Holes: [][2]int64{}}
	var powers []float64
	var none [][2]int64
	var start int64
	per := int64(PieceSeconds) * int64(rate)
	for _, p := range pieces {
		for _, f := range p.Frames {
			powers = append(powers, float64(f))
		}
		for _, s := range p.None {
			s[0], s[1] = s[0]+start, s[1]+start
			if n := len(none); n > 0 && none[n-1][1] == s[0] {
				none[n-1][1] = s[1]
			} else {
				none = append(none, s)
			}
		}
		start += per
	}
	for i := 0; i < len(powers); i += hopFrames {
		a, b := max(i-floorReach, 0), min(i+floorReach, len(powers))
		out.Levels = append(out.Levels, float32(math.Round(10*measure.Floor(powers[a:b]))/10))
	}
	for _, s := range none {
		if s[0] == 0 || s[1] >= length {
			continue // before the programme begins, or after it has ended
		}
		if s[1]-s[0] >= least {
			out.Holes = append(out.Holes, s)
		}
	}
	return out
}
