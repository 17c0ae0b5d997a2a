package reel

import "math"

// limits narrows a wish to what is possible and keeps what stands in the way
// on either side. Nothing, 0, always lies within.
type limits struct {
	low, high       int64
	whyLow, whyHigh *Refusal
}

func anything() limits { return limits{low: -math.MaxInt64, high: math.MaxInt64} }

func (l *limits) atLeast(n int64, why *Refusal) {
	if n > l.low {
		l.low, l.whyLow = n, why
	}
}

func (l *limits) atMost(n int64, why *Refusal) {
	if n < l.high {
		l.high, l.whyHigh = n, why
	}
}

// check is nil when by is within the limits, else the refusal with the
// furthest that is. The offer of it is made by fit, unless nothing is left.
func (l *limits) check(by int64, fit func(int64) Edit) error {
	var no *Refusal
	switch {
	case by < l.low:
		no, by = l.whyLow, l.low
	case by > l.high:
		no, by = l.whyHigh, l.high
	default:
		return nil
	}
	no.Limit = by
	if by != 0 {
		no.Offer = fit(by)
	}
	return no
}

// shifting is an edit that moves something by an amount.
type shifting[E any] interface {
	*E
	Edit
	amount() *int64
}

// byAnother is an edit by another amount, for a refusal to offer; none where
// that is nothing.
func byAnother[E any, P shifting[E]](e P, by int64) Edit {
	if by == 0 {
		return nil
	}
	other := *e
	*P(&other).amount() = by
	return P(&other)
}
