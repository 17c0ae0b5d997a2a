package level

import (
	"context"
	"math"

	"blendseam/core/gain"
	"blendseam/core/measure"
	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/roomtone"
)

// Piece is what was measured of ten seconds of a reel.
type Piece struct {
	Hops      []float64  // mean K-weighted power of each 10 ms
	TruePeaks []float64  // dBTP of each second
	Peak      [2]float64 // factors of full scale
	Sum       [2]float64 // of the squares
	Invalid   int64      // where a sample is no number, from the piece's start; −1 for nowhere
}

// Phrase is how high a phrase of speech peaks.
type Phrase struct {
	Top     float64 // factor of full scale
	Highest int64   // samples from its beginning
}

// Keeper keeps things by a name. That of golang-lru is one.
type Keeper[T any] interface {
	Get(name string) (T, bool)
	Add(name string, thing T) (evicted bool)
}

// Memory keeps what was measured by what it was measured of, so that after an edit only
// that is listened to again which it has altered. Either part may be nil.
type Memory struct {
	Pieces  Keeper[Piece]
	Phrases Keeper[Phrase]
}

// pieceSeconds is how long a piece is, and runUpSeconds how much before it is listened
// to so that the filters have settled: the slowest of K-weighting forgets by 1e-16 in
// a fifth of a second.
const (
	pieceSeconds = 10
	runUpSeconds = 0.5
)

// only is a reel in which what is not heard is muted, and besides all that does not have
// a role, where one is given.
func only(r *reel.Reel, role reel.Role) *reel.Reel {
	heard := r.Heard()
	out := *r
	out.Tracks = append([]reel.Track(nil), r.Tracks...)
	for i := range out.Tracks {
		t := &out.Tracks[i]
		t.Mute, t.Solo = !heard(*t) || role != "" && t.Role != role, false
	}
	return &out
}

// listener renders and measures pieces of one reel.
type listener struct {
	r     *reel.Reel
	open  mix.Open
	print *roomtone.Printer
	mix   *mix.Mix // made when something has to be listened to
	left  []float32
	right []float32
}

func newListener(r *reel.Reel, open mix.Open) *listener {
	return &listener{r: r, open: open, print: roomtone.NewPrinter(r)}
}

func (l *listener) render(ctx context.Context, from, to int64) ([][]float32, error) {
	if l.mix == nil {
		var err error
		if l.mix, err = mix.New(l.r, l.open, mix.Options{}); err != nil {
			return nil, err
		}
	}
	n := int(to - from)
	if cap(l.left) < n {
		l.left, l.right = make([]float32, n), make([]float32, n)
	}
	v := [][]float32{l.left[:n], l.right[:n]}
	return v, l.mix.Render(ctx, v[0], v[1], from)
}

// piece measures a stretch, or remembers it.
func (l *listener) piece(ctx context.Context, kept Keeper[Piece], from, to int64) (Piece, error) {
	rate := int64(l.r.Props.SampleRate)
	ahead := int64(runUpSeconds * float64(rate))
	name := ""
	if kept != nil {
		name = l.print.Print(from-ahead, to)
		if p, ok := kept.Get(name); ok {
			return p, nil
		}
	}
	p := Piece{Invalid: -1}
	loud, truePeak := measure.NewLoudness(int(rate), 2), measure.NewTruePeak(2)
	v, err := l.render(ctx, from-ahead, from)
	if err != nil {
		return p, err
	}
	loud.Add(v)
	truePeak.Add(v)
	truePeak.Lap()
	for at := from; at < to; at += rate {
		if v, err = l.render(ctx, at, min(at+rate, to)); err != nil {
			return p, err
		}
		loud.Add(v)
		truePeak.Add(v)
		p.TruePeaks = append(p.TruePeaks, truePeak.Lap())
		for ch := range v {
			for i, x := range v[ch] {
				a := math.Abs(float64(x))
				if a-a != 0 && p.Invalid < 0 {
					p.Invalid = at + int64(i) - from
				}
				p.Peak[ch], p.Sum[ch] = max(p.Peak[ch], a), p.Sum[ch]+a*a
			}
		}
	}
	hops := loud.Hops()
	p.Hops = append([]float64(nil), hops[int(runUpSeconds*100):]...)
	if kept != nil {
		kept.Add(name, p)
	}
	return p, nil
}

// phrase tells how high a stretch peaks, or remembers it.
func (l *listener) phrase(ctx context.Context, kept Keeper[Phrase], s reel.Stretch) (Phrase, error) {
	name := ""
	if kept != nil {
		name = l.print.Print(s.From, s.To)
		if p, ok := kept.Get(name); ok {
			return p, nil
		}
	}
	var p Phrase
	for at := s.From; at < s.To; at += block {
		v, err := l.render(ctx, at, min(at+block, s.To))
		if err != nil {
			return p, err
		}
		for ch := range v {
			for i, x := range v[ch] {
				if a := math.Abs(float64(x)); a > p.Top {
					p.Top, p.Highest = a, at+int64(i)-s.From
				}
			}
		}
	}
	if kept != nil {
		kept.Add(name, p)
	}
	return p, nil
}

// decibels of a factor, no lower than silence.
func (p Phrase) decibels() float64 { return floorDB(gain.ToDB(p.Top)) }
