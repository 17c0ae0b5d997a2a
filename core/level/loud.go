package level

import (
	"context"
	"fmt"
	"math"
	"slices"

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
	off := l.Integrated - t.LUFS
	switch {
	case l.Integrated <= measure.NoLoudness:
		l.Verdict, l.Says = NoSound, "nothing to measure"
	case t.Meets(l.Integrated):
		l.Verdict, l.Says = Meets, "meets "+LUFS(t.LUFS)
	case off > 0:
		l.Verdict, l.Says = Misses, fmt.Sprintf("%.1f LU above %s", off, LUFS(t.LUFS))
	default:
		l.Verdict, l.Says = Misses, fmt.Sprintf("%.1f LU below %s", -off, LUFS(t.LUFS))
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
// Progress goes from 0 to 1.
func Measure(ctx context.Context, r *reel.Reel, open mix.Open, span reel.Stretch, progress func(float64)) (Loud, error) {
	rate := r.Props.SampleRate
	target := r.Props.Target.Full()
	m, err := mix.New(r, open, mix.Options{})
	if err != nil {
		return Loud{}, err
	}
	l := measure.NewLoudness(rate, 2)
	var sums, tops [2]float64
	truePeak := measure.NewTruePeak(2)
	out := Loud{TruePeak: measure.Silence, Places: []Outside{}}
	left, right := make([]float32, rate), make([]float32, rate)
	for at := span.From; at < span.To; at += int64(rate) {
		n := min(int64(rate), span.To-at)
		v := [][]float32{left[:n], right[:n]}
		if err := m.Render(ctx, v[0], v[1], at); err != nil {
			return out, err
		}
		l.Add(v)
		truePeak.Add(v)
		db := truePeak.Lap()
		if out.TruePeak = max(out.TruePeak, db); db > target.TruePeak {
			out.over(reel.Stretch{From: at, To: at + n}, db)
		}
		for ch := range v {
			for _, x := range v[ch] {
				a := math.Abs(float64(x))
				if a != a || math.IsInf(a, 0) {
					return out, &reel.Refusal{Reason: "Invalid samples (NaN or infinite) at " + r.Props.FrameRate.Format(r.Props.FrameRate.Frame(at, rate)+r.Props.StartFrame) + ".", Possible: "Remove the clip that has them."}
				}
				tops[ch], sums[ch] = max(tops[ch], a), sums[ch]+a*a
			}
		}
		progress(0.6 * float64(at-span.From) / float64(span.To-span.From))
	}
	n := float64(max(span.To-span.From, 1))
	for ch := range tops {
		out.Peak[ch], out.RMS[ch] = floorDB(gain.ToDB(tops[ch])), floorDB(10*math.Log10(sums[ch]/n))
	}
	out.Integrated, out.Range, out.Momentary, out.ShortTerm = l.Integrated(), l.Range(), l.Momentary(), l.ShortTerm()
	out.judge(target)
	out.Course = l.Course(int(CourseWindow*10), int(CourseStep*10))
	err = out.speech(ctx, r, open, span, target, progress)
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
func (l *Loud) speech(ctx context.Context, r *reel.Reel, open mix.Open, span reel.Stretch, target reel.Target, progress func(float64)) error {
	said, err := Speech(ctx, r, open, span)
	if err != nil {
		return err
	}
	said = reel.Ducking{ByDB: 1, Bridge: int64(phrase * float64(r.Props.SampleRate))}.Bridged(said)
	var o mix.Options
	for _, t := range r.Tracks {
		if t.Role != reel.Dialogue {
			o.Without = append(o.Without, t.ID)
		}
	}
	m, err := mix.New(r, open, o)
	if err != nil {
		return err
	}
	var buf [2][]float32
	for i, s := range said {
		progress(0.6 + 0.4*float64(i)/float64(len(said)))
		s.From, s.To = max(s.From, span.From), min(s.To, span.To)
		if s.To <= s.From {
			continue
		}
		top, highest := 0.0, s.From
		for at := s.From; at < s.To; at += block {
			n := min(block, s.To-at)
			for ch := range buf {
				if int64(cap(buf[ch])) < n {
					buf[ch] = make([]float32, n)
				}
			}
			if err := m.Render(ctx, buf[0][:n], buf[1][:n], at); err != nil {
				return err
			}
			for ch := range buf {
				for k, x := range buf[ch][:n] {
					if a := math.Abs(float64(x)); a > top {
						top, highest = a, at+int64(k)
					}
				}
			}
		}
		switch db := floorDB(gain.ToDB(top)); {
		case db < target.Low:
			l.Places = append(l.Places, Outside{s, SpeechLow, db, "speech peaks at " + signed(db, "dBFS") + ", too low", spoken(r, o, highest)})
		case db > target.High:
			l.Places = append(l.Places, Outside{s, SpeechHigh, db, "speech peaks at " + signed(db, "dBFS") + ", too high", spoken(r, o, highest)})
		}
	}
	return nil
}

// spoken is the clip of the tracks that are heard which sounds at a place; of several
// the last that began.
func spoken(r *reel.Reel, o mix.Options, at int64) (out reel.ID) {
	began := int64(-1)
	for _, c := range r.Clips {
		if at >= c.Start && at < c.End() && c.Start > began && !slices.Contains(o.Without, c.Track) {
			out, began = c.ID, c.Start
		}
	}
	return out
}
