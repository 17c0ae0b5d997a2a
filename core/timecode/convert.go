package timecode

// Shown is the frame of this rate that is on when frame n of another rate
// begins, both counted from the same moment: what of a picture is seen where a
// reel counts its frames otherwise.
func (r Rate) Shown(n int64, of Rate) int64 {
	// n·(of.Den/of.Num)·(r.Num/r.Den), rounded down.
	a, b := of.Den*r.Num, of.Num*r.Den
	if a == b {
		return n
	}
	q := mulDivRound(n, a, b)
	// The product is rounded: go back where that went up. Both sides stay far
	// below 2^63, as a day has fewer than 2^23 frames and a, b below 2^27.
	if q*b > n*a {
		q--
	}
	return q
}

// Lasts is how many whole frames of this rate fit into n of another.
func (r Rate) Lasts(n int64, of Rate) int64 { return r.Shown(n, of) }
