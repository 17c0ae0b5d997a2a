package seam

import (
	"fmt"
	"math"
	"strings"

	"blendseam/core/floor"
	"blendseam/core/reel"
)

// words say what a seam is like, and what would help. They are read on every
// seam: what it is first, then what to do.
func (m Measure) words(f *Finding, l reel.Tolerances) (why, brief string) {
	if f == nil {
		return m.fine()
	}
	v := math.Abs(f.Value)
	if m.Absent {
		return sentence(m.Lacks) + " Locate its file under Sources.", "missing media"
	}
	if f.Verdict == Unknown {
		if m.WhyNot != "" {
			return m.WhyNot, "room not known"
		}
		return fmt.Sprintf("Room perhaps %s, ±%.1f dB: heard in one short pause only. Listen.", signed(f.Value, "dB"), standsOut*m.offRoom()), "room not known"
	}
	switch f.What {
	case "material":
		return sentence(m.Lacks) + " Trim it back, or import the recording again.", "material missing"
	case "struck":
		brief = "room " + signed(f.Value, "dB")
		switch {
		case f.Value > 0:
			return fmt.Sprintf("Room rises %.1f dB at the strike. Choose another cover, or lower it.", v), brief
		case m.Cover:
			return fmt.Sprintf("Room drops %.1f dB at the strike. Choose another cover, or raise it.", v), brief
		}
		return fmt.Sprintf("No room tone under the strike: the room drops %.1f dB. Cover it.", v), "nothing under it"
	case "hole":
		brief = span(v) + " of silence"
		if m.Kind == reel.StruckSeam {
			return fmt.Sprintf("No room tone under the strike: %s of digital silence. Cover it.", span(v)), brief
		}
		return fmt.Sprintf("%s of digital silence from here. Extend the clip, add room tone, or close the gap.", span(v)), brief
	case "click":
		where, help := "at the cut", "A blend of 1–2 frames removes it."
		switch {
		case m.Kind == reel.HeadSeam:
			where, help = "at the head", "A fade of a few milliseconds removes it."
		case m.Kind == reel.TailSeam:
			where, help = "at the tail", "A fade of a few milliseconds removes it."
		case m.Kind != reel.CutSeam:
			where, help = "at the strike", "A fade of a few milliseconds removes it."
		case m.With.ID != 0:
			help = "Make the blend longer, or find a better cut."
		}
		return fmt.Sprintf("Click %s, %.0f dB above prediction. %s", where, v, help), fmt.Sprintf("click %.0f dB over", v)
	case "room":
		does := "drops"
		if f.Value > 0 {
			does = "rises"
		}
		need := 1000 * glide * math.Abs(m.Step) / math.Max(0.9*l.Room.Hear, 0.1)
		need = math.Ceil(need/20) * 20
		with, when := "fade", "at the cut"
		switch {
		case m.Kind == reel.HeadSeam:
			when = "at the head"
		case m.Kind == reel.TailSeam:
			when = "at the tail"
		case m.With.ID != 0:
			with, when = "blend", "through the blend"
		case m.Kind == reel.CutSeam:
			with = "blend"
		}
		return fmt.Sprintf("Room %s %.1f dB %s. Use a %s of %s, or room tone under it.", does, math.Abs(m.Step), when, with, span(need)), fmt.Sprintf("room tone %s", signed(f.Value, "dB"))
	case "colour":
		return fmt.Sprintf("Room spectra differ by %.1f dB. Use a longer blend, or room tone under it.", v), fmt.Sprintf("room spectrum %.1f dB", v)
	case "voice":
		what := "Voice"
		if m.Role == reel.Music {
			what = "Music"
		}
		brief = fmt.Sprintf("level %s", signed(f.Value, "LU"))
		if f.Value > 0 {
			return fmt.Sprintf("%s rises %.1f LU. Lower the incoming clip, or raise the outgoing one.", what, v), brief
		}
		return fmt.Sprintf("%s drops %.1f LU. Raise the incoming clip, or lower the outgoing one.", what, v), brief
	case "dip":
		if f.Value < 0 {
			return fmt.Sprintf("Level dips %.1f dB through the blend%s. Use constant power or matched.", v, m.likeness()), fmt.Sprintf("dips %.1f dB", v)
		}
		return fmt.Sprintf("Level swells %.1f dB through the blend%s. Use constant gain or matched.", v, m.likeness()), fmt.Sprintf("swells %.1f dB", v)
	case "word":
		return fmt.Sprintf("Cut inside sound, %.0f dB above the room on both sides: perhaps a word. Find a better cut.", v), "cuts into sound"
	}
	return "", ""
}

// unheard is why the step of the room is not known, "" where it is.
func (m *Meter) unheard(out *Measure, own, next bool) string {
	left, _ := m.r.Clip(out.Left)
	right, _ := m.r.Clip(out.Right)
	switch {
	case !own && !next:
		return fmt.Sprintf("Room not known: “%s” and “%s” have no pause within %.0f s of the cut to hear it in.", left.Name, right.Name, floor.Reach)
	case !own:
		return fmt.Sprintf("Room not known: “%s” has no pause within %.0f s of the cut to hear it in.", left.Name, floor.Reach)
	case !next:
		return fmt.Sprintf("Room not known: “%s” has no pause within %.0f s of the cut to hear it in.", right.Name, floor.Reach)
	case !out.Known:
		return fmt.Sprintf("Room not known: a clip under the cut has no pause within %.0f s to hear it in.", floor.Reach)
	}
	return ""
}

// fine are the words of a seam without a finding.
func (m Measure) fine() (why, brief string) {
	switch {
	case m.Muted:
		return "Not heard: the track is muted.", "not heard, muted"
	case m.Kind == reel.StruckSeam && m.Cover:
		return "Covered: the room continues through the strike.", "covered"
	case m.Kind == reel.StruckSeam:
		return "No hole: other sound is under the strike.", "struck"
	case m.Continues && m.With.ID == 0:
		return "Continuous: the recording plays on across the cut.", "continuous"
	case m.Kind == reel.CutSeam && m.With.ID != 0:
		return "Blend OK: level, room and join are within limits.", ""
	}
	return "OK: level, room and join are within limits.", ""
}

func (m Measure) likeness() string {
	if m.Like == nil {
		return ""
	}
	return fmt.Sprintf(" (correlation %s)", strings.ReplaceAll(fmt.Sprintf("%.2f", m.Like.R), "-", "−"))
}

func sentence(s string) string {
	if s == "" {
		return s
	}
	r := []rune(s)
	return strings.ToUpper(string(r[0])) + string(r[1:]) + "."
}

// span says milliseconds as people do.
func span(ms float64) string {
	if ms >= 1000 {
		return fmt.Sprintf("%.1f s", ms/1000)
	}
	return fmt.Sprintf("%.0f ms", ms)
}

// signed writes a number with a true minus sign.
func signed(v float64, unit string) string {
	if v < 0 {
		return fmt.Sprintf("−%.1f %s", -v, unit)
	}
	return fmt.Sprintf("+%.1f %s", v, unit)
}
