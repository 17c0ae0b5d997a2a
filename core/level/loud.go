package level

import (
	"context"
	"fmt"
	"math"

	"blendseam/core/gain"
	"blendseam/core/measure"
	"blendseam/core/mix"
	"blendseam/core/reel"
)

// Loud is how loud a span of a reel is as it sounds.
type Loud struct {
	Integrated float64    `json:"integrated"` // LUFS, gated; −70 where nothing passes the gate
	Range      float64    `json:"range"`      // LU
	Momentary  float64    `json:"momentary"`  // LUFS, the loudest 400 ms
	ShortTerm  float64    `json:"shortTerm"`  // LUFS, the loudest 3 s
	TruePeak   float64    `json:"truePeak"`   // dBTP; −144 for silence
	Peak       [2]float64 `json:"peak"`       // dBFS, largest sample of each side
	RMS        [2]float64 `json:"rms"`        // dBFS of each side
	Verdict    Verdict    `json:"verdict"`    // of the loudness
	PeakOver   bool       `json:"peakOver"`   // the true peak is over its limit
	Says       string     `json:"says"`       // of the loudness, against the target
	Course     []float64  `json:"course"`     // LUFS of 3 s, a value each half second
	Places     []Outside  `json:"places"`     // that are outside of what is asked for
}

// Verdict is what is said of a loudness held against a target.
type Verdict string

// What a loudness can be.
const (
	Meets   Verdict = "fine"
	Misses  Verdict = "mend"
	NoSound Verdict = "unknown" // nothing passes the gate
)

// judge holds the loudness against the target.
func (l *Loud) judge(t reel.Target) {
	l.PeakOver = l.TruePeak > t.TruePeak
	l.Verdict, l.Says = Against(t, l.Integrated)
}

// Against holds an integrated loudness against a target, and says how they compare.
func Against(t reel.Target, lufs float64) (verdict Verdict, says string) {
	switch off := lufs - t.LUFS; {
	case lufs <= measure.NoLoudness:
		return NoSound, "nothing to measure"
	case t.Meets(lufs):
		return Meets, "meets " + LUFS(t.LUFS)
	case off > 0:
		return Misses, fmt.Sprintf("%.1f LU above %s", off, LUFS(t.LUFS))
	default:
		return Misses, fmt.Sprintf("%.1f LU below %s", -off, LUFS(t.LUFS))
	}
}

// Kinds of places outside of a target.
const (
	OverPeak   = "peak"       // the true peak is over its limit
	SpeechLow  = "speechLow"  // peaks of speech stay under the corridor
	SpeechHigh = "speechHigh" // they go over it
)

// Outside is a part of a reel that does not meet its target.
type Outside struct {
	reel.Stretch
	What  string  `json:"what"`
	DB    float64 `json:"db"`
	Words string  `json:"words"`
	Clip  reel.ID `json:"clip,omitempty" doc:"of speech, the clip in which it is the highest"`
}

// CourseStep is how far apart the values of a course lie, in seconds, and
// CourseWindow how long each listens.
const (
	CourseStep   = 0.5
	CourseWindow = 3.0
)

