package floor

import "math"

// halfband parts a signal into its lower and upper half, each at half the rate,
// by two chains of all-pass sections. After R. A. Valenzuela and A. G.
// Constantinides, "Digital signal processing schemes for efficient interpolation
// and decimation", IEE Proceedings 130/6 (1983), from memory; the test measures
// what it lets through. What stays the same from sample to sample never reaches
// the upper half.
type halfband struct {
	x, y [2][2]float64 // of each chain and section: what went in and came out last
	old  float64       // a sample that waits for its pair
	odd  bool
}

// transition is the width of the region between the halves, as a part of the
// rate.
const transition = 0.04

// coefs are those of the sections, of the one chain and of the other in turn.
var coefs = design(4, transition)

// design computes the coefficients of an elliptic half-band filter.
func design(n int, transition float64) (out [4]float64) {
	k := math.Tan((1 - 2*transition) * math.Pi / 4)
	k *= k
	root := math.Pow(1-k*k, 0.25)
	e := 0.5 * (1 - root) / (1 + root)
	e4 := e * e * e * e
	q := e * (1 + e4*(2+e4*(15+150*e4)))
	order := float64(2*n + 1)
	for i := range out {
		c := float64(i + 1)
		var num, den float64
		for j := range 12 { // the terms vanish long before
			sign := 1 - 2*float64(j%2)
			num += sign * math.Pow(q, float64(j*(j+1))) * math.Sin(float64(2*j+1)*c*math.Pi/order)
			if j > 0 {
				den += sign * math.Pow(q, float64(j*j)) * math.Cos(2*float64(j)*c*math.Pi/order)
			}
		}
		w := num * math.Pow(q, 0.25) / (den + 0.5)
		w *= w
		x := math.Sqrt((1-w*k)*(1-w/k)) / (1 + w)
		out[i] = (1 - x) / (1 + x)
	}
	return out
}

// part takes samples, writes their lower half over them, and gives it with the
// power of the upper half and how many samples that has.
func (h *halfband) part(v []float64) (low []float64, power float64, n int) {
	low = v[:0]
	at := 0
	if h.odd && len(v) > 0 { // the last one waits for the first
		a, b := v[0], h.old
		l, u := h.pair(b, a)
		low, power, n = append(low, l), u*u, 1
		at, h.odd = 1, false
	}
	// The states stay in registers.
	c0, c1, c2, c3 := coefs[0], coefs[1], coefs[2], coefs[3]
	x00, y00, x01, y01 := h.x[0][0], h.y[0][0], h.x[0][1], h.y[0][1]
	x10, y10, x11, y11 := h.x[1][0], h.y[1][0], h.x[1][1], h.y[1][1]
	for ; at+1 < len(v); at += 2 {
		b, a := v[at], v[at+1]
		p := c0*(a-y00) + x00
		q := c1*(b-y10) + x10
		x00, y00, x10, y10 = a, p, b, q
		r := c2*(p-y01) + x01
		s := c3*(q-y11) + x11
		x01, y01, x11, y11 = p, r, q, s
		l := 0.5 * (r + s)
		u := r - l
		low = append(low, l)
		power += u * u
		n++
	}
	h.x[0][0], h.y[0][0], h.x[0][1], h.y[0][1] = x00, y00, x01, y01
	h.x[1][0], h.y[1][0], h.x[1][1], h.y[1][1] = x10, y10, x11, y11
	if at < len(v) {
		h.old, h.odd = v[at], true
	}
	return low, power, n
}

// pair takes two samples and gives one of each half.
func (h *halfband) pair(older, newer float64) (low, high float64) {
	v := [2]float64{newer, older}
	for c := range v {
		for s := range h.x[c] {
			y := coefs[2*s+c]*(v[c]-h.y[c][s]) + h.x[c][s]
			h.x[c][s], h.y[c][s], v[c] = v[c], y, y
		}
	}
	low = 0.5 * (v[0] + v[1])
	return low, v[0] - low
}

// settle brings it to where a constant input leaves it.
func (h *halfband) settle(v float64) {
	for c := range h.x {
		for s := range h.x[c] {
			h.x[c][s], h.y[c][s] = v, v
		}
	}
}

// calm keeps what dies away in silence from becoming numbers so small that
// processors are slow with them.
func (h *halfband) calm() {
	for c := range h.x {
		for s := range h.x[c] {
			if math.Abs(h.x[c][s]) < 1e-25 {
				h.x[c][s] = 0
			}
			if math.Abs(h.y[c][s]) < 1e-25 {
				h.y[c][s] = 0
			}
		}
	}
}
