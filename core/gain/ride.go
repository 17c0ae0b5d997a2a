package gain

import (
	"cmp"
	"math"
	"slices"
	"sort"
)

// Node is a place of a gain line: at sample At the line is at DB. From it to the
// next node the line goes straight in dB, or eased: by half a cosine, so that it
// leaves and arrives without a bend.
type Node struct {
	At    int64
	DB    float64
	Eased bool
}

// Ride is a gain line over samples. Before its first node and after its last it
// stays where they are; a ride without nodes is 0 dB everywhere.
type Ride struct{ nodes []Node }

// NewRide makes a line of nodes in any order. Of several at one place the last
// one counts.
func NewRide(nodes []Node) Ride {
	nodes = slices.Clone(nodes)
	slices.SortStableFunc(nodes, func(a, b Node) int { return cmp.Compare(a.At, b.At) })
	out := nodes[:0]
	for _, n := range nodes {
		if len(out) > 0 && out[len(out)-1].At == n.At {
			out = out[:len(out)-1]
		}
		out = append(out, n)
	}
	return Ride{out}
}

// None reports whether the line is 0 dB everywhere.
func (r Ride) None() bool {
	return !slices.ContainsFunc(r.nodes, func(n Node) bool { return n.DB != 0 })
}

// after is the place of the first node beyond a sample.
func (r Ride) after(at int64) int {
	return sort.Search(len(r.nodes), func(i int) bool { return r.nodes[i].At > at })
}

// DB is the line's gain at a sample, in dB: between nodes a and b of places
// t = 0…1 it is a + (b−a)·t, eased a + (b−a)·(1 − cos πt)/2. With −∞ at one end the
// factor goes that way instead, straight or eased, as no line in dB leads there.
func (r Ride) DB(at int64) float64 {
	if len(r.nodes) == 0 {
		return 0
	}
	i := r.after(at)
	if i == 0 {
		return r.nodes[0].DB
	}
	if i == len(r.nodes) {
		return r.nodes[i-1].DB
	}
	return slope{r.nodes[i-1], r.nodes[i]}.db(at)
}

// Bends reports whether a node at a sample would alter the line beside it though it
// is put on it: on a slope that is eased, or that leads to or from −∞, as its two
// parts are slopes of their own.
func (r Ride) Bends(at int64) bool {
	i := r.after(at)
	if i == 0 || i == len(r.nodes) || r.nodes[i-1].At == at {
		return false
	}
	s := slope{r.nodes[i-1], r.nodes[i]}
	return s.a.DB != s.b.DB && (s.a.Eased || s.silent())
}

// slope is the line between two nodes.
type slope struct{ a, b Node }

// silent reports whether one end of the slope is −∞.
func (s slope) silent() bool { return s.a.DB <= MinDB || s.b.DB <= MinDB }

// along is how far the slope has got at a sample, 0…1.
func (s slope) along(at int64) float64 {
	t := float64(at-s.a.At) / float64(s.b.At-s.a.At)
	if s.a.Eased {
		t = (1 - math.Cos(math.Pi*t)) / 2
	}
	return t
}

func (s slope) db(at int64) float64 {
	if s.silent() {
		return max(ToDB(s.factor(at)), MinDB)
	}
	return s.a.DB + (s.b.DB-s.a.DB)*s.along(at)
}

func (s slope) factor(at int64) float64 {
	if a, b := FromDB(s.a.DB), FromDB(s.b.DB); s.silent() {
		return a + (b-a)*s.along(at)
	}
	return FromDB(s.db(at))
}

// Flat is the factor of a stretch in which the line does not move; not ok where
// it does.
func (r Ride) Flat(from, to int64) (factor float64, ok bool) {
	if len(r.nodes) == 0 {
		return 1, true
	}
	i, j := r.after(from), r.after(to-1)
	db := r.DB(from)
	for k := max(i-1, 0); k <= min(j, len(r.nodes)-1); k++ {
		if r.nodes[k].DB != db {
			return 0, false
		}
	}
	return FromDB(db), true
}

// Fill writes the factors of samples from, from+1 … into dst. Each depends on its
// place alone, so that a line filled in pieces is bit for bit the line filled at
// once. A straight slope in dB is a geometric row: it is walked by its ratio, anew
// from each multiple of rideStride after its beginning.
func (r Ride) Fill(dst []float32, from int64) {
	for k := 0; k < len(dst); {
		at := from + int64(k)
		i := r.after(at)
		end := from + int64(len(dst))
		if i < len(r.nodes) {
			end = min(end, r.nodes[i].At)
		}
		part := dst[k : end-from]
		k += len(part)
		if i == 0 || i == len(r.nodes) || r.nodes[i-1].DB == r.nodes[i].DB {
			level := float32(FromDB(r.DB(at)))
			for j := range part {
				part[j] = level
			}
			continue
		}
		slope{r.nodes[i-1], r.nodes[i]}.fill(part, at)
	}
}

