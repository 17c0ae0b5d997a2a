package seam

import (
	"math"

	"blendseam/core/reel"
)

// Verdict is what becomes of a seam.
type Verdict string

const (
	Fine  Verdict = "fine"  // nothing is heard of it
	Check Verdict = "check" // it wants listening to
	Mend  Verdict = "mend"  // it is broken

	// Silent says that nothing is heard of it: its track is muted.
	Silent Verdict = "muted"
	// Unknown says that nothing is wrong by what could be measured, and that the
	// room could not be.
	Unknown Verdict = "unknown"
)

// rank orders verdicts, the worst last.
func (v Verdict) rank() int {
	switch v {
	case Mend:
		return 3
	case Check:
		return 2
	case Unknown:
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
	Verdict Verdict `json:"verdict"`
	// What is the kind of the finding that decides, "" where there is none: a code,
	// as Why and Brief are for people.
	What     string    `json:"what,omitempty"`
	Why      string    `json:"why"`   // a sentence
	Brief    string    `json:"brief"` // a few words
	Findings []Finding `json:"findings"`
	Score    float64   `json:"score"` // orders seams, the worst highest
}

// Judge holds a measure against limits.
func (m Measure) Judge(limits reel.Tolerances) Judgement {
	l := limits.Full()
	out := Judgement{Measure: m, Verdict: Fine}
	if m.Absent { // nothing can be said of it; those that can be mended come first
		out.Findings = []Finding{{What: "material", Verdict: Unknown, weight: 1}}
	} else if m.Lacks != "" {
		out.Findings = []Finding{{What: "material", Verdict: Mend, weight: 10}}
	} else if m.Muted {
		out.Verdict = Silent
	} else {
		cut, struck := m.Kind == reel.CutSeam, m.Kind == reel.StruckSeam
		out.hold("click", m.Click, "dB", l.Click, true)
		airs := (m.Role == reel.Dialogue || m.Role == reel.RoomTone) && m.Hole == 0
		out.holdRoom("struck", m.Step, m.Off, l.Room, struck && airs)
		out.hold("hole", 1000*float64(m.Hole)/float64(max(m.rate, 1)), "ms", l.Hole, (m.Kind == reel.TailSeam || struck) && !m.Edges)
		out.holdRoom("room", m.Room, m.offRoom(), l.Room, !struck && airs && !(m.Continues && m.With.ID == 0))
		out.hold("colour", m.Tint, "dB", l.Colour, cut && m.coloured())
		if m.Out != nil && m.In != nil {
			out.hold("voice", m.In.Voice-m.Out.Voice, "LU", widened(l.Voice, min(m.In.Said, m.Out.Said), m.Role), cut && m.Out.Voiced && m.In.Voiced)
			out.hold("dip", m.Dip, "dB", l.Dip, cut && m.With.ID != 0 && m.With.Length() >= int64(m.rate)/50)
			out.hold("word", min(m.Out.Edge, m.In.Edge), "dB", l.Word, cut && m.Role == reel.Dialogue && !(m.Continues && m.With.ID == 0))
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
		out.What = worst.What
		out.Score = float64(worst.Verdict.rank())*1000 + min(worst.weight, 99)
	}
	out.Why, out.Brief = m.words(worst, l)
	return out
}

// offRoom is the uncertainty of what counts of the step within glide.
func (m *Measure) offRoom() float64 {
	if m.Step == 0 {
		return m.Off
	}
	return m.Off * math.Abs(m.Room/m.Step)
}

// standsOut is how many standard uncertainties are taken off a step before it
// has to reach a half of the limit for a check, three quarters of it to mend.
const standsOut = 1.5

// holdRoom adds a finding on the room. A step that does not stand out of what
// is uncertain about it is not known, as is one of rooms that were not heard.
func (j *Judgement) holdRoom(what string, value, unsure float64, t reel.Tolerance, applies bool) {
	if !applies {
		return
	}
	if !j.Known && !j.Edges {
		j.Findings = append(j.Findings, Finding{What: what, Unit: "dB", Hear: t.Hear, Mend: t.Mend, Verdict: Unknown, weight: 1})
		return
	}
	j.hold(what, value, "dB", t, true)
	f := &j.Findings[len(j.Findings)-1]
	size := math.Abs(value) - standsOut*unsure
	switch {
	case f.Verdict == Mend && size < 0.75*t.Mend && t.Hear >= 0 && size >= t.Hear/2:
		f.Verdict, f.weight = Check, math.Abs(value)/max(t.Hear, 0.1)
	case f.Verdict == Mend && size < 0.75*t.Mend, f.Verdict == Check && size < t.Hear/2:
		f.Verdict, f.weight = Unknown, 1
	}
}

// widened are the limits of a step in the voice where less than 4 s of it are
// heard on a side: one speaker at one gain varies by chance, the more the
// shorter one listens. Each halving of the time adds so much to the lower limit
// and once and a half of that to the upper.
func widened(t reel.Tolerance, seconds float64, role reel.Role) reel.Tolerance {
	if role != reel.Dialogue || seconds >= enoughSaid {
		return t
	}
	by := perHalving * math.Log2(enoughSaid/max(seconds, leastVoice))
	if t.Hear >= 0 {
		t.Hear = math.Round(10*(t.Hear+by)) / 10
	}
	if t.Mend >= 0 {
		t.Mend = math.Round(10*(t.Mend+1.5*by)) / 10
	}
	return t
}

const (
	enoughSaid = 4.0 // seconds
	perHalving = 1.2 // LU
)

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
		f.Verdict, f.weight = Check, size/max(t.Hear, 0.1)
	}
	j.Findings = append(j.Findings, f)
}
