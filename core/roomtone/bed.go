package roomtone

import (
	"math"
	"math/rand/v2"
	"sort"
	"sync"
)

// How a bed is put together, in seconds. A start is kept away from where the
// last grain ended, as what has just been heard would double itself in the
// blend.
const (
	blendOf   = 0.08
	shortest  = 0.25
	longest   = 0.9
	apart     = 0.15
	pageOf    = 12.0
	tries     = 6
	steps     = 24 // each way
	stride    = 10
	keptPages = 64
)

// Bed is room tone without an end: grains of a texture in changing order and
// length, each blended into the next by constant power, set right by how like
// the two are where they meet. Every sample is a function of its place and the
// seed alone. It implements sound.Reader and is safe for concurrent use.
type Bed struct {
	// Synthesised says that the swatch was too short for grains: the texture is
	// noise shaped to its spectrum.
	Synthesised bool

	tex      [][]float32 // a channel each, of one length
	twin     bool        // both channels are grown from the first, each in its own order
	seed     uint64
	length   int64
	blend    int
	low      int // lengths of grains
	high     int
	page     int64
	far      int
	nudge    int
	fadeOut  []float64 // cos and sin over the blend
	fadeIn   []float64
	mu       sync.Mutex
	pages    [2]map[int64][]grain
	pagesOrd [2][]int64
}

// grain is a piece of the texture.
type grain struct {
	at    int64 // in the bed
	start int   // in the texture
	n     int
	like  likeness // to the next one, in the blend that they share
}

// likeness is how two pieces stand to each other over a blend.
type likeness struct {
	out, in float64 // powers
	r       float64 // correlation coefficient
}

// newBed grows a bed of a texture of at least half a second.
func newBed(tex [][]float32, twin bool, rate int, seed int64, length int64) *Bed {
	n := len(tex[0])
	b := &Bed{tex: tex, twin: twin, seed: uint64(seed), length: length, page: int64(pageOf * float64(rate)), far: int(apart * float64(rate)), nudge: rate / 2400}
	b.blend = int(blendOf * float64(rate))
	b.high = min(int(longest*float64(rate)), n*3/4)
	b.low = min(int(shortest*float64(rate)), b.high/2)
	b.blend = min(b.blend, b.low*2/5)
	b.far = min(b.far, n/6)
	b.fadeOut, b.fadeIn = make([]float64, b.blend), make([]float64, b.blend)
	for i := range b.fadeOut {
		b.fadeIn[i], b.fadeOut[i] = math.Sincos(math.Pi / 2 * float64(i) / float64(b.blend))
	}
	for i := range b.pages {
		b.pages[i] = map[int64][]grain{}
	}
	return b
}

// Bytes is the memory that its texture takes.
func (b *Bed) Bytes() int { return 4 * len(b.tex) * len(b.tex[0]) }

// Channels implements sound.Reader.
func (b *Bed) Channels() int {
	if b.twin {
		return 2
	}
	return len(b.tex)
}

// Len implements sound.Reader.
func (b *Bed) Len() int64 { return b.length }

// ReadAt implements sound.Reader.
func (b *Bed) ReadAt(dst []float32, ch int, from int64) error {
	clear(dst)
	to := min(from+int64(len(dst)), b.length)
	order := 0
	tex := b.tex[min(ch, len(b.tex)-1)]
	if b.twin {
		order = min(ch, 1)
	}
	for at := max(from, 0); at < to; {
		p := at / b.page
		end := min((p+1)*b.page, to)
		grains := b.grains(order, p)
		first := sort.Search(len(grains), func(i int) bool { return grains[i].at+int64(grains[i].n) > at })
		for i := first; i < len(grains) && grains[i].at < end; i++ {
			var before *likeness
			if i > 0 {
				before = &grains[i-1].like
			}
			b.add(dst, from, at, end, tex, grains[i], before, p == 0 && grains[i].at == 0)
		}
		at = end
	}
	return nil
}

// add mixes the part of a grain that lies in [a, z) into dst, which begins at
// from. The likeness before is that to the grain that it follows.
func (b *Bed) add(dst []float32, from, a, z int64, tex []float32, g grain, before *likeness, first bool) {
	a, z = max(a, g.at), min(z, g.at+int64(g.n))
	head, tail := g.at+int64(b.blend), g.at+int64(g.n-b.blend)
	src := tex[g.start : g.start+g.n]
	for at := a; at < z; at++ {
		v := float64(src[at-g.at])
		switch {
		case at < head && !first && before != nil:
			i := at - g.at
			v *= b.fadeIn[i] * before.level(b.fadeOut[i], b.fadeIn[i])
		case at >= tail:
			i := at - tail
			v *= b.fadeOut[i] * g.like.level(b.fadeOut[i], b.fadeIn[i])
		default:
			// Untouched: copied as it is, up to where it changes.
			stop := min(z, max(tail, head))
			if at >= head || first {
				stop = min(z, tail)
			}
			out := dst[at-from : stop-from]
			for i, s := range src[at-g.at : stop-g.at] {
				out[i] += s
			}
			at = stop - 1
			continue
		}
		dst[at-from] += float32(v)
	}
}

