package seam

import (
	"fmt"
	"math"
	"strings"

	"blendseam/core/reel"
)

// Verdict is what becomes of a seam.
type Verdict string

const (
	Fine Verdict = "fine" // nothing is heard of it
	Hear Verdict = "hear" // it wants listening to
	Mend Verdict = "mend" // it is broken
)

// rank orders verdicts, the worst last.
func (v Verdict) rank() int {
	switch v {
	case Mend:
		return 2
	case Hear:
		return 1
	}
	return 0
}

// Finding is one number with the limits it is held against.
type Finding struct {
	What    string  `json:"what"` // click, room, struck, colour, voice, dip, hole, word or material
	Value   float64 `json:"value"`
	Unit    string  `json:"unit"`
	Hear    float64 `json:"hear"` // from where on to be heard; −1 for never
	Mend    float64 `json:"mend"`
	Verdict Verdict `json:"verdict"`
	weight  float64 // how far beyond its limit
}

// Judgement is a seam with a verdict and why.
type Judgement struct {
	Measure
	Verdict  Verdict   `json:"verdict"`
	Why      string    `json:"why"`   // a sentence
	Brief    string    `json:"brief"` // a few words
	Findings []Finding `json:"findings"`
	Score    float64   `json:"score"` // orders seams, the worst highest
}

// Judge holds a measure against limits.
func (m Measure) Judge(limits reel.Tolerances) Judgement {
	l := limits.Full()
	out := Judgement{Measure: m, Verdict: Fine}
	if m.Lacks != "" {
		out.Findings = []Finding{{What: "material", Verdict: Mend, weight: 10}}
	} else if !m.Muted {
		cut, struck := m.Kind == reel.CutSeam, m.Kind == reel.StruckSeam
		out.hold("click", m.Click, "dB", l.Click, true)
		out.hold("struck", m.Step, "dB", l.Room, struck && m.Hole == 0 && (m.Role == reel.Dialogue || m.Role == reel.RoomTone))
		out.hold("hole", 1000*float64(m.Hole)/float64(max(m.rate, 1)), "ms", l.Hole, (m.Kind == reel.TailSeam || struck) && !m.Edges)
		out.hold("room", m.Room, "dB", l.Room, (m.Role == reel.Dialogue || m.Role == reel.RoomTone) && m.Hole == 0 && !struck)
		out.hold("colour", m.Tint, "dB", l.Colour, cut && m.Out != nil && m.In != nil && m.Out.known && m.In.known)
		if m.Out != nil && m.In != nil {
			out.hold("voice", m.In.Voice-m.Out.Voice, "LU", l.Voice, cut && m.Out.Voiced && m.In.Voiced)
			out.hold("dip", m.Dip, "dB", l.Dip, cut && m.Blend.ID != 0 && m.Blend.Length() >= int64(m.rate)/50)
			out.hold("word", min(m.Out.Edge, m.In.Edge), "dB", l.Word, cut && m.Role == reel.Dialogue && !(m.Continues && m.Blend.ID == 0))
		}
	}
	var worst *Finding
	for i := range out.Findings {
		f := &out.Findings[i]
		if f.Verdict.rank() > out.Verdict.rank() || worst != nil && f.Verdict == worst.Verdict && f.weight > worst.weight {
			out.Verdict, worst = f.Verdict, f
		}
	}
	if worst != nil {
		out.Score = float64(worst.Verdict.rank())*1000 + min(worst.weight, 99)
	}
	out.Why, out.Brief = m.words(worst, l)
	return out
}

// hold adds a finding; what does not apply at this seam is left out.
func (j *Judgement) hold(what string, value float64, unit string, t reel.Tolerance, applies bool) {
	if !applies {
		return
	}
	f := Finding{What: what, Value: value, Unit: unit, Hear: t.Hear, Mend: t.Mend, Verdict: Fine}
	size := math.Abs(value)
	if what == "click" || what == "word" {
		size = value
	}
	switch {
	case t.Mend >= 0 && size >= t.Mend:
		f.Verdict, f.weight = Mend, size/max(t.Mend, 0.1)
	case t.Hear >= 0 && size >= t.Hear:
		f.Verdict, f.weight = Hear, size/max(t.Hear, 0.1)
	}
	j.Findings = append(j.Findings, f)
}

