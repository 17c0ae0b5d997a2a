package seam

import (
	"context"
	"fmt"
	"math"

	"blendseam/core/floor"
	"blendseam/core/reel"
)

// Split tells how the sound of a seam can lead or lag its picture cut.
type Split struct {
	Cut      reel.PictureCut
	Frames   float64 // by which it leads now; negative where it lags
	MostLead float64 // as far as the material goes, in frames
	MostLag  float64 //
	Offers   []Offer // lead, lag and none, as far as they make sense
	Warnings []Warning
}

// Offer is a split edit that is suggested.
type Offer struct {
	Frames float64
	Why    string
	Edit   *reel.Lead
	After  Judgement // the seam where it would be
}

// Warning tells what a lead or a lag beyond some frames would let be heard.
type Warning struct {
	Beyond float64 // frames; a negative number is a lag
	Kind   WarningKind
	Says   string
}

// WarningKind is what a lead or a lag would let be heard: a code, as Says is for
// people.
type WarningKind string

// What stands in the way of a longer lead or lag.
const (
	HandleEnds WarningKind = "handle" // the recording ends
	OtherWords WarningKind = "words"  // other words are heard
	OtherSound WarningKind = "sound"  // a breath, a tick or a knock is heard
)

// How far around a cut is listened, and what is left before a word, in seconds.
const (
	leadReach  = 3.0
	leadBefore = 0.04
)

// Leads looks at what there is on both sides of a seam that belongs to a
// picture cut: how far the sound can go each way, what would be heard then, and
// up to three places where it would cut best.
func (m *Meter) Leads(ctx context.Context, whole *reel.Reel, s reel.Seam) (Split, error) {
	out := Split{Cut: s.Cut}
	if s.Cut.Left == 0 {
		return out, fmt.Errorf("the seam belongs to no picture cut")
	}
	p := whole.Props
	out.Frames = s.Cut.Lead
	cut := reel.SoundCut{Left: s.Left, Right: s.Right}
	out.MostLead, out.MostLag = furthest(whole, cut, out.Frames, 1), -furthest(whole, cut, out.Frames, -1)
	frame := float64(p.SampleRate) * float64(p.FrameRate.Den) / float64(p.FrameRate.Num)
	try := func(frames float64, why string) error {
		e := &reel.Lead{Cuts: []reel.SoundCut{cut}, Frames: frames} // a blend that is there goes along; none is added unasked
		next, err := e.Apply(whole)
		if _, refused := err.(*reel.Refusal); refused {
			return nil
		}
		if err != nil {
			return err
		}
		then := New(next.Reel, m.open)
		at, ok := seamOf(next.Reel, cut)
		if !ok {
			return nil
		}
		got, err := then.Measure(ctx, at)
		if err != nil {
			return err
		}
		out.Offers = append(out.Offers, Offer{frames, why, e, got.Judge(p.Limits)})
		return nil
	}
	if right, ok := whole.Clip(s.Right); ok {
		runs, err := m.words(right, right.Offset+s.Cut.At-right.Start, m.seconds(leadReach))
		if err != nil {
			return out, err
		}
		at := right.Offset + s.Cut.At - right.Start // the picture cut, in the source
		// The first that goes on beyond the cut is what the shot is about.
		for i, r := range runs {
			if r.To <= at || !r.Spoken {
				continue
			}
			begins := r.From - int64(leadBefore*float64(p.SampleRate))
			if n := math.Ceil(float64(at-begins) / frame); begins < at && n >= 1 && n <= out.MostLead {
				if err := try(n, "to just before the breath or word that comes in"); err != nil {
					return out, err
				}
			}
			out.warn(runs[:i], at, frame, right.Name, 1)
			break
		}
		if end := math.Floor(out.MostLead); end < maxShown {
			out.Warnings = append(out.Warnings, Warning{end, HandleEnds, fmt.Sprintf("“%s” has no more material ahead of its head.", right.Name)})
		}
	}
	if left, ok := whole.Clip(s.Left); ok {
		at := left.Offset + s.Cut.At - left.Start
		runs, err := m.words(left, at, m.seconds(leadReach))
		if err != nil {
			return out, err
		}
		from := 0
		for i, r := range runs {
			if r.From >= at {
				break
			}
			if from = i + 1; r.To <= at || !r.Spoken {
				continue
			}
			n := math.Ceil(float64(r.To-at) / frame)
			if n >= 1 && n <= out.MostLag {
				if err := try(-n, "to where the word that goes out has died away"); err != nil {
					return out, err
				}
			}
		}
		out.warn(runs[min(from, len(runs)):], at, frame, left.Name, -1)
		if end := math.Floor(out.MostLag); end < maxShown {
			out.Warnings = append(out.Warnings, Warning{-end, HandleEnds, fmt.Sprintf("“%s” has no more material beyond its tail.", left.Name)})
		}
	}
	return out, try(0, "straight, with the picture")
}

// maxShown is as far as the end of the material is worth a word, in frames.
const maxShown = 250

// warn tells of what else is spoken, or knocks, in material that a lead or lag
// would let be heard: the nearest of each kind.
func (s *Split) warn(runs []floor.Run, at int64, frame float64, name string, way float64) {
	told := map[bool]bool{}
	for i := range runs {
		r, near := runs[i], runs[i].From-at
		if way > 0 { // backwards from the cut
			r = runs[len(runs)-1-i]
			near = at - r.To
		}
		n := math.Floor(max(float64(near), 0) / frame)
		if told[r.Spoken] || n > maxShown {
			continue
		}
		told[r.Spoken] = true
		kind, says := OtherWords, "other words of “%s” are heard"
		if !r.Spoken {
			kind, says = OtherSound, "a breath, a tick or a knock in “%s” is heard"
		}
		s.Warnings = append(s.Warnings, Warning{way * n, kind, fmt.Sprintf(says, name)})
	}
}

// furthest is how far a cut can lead or, with way −1, lag.
func furthest(r *reel.Reel, cut reel.SoundCut, now float64, way float64) float64 {
	const most = 36000
	e := &reel.Lead{Cuts: []reel.SoundCut{cut}, Frames: way * most}
	_, err := e.Apply(r)
	if no, ok := err.(*reel.Refusal); ok {
		if fit, ok := no.Offer.(*reel.Lead); ok {
			return fit.Frames
		}
		return now
	}
	return way * most
}

// seamOf is the seam of a cut of sound in a version.
func seamOf(r *reel.Reel, c reel.SoundCut) (reel.Seam, bool) {
	for _, s := range r.Seams() {
		if s.Kind != reel.StruckSeam && s.Left == c.Left && s.Right == c.Right {
			return s, true
		}
	}
	return reel.Seam{}, false
}
