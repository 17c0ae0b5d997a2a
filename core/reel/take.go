package reel

import "strings"

// take says in words what is done when an edit that is offered is taken: the
// label of a button.
func (p Props) take(e Edit) string {
	switch e := e.(type) {
	case *SetBlend:
		return "Take " + p.span(e.Before+e.After)
	case *SetFade:
		return "Take " + p.span(e.Fade.Length)
	case *Lead:
		if len(e.Cuts) == 1 {
			return takeLead(e.Frames)
		}
	case *SetStrike:
		switch {
		case e.From != nil && e.To != nil:
			return "Take " + p.span(*e.To-*e.From)
		case e.Fall != nil && e.Rise != nil:
			return "Take fades of " + p.span(e.Fall.Length)
		case e.Fall != nil:
			return "Take " + p.span(e.Fall.Length)
		case e.Rise != nil:
			return "Take " + p.span(e.Rise.Length)
		}
	case *Gain:
		if e.ToDB != nil {
			return "Set " + Decibels(*e.ToDB)
		}
		return "Take " + Decibels(*e.ByDB)
	case *SetPoint:
		return "Set the point that is there"
	case *MovePoints:
		return "Move as far as that"
	case *Move:
		return "Move it there"
	case *Place:
		return "Insert it there"
	case *Paste:
		return "Paste it there"
	case *Split:
		return "Split it at " + p.at(e.At)
	case *Slip:
		return "Slip it so"
	case *SetTrack:
		if e.Locked != nil && !*e.Locked {
			return "Unlock it"
		}
	case *CloseGap:
		if e.By > 0 {
			return "Close " + p.span(e.By)
		}
		return takeLater(e.Later)
	case *Trim:
		if later := takeLater(e.Later); later != takeIt {
			return later
		}
		return "Take " + p.shift(e.By)
	case *Roll:
		return "Take " + p.shift(e.By)
	case *Slide:
		return "Take " + p.shift(e.By)
	case *TrimTo:
		return takeLater(e.Later)
	case *Remove:
		return takeLater(e.Later)
	case *RemoveSpan:
		return takeLater(e.Later)
	case *KeepSpan:
		return takeLater(e.Later)
	case *InsertTime:
		return takeLater(e.Later)
	}
	return takeIt
}

// takeIt is what is said of an edit that has no words of its own.
const takeIt = "Do that"

func takeLater(l Later) string {
	switch l {
	case FollowTrack:
		return "Close the gap on this track only"
	case Stay:
		return "Leave the gap"
	}
	return takeIt
}

func takeLead(frames float64) string {
	if frames == 0 {
		return "Cut straight"
	}
	way, long, _ := strings.Cut(LeadWords(frames), " ")
	return "Let it " + strings.TrimSuffix(way, "s") + " " + long
}