// words say what a seam is like, and what would help.
func (m Measure) words(f *Finding, l reel.Tolerances) (why, brief string) {
	if f == nil {
		switch {
		case m.Muted:
			return "The track is muted, so this is not heard.", "muted"
		case m.Kind == reel.StruckSeam && m.Cover:
			return "What is struck is covered: the room goes on through it.", "covered"
		case m.Kind == reel.StruckSeam:
			return "What is struck leaves no hole: what lies under it goes on.", "struck"
		case m.Continues && m.Blend.ID == 0:
			return "One clip goes on where the other ends: nothing is heard of the cut.", "goes on"
		case m.Kind == reel.CutSeam && m.Blend.ID != 0:
			return "The blend carries it: level, room and join stay within their limits.", ""
		}
		return "Level, room and join stay within their limits.", ""
	}
	v := math.Abs(f.Value)
	switch f.What {
	case "material":
		return sentence(m.Lacks) + " Trim it back, or bring the recording in again.", "material missing"
	case "struck":
		switch {
		case f.Value > 0:
			return fmt.Sprintf("The room rises %.1f dB where this is struck. Take other tone, or turn it down.", v), "room " + signed(f.Value, "dB")
		case m.Cover:
			return fmt.Sprintf("The room drops %.1f dB where this is struck, though tone lies under it. Take other tone, or turn it up.", v), "room " + signed(f.Value, "dB")
		}
		return fmt.Sprintf("Nothing lies under what is struck: the room drops %.1f dB. Cover it with tone.", v), "nothing under it"
	case "hole":
		ms := v
		if m.Kind == reel.StruckSeam {
			return fmt.Sprintf("Nothing lies under what is struck: the programme is digital silence for %s. Cover it with tone.", span(ms)), span(ms) + " of silence"
		}
		return fmt.Sprintf("The programme is digital silence for %s from here. Let the sound run on from its handle, lay room tone in, or close the gap.", span(ms)), span(ms) + " of silence"
	case "click":
		help := "A blend of a frame or two takes it away."
		switch {
		case m.Kind != reel.CutSeam:
			help = "A fade of a few milliseconds takes it away."
		case m.Blend.ID != 0:
			help = "The blend is too short for it; a longer one, or a better cut nearby, takes it away."
		}
		return fmt.Sprintf("It clicks: the join steps out by %.0f dB over what the sound around it foretells. %s", v, help), fmt.Sprintf("click %.0f dB over", v)
	case "room":
		does := "drops"
		if f.Value > 0 {
			does = "rises"
		}
		need := 1000 * glide * math.Abs(m.Step) / math.Max(0.9*l.Room.Hear, 0.1)
		need = math.Ceil(need/20) * 20
		help := fmt.Sprintf("A blend of %s, or tone underneath, would carry it.", span(need))
		if m.Kind != reel.CutSeam {
			help = fmt.Sprintf("A fade of %s, or tone underneath, would carry it.", span(need))
		}
		when := "when the cut comes"
		switch {
		case m.Kind == reel.HeadSeam:
			when = "when the clip begins"
		case m.Kind == reel.TailSeam:
			when = "when the clip ends"
		case m.Blend.ID != 0:
			when = "through the blend"
		}
		return fmt.Sprintf("The room %s %.1f dB %s. %s", does, math.Abs(m.Step), when, help), fmt.Sprintf("room tone %s", signed(m.Step, "dB"))
	case "colour":
		return fmt.Sprintf("The rooms differ in colour by %.1f dB. A longer blend, or tone underneath, hides it.", v), fmt.Sprintf("room colour %.1f dB", v)
	case "voice":
		what := "voice"
		if m.Role == reel.Music {
			what = "music"
		}
		does := "lower"
		if f.Value > 0 {
			does = "louder"
		}
		return fmt.Sprintf("The %s goes on %.1f LU %s than before. Set the gain of one of the clips nearer to the other.", what, v, does), fmt.Sprintf("level %s", signed(f.Value, "LU"))
	case "dip":
		if f.Value < 0 {
			return fmt.Sprintf("The level dips by %.1f dB through the blend%s. Constant power or the matched law would hold it.", v, m.likeness()), fmt.Sprintf("dips %.1f dB", v)
		}
		return fmt.Sprintf("The level swells by %.1f dB through the blend%s. Constant gain or the matched law would hold it.", v, m.likeness()), fmt.Sprintf("swells %.1f dB", v)
	case "word":
		return fmt.Sprintf("The cut lies in sound, %.0f dB over the room on both sides: it may cut into a word. Look for a better cut nearby.", v), "cuts into sound"
	}
	return "", ""
}

func (m Measure) likeness() string {
	if m.Like == nil {
		return ""
	}
	return fmt.Sprintf(", as the two sides are alike by %.2f", m.Like.R)
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