// Measure listens to a span of a reel: all of it as it sounds, and its speech alone.
// What is remembered of it is not listened to again. Progress goes from 0 to 1.
func Measure(ctx context.Context, r *reel.Reel, open mix.Open, span reel.Stretch, kept Memory, progress func(float64)) (Loud, error) {
	rate := r.Props.SampleRate
	target := r.Props.Target.Full()
	ear := newListener(only(r, ""), open)
	l := measure.NewLoudness(rate, 2)
	var sums, tops [2]float64
	out := Loud{TruePeak: measure.Silence, Places: []Outside{}}
	size := int64(pieceSeconds * rate)
	for at := span.From; at < span.To; at += size {
		if err := ctx.Err(); err != nil {
			return out, err
		}
		end := min(at+size, span.To)
		p, err := ear.piece(ctx, kept.Pieces, at, end)
		if err != nil {
			return out, err
		}
		if p.Invalid >= 0 {
			where := r.Props.FrameRate.Format(r.Props.FrameRate.Frame(at+p.Invalid, rate) + r.Props.StartFrame)
			return out, &reel.Refusal{Reason: "Invalid samples (NaN or infinite) at " + where + ".", Possible: "Remove the clip that has them."}
		}
		l.Join(p.Hops)
		for k, db := range p.TruePeaks {
			from := at + int64(k*rate)
			if out.TruePeak = max(out.TruePeak, db); db > target.TruePeak {
				out.over(reel.Stretch{From: from, To: min(from+int64(rate), end)}, db)
			}
		}
		for ch := range tops {
			tops[ch], sums[ch] = max(tops[ch], p.Peak[ch]), sums[ch]+p.Sum[ch]
		}
		progress(0.6 * float64(end-span.From) / float64(span.To-span.From))
	}
	n := float64(max(span.To-span.From, 1))
	for ch := range tops {
		out.Peak[ch], out.RMS[ch] = floorDB(gain.ToDB(tops[ch])), floorDB(10*math.Log10(sums[ch]/n))
	}
	out.Integrated, out.Range, out.Momentary, out.ShortTerm = l.Integrated(), l.Range(), l.Momentary(), l.ShortTerm()
	out.judge(target)
	out.Course = l.Course(int(CourseWindow*10), int(CourseStep*10))
	err := out.speech(ctx, r, open, span, kept.Phrases, progress)
	progress(1)
	return out, err
}

func floorDB(db float64) float64 { return max(db, measure.Silence) }

// over notes that the true peak is over its limit; seconds in a row are one place.
func (l *Loud) over(s reel.Stretch, db float64) {
	if n := len(l.Places); n > 0 && l.Places[n-1].To == s.From {
		p := &l.Places[n-1]
		p.To, p.DB = s.To, max(p.DB, db)
		p.Words = peakOver(p.DB)
		return
	}
	l.Places = append(l.Places, Outside{s, OverPeak, db, peakOver(db), 0})
}

func peakOver(db float64) string { return fmt.Sprintf("true peak %s", signed(db, "dBTP")) }

// phrase is the pause that parts two phrases of speech, in seconds.
const phrase = 0.7

// speech listens to the dialogue tracks alone, phrase by phrase: peaks of each lie in
// the corridor, or it is a place.
func (l *Loud) speech(ctx context.Context, r *reel.Reel, open mix.Open, span reel.Stretch, kept Keeper[Phrase], progress func(float64)) error {
	said, err := Speech(ctx, r, open, span)
	if err != nil {
		return err
	}
	said = reel.Ducking{ByDB: 1, Bridge: int64(phrase * float64(r.Props.SampleRate))}.Bridged(said)
	target := r.Props.Target.Full()
	heard := only(r, reel.Dialogue)
	ear := newListener(heard, open)
	for i, s := range said {
		progress(0.6 + 0.4*float64(i)/float64(len(said)))
		s.From, s.To = max(s.From, span.From), min(s.To, span.To)
		if s.To <= s.From {
			continue
		}
		p, err := ear.phrase(ctx, kept, s)
		if err != nil {
			return err
		}
		what, word := "", ""
		switch db := p.decibels(); {
		case db < target.Low:
			what, word = SpeechLow, ", too low"
		case db > target.High:
			what, word = SpeechHigh, ", too high"
		default:
			continue
		}
		l.Places = append(l.Places, Outside{s, what, p.decibels(), "speech peaks at " + signed(p.decibels(), "dBFS") + word, spoken(heard, s.From+p.Highest)})
	}
	return nil
}

// spoken is the clip that is heard at a place; of several the last that began.
func spoken(r *reel.Reel, at int64) (out reel.ID) {
	began := int64(-1)
	for _, c := range r.Clips {
		if t, _ := r.Track(c.Track); !t.Mute && at >= c.Start && at < c.End() && c.Start > began {
			out, began = c.ID, c.Start
		}
	}
	return out
}