func (s slope) fill(dst []float32, at int64) {
	long := s.b.At - s.a.At
	switch {
	case s.silent() || s.a.Eased && long < shortSlope:
		for j := range dst {
			dst[j] = float32(s.factor(at + int64(j)))
		}
	case s.a.Eased:
		s.fillEased(dst, at)
	default:
		s.fillStraight(dst, at)
	}
}

// fillStraight walks a straight slope, four rows side by side, each by the fourth
// power of the ratio, as one would wait for its own last factor.
func (s slope) fillStraight(dst []float32, at int64) {
	step := neper * (s.b.DB - s.a.DB) / float64(s.b.At-s.a.At)
	r := math.Exp(step)
	r2 := r * r
	r4 := r2 * r2
	walk(dst, at-s.a.At, func(row []float32, n int64) {
		g0 := math.Exp(neper*s.a.DB + step*float64(n))
		g1, g2, g3 := g0*r, g0*r2, g0*(r2*r)
		for len(row) >= 4 {
			row[0], row[1], row[2], row[3] = float32(g0), float32(g1), float32(g2), float32(g3)
			g0, g1, g2, g3 = g0*r4, g1*r4, g2*r4, g3*r4
			row = row[4:]
		}
		for k := range row { // at most three
			row[k] = float32([3]float64{g0, g1, g2}[k])
		}
	})
}

// neper is a decibel of amplitude in nepers.
const neper = math.Ln10 / 20

// shortSlope is how long an eased slope is at least, in samples, that is walked
// rather than reckoned one by one.
const shortSlope = 512

// fillEased walks an eased slope: from each sixteenth sample on its level in nepers
// is taken as the cubic that touches it there, whose powers are three ratios that
// multiply each other; from each sixty-fourth on a slope that is four times as long at
// least. What that leaves out is (D/2)·(πn/L)⁴/24 of the factor after n samples, D being
// the slope's height in nepers and L its length: −100 dB of it for 60 dB in 512 samples,
// far less for what is usual.
func (s slope) fillEased(dst []float32, at int64) {
	stride := easedStride
	if s.b.At-s.a.At >= longStride/easedStride*shortSlope {
		stride = longStride
	}
	w := math.Pi / float64(s.b.At-s.a.At)
	half := neper * (s.b.DB - s.a.DB) / 2
	walk(dst, at-s.a.At, func(row []float32, n int64) {
		for k := 0; k < len(row); k += stride {
			sin, cos := math.Sincos(w * float64(n+int64(k)))
			d1, d2, d3 := half*w*sin, half*w*w*cos, -half*w*w*w*sin
			g, r, q, c := math.Exp(neper*s.a.DB+half*(1-cos)), math.Exp(d1+d2/2+d3/6), math.Exp(d2+d3), math.Exp(d3)
			part := row[k:min(k+stride, len(row))]
			for i := range part {
				part[i] = float32(g)
				g *= r
				r *= q
				q *= c
			}
		}
	})
}

// How many samples of an eased slope a cubic stands for, of short ones and of long ones.
const (
	easedStride = 16
	longStride  = 64
)

// rideStride is how long a row is that a slope is walked in.
const rideStride = 256

// walk writes factors from place n of a slope on, row by row: each begins at a multiple
// of rideStride and is filled from there, whatever is needed of it, so that it is the same
// however the slope is cut up.
func walk(dst []float32, n int64, fill func(row []float32, n int64)) {
	var room [rideStride]float32
	for len(dst) > 0 {
		skip := int(n % rideStride)
		k := min(rideStride-skip, len(dst))
		if skip == 0 {
			fill(dst[:k], n)
		} else {
			fill(room[:skip+k], n-int64(skip))
			copy(dst, room[skip:skip+k])
		}
		dst, n = dst[k:], n+int64(k)
	}
}

// Apply multiplies samples from, from+1 … by the line.
func (r Ride) Apply(v []float32, from int64) {
	if len(r.nodes) == 0 {
		return
	}
	var line [2048]float32
	for done := 0; done < len(v); done += len(line) {
		part := v[done:min(done+len(line), len(v))]
		at := from + int64(done)
		if level, flat := r.Flat(at, at+int64(len(part))); flat {
			if level != 1 {
				by := float32(level)
				for i := range part {
					part[i] *= by
				}
			}
			continue
		}
		g := line[:len(part)]
		r.Fill(g, at)
		part = part[:len(g)]
		for i, k := range g {
			part[i] *= k
		}
	}
}
