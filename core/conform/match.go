package conform

import (
	"slices"
	"strings"

	"blendseam/core/reel"
)

// sought is a source that is looked for among recordings.
type sought struct {
	names   []string // that it or its file has
	tape    string
	picture bool
	from    int64 // the timecode that is needed of it, samples from midnight
	to      int64 //
	zero    int64 // where it begins, −1 when not known
	length  int64 // its own, 0 when not known
	frame   int64 // samples of a frame: as exact as lists are
}

// found is how sure it is that a recording is what is looked for, and by what.
type found struct {
	points int
	why    string
}

// sure reports whether it may be taken without asking. What holds the same time of day
// alone may be of another recorder.
func (f found) sure() bool { return f.points >= 4 }

// match holds a recording against what is looked for: by its name or tape, its timecode
// and its length.
func (n sought) match(s reel.Source) found {
	if s.Missing() || s.Bed.Grown() || s.Shows() != n.picture {
		return found{}
	}
	near := func(a, b int64) bool { return max(a-b, b-a) <= n.frame }
	long := n.length > 0 && near(s.Length, n.length)
	zero := n.begins(s)
	holds := n.from >= zero && n.to <= zero+s.Length+1
	var f found
	switch {
	case slices.ContainsFunc(n.names, func(name string) bool { return Same(s.Name, name) }):
		f = found{6, "name"}
	case Same(s.Tape, n.tape), Same(s.Name, n.tape), slices.ContainsFunc(n.names, func(name string) bool { return Same(s.Tape, name) }):
		f = found{5, "tape"}
	case s.StartTC >= 0 && n.zero >= 0 && near(s.StartTC, n.zero) && long:
		return found{4, "timecode and length"}
	case s.StartTC >= 0 && n.to > n.from && holds:
		return found{1, "timecode only"}
	default:
		return f
	}
	if !holds && s.StartTC >= 0 && (n.to <= zero || n.from >= zero+s.Length) {
		return found{} // of another time
	}
	also := []string{f.why}
	if holds {
		f.points += 4
		if s.StartTC >= 0 {
			also = append(also, "timecode")
		}
	}
	if long {
		f.points += 2
		also = append(also, "length")
	}
	if last := len(also) - 1; last > 0 {
		f.why = strings.Join(also[:last], ", ") + " and " + also[last]
	}
	return f
}

// begins is the timecode at which a recording begins, as far as it and what is looked for
// tell: its own, the other's, or the earliest that is asked of it when it cannot be
// counted from zero.
func (n sought) begins(s reel.Source) int64 {
	switch {
	case s.StartTC >= 0:
		return s.StartTC
	case n.zero >= 0:
		return n.zero
	case n.to <= s.Length:
		return 0
	}
	return n.from
}