// level brings the sum of two sides with these gains to the power that they
// would have if they were unrelated: the closed form of the matched law.
func (l *likeness) level(out, in float64) float64 {
	if l.r == 0 {
		return 1
	}
	straight := out*out*l.out + in*in*l.in
	sum := straight + 2*l.r*out*in*math.Sqrt(l.out*l.in)
	if sum <= 0 || straight <= 0 {
		return 1
	}
	return math.Sqrt(straight / sum)
}

// grains are those that sound in a page: the last of the page before, and its
// own. What a page holds depends on its number alone, so that any place can be
// come to at once.
func (b *Bed) grains(order int, p int64) []grain {
	b.mu.Lock()
	defer b.mu.Unlock()
	if have, ok := b.pages[order][p]; ok {
		return have
	}
	var out []grain
	if p > 0 {
		before := b.grow(order, p-1)
		out = append(out, before[len(before)-1])
	}
	out = append(out, b.grow(order, p)...)
	if len(b.pagesOrd[order]) >= keptPages {
		delete(b.pages[order], b.pagesOrd[order][0])
		b.pagesOrd[order] = b.pagesOrd[order][1:]
	}
	b.pages[order][p] = out
	b.pagesOrd[order] = append(b.pagesOrd[order], p)
	return out
}

// dice are those of a page; two orders of one seed do not go alike.
func (b *Bed) dice(order int, p int64, roll uint64) *rand.Rand {
	return rand.New(rand.NewPCG(b.seed^uint64(order)<<63, uint64(p)*0x9e3779b97f4a7c15+roll))
}

// anchor is the grain with which a page begins.
func (b *Bed) anchor(order int, p int64) grain {
	rng := b.dice(order, p, 1)
	n := b.low + rng.IntN(b.high-b.low+1)
	return grain{at: p * b.page, start: rng.IntN(len(b.tex[0]) - n + 1), n: n}
}

// grow makes the grains of a page, from its anchor to that of the next.
func (b *Bed) grow(order int, p int64) []grain {
	rng := b.dice(order, p, 2)
	g := b.anchor(order, p)
	next := b.anchor(order, p+1)
	out := make([]grain, 0, int(pageOf/shortest))
	recent := [2]int{-1 << 30, -1 << 30}
	for {
		begin := g.at + int64(g.n-b.blend)
		left := int(next.at + int64(b.blend) - begin)
		n := left
		if left > b.high { // what is left after it has to be long enough for another
			n = b.low + rng.IntN(max(min(b.high, left-b.low+b.blend)-b.low, 0)+1)
		}
		var follows *grain
		if n == left {
			follows = &next
		}
		h := b.choose(rng, g, n, recent, follows)
		h.at = begin
		g.like = b.like(g, h, 1)
		out = append(out, g)
		recent[0], recent[1] = recent[1], g.start
		g = h
		if begin+int64(n) >= next.at+int64(b.blend) {
			g.like = b.like(g, next, 1)
			return append(out, g)
		}
	}
}

// choose takes a random start away from what was just heard, and moves it by
// up to half a period of mains hum to where it goes on best: so that a room
// that hums goes on in step. Of the last grain of a page next is the one that
// follows.
func (b *Bed) choose(rng *rand.Rand, last grain, n int, recent [2]int, next *grain) grain {
	room := len(b.tex[0]) - n
	start, least := 0, math.Inf(1)
	for k := 0; k < tries && least > 0; k++ {
		at, near := rng.IntN(room+1), 0.0
		if d := at - (last.start + last.n); d < b.far && d > -b.far {
			near += 10
		}
		for _, r := range [3]int{last.start, recent[0], recent[1]} {
			if d := at - r; d < b.far && d > -b.far {
				near++
			}
		}
		if near < least {
			start, least = at, near
		}
	}
	best, most := grain{start: start, n: n}, math.Inf(-1)
	for k := -steps; k <= steps; k++ {
		g := grain{start: min(max(start+k*b.nudge, 0), room), n: n}
		score := b.like(last, g, stride).r
		if next != nil {
			score = min(score, b.like(g, *next, stride).r) // in step with both, or across to both
		}
		if score > most {
			best, most = g, score
		}
	}
	return best
}

// like measures how like the end of one grain is to the start of another, over
// all channels that share their order, looking at each so many samples.
func (b *Bed) like(g, h grain, each int) likeness {
	var l likeness
	var xy float64
	for _, tex := range b.tex {
		x, y := tex[g.start+g.n-b.blend:g.start+g.n], tex[h.start:h.start+b.blend]
		var xx, yy, p float32
		for i := 0; i < len(x); i += each {
			v, w := x[i], y[i]
			xx += v * v
			yy += w * w
			p += v * w
		}
		l.out, l.in, xy = l.out+float64(xx), l.in+float64(yy), xy+float64(p)
	}
	if l.out > 0 && l.in > 0 {
		// No further below than the matched law goes: gains stay bounded.
		l.r = min(max(xy/math.Sqrt(l.out*l.in), -0.5), 1)
	}
	return l
}
