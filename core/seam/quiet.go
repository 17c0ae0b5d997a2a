package seam

import (
	"math"
	"slices"

	"blendseam/core/floor"
	"blendseam/core/reel"
)

// wordMargin is what is left before and after a word, in seconds.
const wordMargin = 0.02

// words are the stretches of a clip's source in which something is said or
// otherwise sounds over the room, around a place in it: as edges in samples, by
// time. What lies less than a stop's closure apart is one.
func (m *Meter) words(c reel.Clip, at, reach int64) ([]floor.Run, error) {
	src, _ := m.r.Source(c.Source)
	room, err := m.ear.Room(src, at)
	if err != nil {
		return nil, err
	}
	p, first, err := m.ear.Powers(src, at-reach, at+reach)
	if err != nil {
		return nil, err
	}
	runs := floor.Runs(room.Over(p), first)
	hop := int64(floor.Hop(m.rate))
	for i := range runs { // a frame holds two hops
		runs[i].From, runs[i].To = runs[i].From*hop, (runs[i].To+1)*hop
	}
	return runs, nil
}

// quiet is how far a clip's material stays free of words from a place in its
// source on, at most so many samples; backwards when ahead is false.
func (m *Meter) quiet(c reel.Clip, from int64, ahead bool, most int64) (int64, error) {
	if src, _ := m.r.Source(c.Source); src.Bed.Grown() {
		return most, nil
	}
	runs, err := m.words(c, from, most+m.seconds(1))
	if err != nil {
		return 0, err
	}
	margin := m.seconds(wordMargin)
	free := most
	for _, r := range runs {
		if ahead && r.To > from {
			free = min(free, max(r.From-margin-from, 0))
		}
		if !ahead && r.From < from {
			free = min(free, max(from-r.To-margin, 0))
		}
	}
	return free, nil
}

// rolls is how far a cut may move each way without a word being lost or let in:
// one that the cut parts may be completed, no other is reached.
func (m *Meter) rolls(left, right reel.Clip, most int64) (earlier, later int64, err error) {
	end := left.Offset + left.Length
	tail, err := m.words(left, end, most+m.seconds(1))
	if err != nil {
		return 0, 0, err
	}
	head, err := m.words(right, right.Offset, most+m.seconds(1))
	if err != nil {
		return 0, 0, err
	}
	margin := m.seconds(wordMargin)
	ahead := func(runs []floor.Run, from int64, completes bool) int64 {
		for _, r := range runs {
			if r.To > from && !(completes && r.From < from) {
				return min(most, max(r.From-margin-from, 0))
			}
		}
		return most
	}
	behind := func(runs []floor.Run, from int64, completes bool) int64 {
		for _, r := range slices.Backward(runs) {
			if r.From < from && !(completes && r.To > from) {
				return min(most, max(from-r.To-margin, 0))
			}
		}
		return most
	}
	later = min(ahead(tail, end, true), ahead(head, right.Offset, false))
	earlier = min(behind(head, right.Offset, true), behind(tail, end, false))
	return earlier, later, nil
}

// hushedAt is the level of the room at a clip's edge, no lower than what is not
// told from silence.
func (m *Meter) hushedAt(c reel.Clip, outgoing bool) (float64, error) {
	s, err := m.room(c, outgoing)
	if err != nil {
		return hushed, err
	}
	return math.Max(s.Room, hushed), nil
}
