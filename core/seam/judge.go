package seam

import (
	"math"

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
