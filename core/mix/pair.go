package mix

import (
	"sync"

	"blendseam/core/gain"
	"blendseam/core/reel"
	"blendseam/core/sound"
)

// pair are the two sides of a blend over its window, as they sound before its
// curves: with the gains of clips and tracks, and as their tracks treat them. Their likeness is measured when
// it is first needed, as it takes reading the window.
type pair struct {
	sides [2]side
	n     int64      // samples of the window
	mu    sync.Mutex // its two sides may be on lanes that are treated beside each other
	known bool
	like  gain.Likeness
}

// side is one clip's material in the window.
type side struct {
	reader      sound.Reader
	offset      int64        // in the source, where the window begins
	clip, track [2]float64   // gains of both sides
	rides       [2]gain.Ride // of its track, which do not count for the likeness
	at          int64        // in the reel, where the window begins
}

func newPair(r *reel.Reel, b reel.Blend, play func(reel.Clip) (sound.Reader, error)) (*pair, error) {
	p := &pair{n: b.Length()}
	left, _ := r.Clip(b.Left)
	right, _ := r.Clip(b.Right)
	for i, c := range []reel.Clip{left, right} {
		own, err := play(c)
		if err != nil {
			return nil, err
		}
		from, _ := b.Window(left.End())
		rides := [2]gain.Ride{r.Ride(c.Track), r.Ride(-c.Track)}
		own, clip, track := onTrack(r, c, own)
		p.sides[i] = side{own, c.Offset + from - c.Start, clip, track, rides, from}
	}
	return p, nil
}

// ears are what listening to both sides of a pair takes, kept for the next.
type ears [2][2][]float32

// likeness measures the pair, whole and in a fixed order, so that it is the
// same however little of the blend is rendered.
func (p *pair) likeness(e *ears) (gain.Likeness, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.known {
		return p.like, nil
	}
	var out, in, product float64
	for at := int64(0); at < p.n; at += Block {
		n := min(Block, p.n-at)
		var part [2][2][]float32
		for i, s := range p.sides {
			for ch := range part[i] {
				if ch == 1 && s.reader.Channels() == 1 {
					part[i][1] = part[i][0]
					break
				}
				if e[i][ch] == nil {
					e[i][ch] = make([]float32, Block)
				}
				part[i][ch] = e[i][ch][:n]
				if err := s.reader.ReadAt(part[i][ch], ch, s.offset+at); err != nil {
					return gain.Likeness{}, err
				}
			}
		}
		for ch := range 2 {
			a, b := p.sides[0].track[ch], p.sides[1].track[ch]
			x, y := part[0][ch], part[1][ch]
			// The gains of the clips as the mix puts them on, so that a clip that was
			// written with its own is as like.
			f, g := float32(p.sides[0].clip[ch]), float32(p.sides[1].clip[ch])
			var xx, yy, xy float64
			for i, v := range x {
				v, w := float64(float32(v*f)), float64(float32(y[i]*g))
				xx += v * v
				yy += w * w
				xy += v * w
			}
			out, in, product = out+a*a*xx, in+b*b*yy, product+a*b*xy
		}
	}
	p.like, p.known = gain.Like(out, in, product), true
	for _, s := range p.sides {
		rest(s.reader)
	}
	return p.like, nil
}

// knows sees to it that the voice's curves are known where they lie in [a, b).
func (v *voice) knows(e *ears, a, b int64) error {
	if v.headPair != nil && a < v.headAt+v.head.Len && b > v.headAt {
		l, err := v.headPair.likeness(e)
		if err != nil {
			return err
		}
		v.head, v.headPair = v.head.Knowing(l), nil
	}
	if v.tailPair != nil && a < v.tailAt+v.tail.Len && b > v.tailAt {
		l, err := v.tailPair.likeness(e)
		if err != nil {
			return err
		}
		v.tail, v.tailPair = v.tail.Knowing(l), nil
	}
	return nil
}

// Pair are the two sides of a blend over its window, as they sound before its
// curves. It is not safe for concurrent use.
type Pair struct {
	pair *pair
	ears ears
}

// NewPair opens both sides of a blend, which need not be in the reel.
func NewPair(r *reel.Reel, open Open, b reel.Blend) (*Pair, error) {
	p, err := newPair(r, b, func(c reel.Clip) (sound.Reader, error) { return Material(r, c, open) })
	return &Pair{pair: p}, err
}

// Likeness is how like the sides are over the window.
func (p *Pair) Likeness() (gain.Likeness, error) { return p.pair.likeness(&p.ears) }

// Shared is the power, both channels together, that the blend would have at
// each sample if its sides were unrelated and shared it by constant power,
// with this lean, and with the rides of their tracks.
func (p *Pair) Shared(lean float64) ([]float64, error) {
	want := make([]float64, p.pair.n)
	g, v := make([]float32, Block), make([]float32, Block)
	for i, s := range p.pair.sides {
		c := gain.ConstantPower.Out(p.pair.n, lean)
		if i == 1 {
			c = gain.ConstantPower.In(p.pair.n, lean)
		}
		for at := int64(0); at < p.pair.n; at += Block {
			n := min(Block, p.pair.n-at)
			c.Fill(g[:n], at)
			for _, ride := range s.rides {
				ride.Apply(g[:n], s.at+at)
			}
			for ch := range s.clip {
				level := float32(s.clip[ch] * s.track[ch])
				if ch == 0 || s.reader.Channels() > 1 {
					if err := s.reader.ReadAt(v[:n], ch, s.offset+at); err != nil {
						return nil, err
					}
				}
				for k, x := range v[:n] {
					y := float64(x * level * g[k])
					want[at+int64(k)] += y * y
				}
			}
		}
	}
	return want, nil
}
