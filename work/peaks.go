package work

import (
	"context"
	"fmt"

	lru "github.com/hashicorp/golang-lru/v2"

	"blendseam/core/level"
	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/sound"
)

// Peaks tells the peaks of clips. What was found of a stretch of a recording is
// kept, so that a gain that is dragged costs no listening.
type Peaks struct {
	open func(reel.Source, int) (sound.Reader, error)
	kept *lru.Cache[string, [2]float64]
}

// mostPeaks bounds what is kept, some two hundred bytes each.
const mostPeaks = 20_000

// NewPeaks listens to what is opened.
func NewPeaks(open func(reel.Source, int) (sound.Reader, error)) *Peaks {
	p := &Peaks{open: open}
	p.kept, _ = lru.New[string, [2]float64](mostPeaks) // it fails for sizes below one
	return p
}

// Forget has all be listened to again: a recording that was silent is there now.
func (p *Peaks) Forget() { p.kept.Purge() }

// Of are the peaks of the two sides of what a clip plays, with its ride and without
// what is struck of it, before its gain, as
// factors of full scale; 0 for a clip of pictures, or one whose recording is missing.
func (p *Peaks) Of(ctx context.Context, r *reel.Reel, c reel.Clip) ([2]float64, error) {
	src, ok := r.Source(c.Source)
	if !ok || src.Shows() || src.Missing() {
		return [2]float64{}, nil
	}
	name := fmt.Sprint(src.Heard(), " ", c.Offset, " ", c.Length, " ", r.Props.SampleRate)
	for _, k := range r.StrikesOf(c.ID) {
		tone, _ := r.Source(k.Cover.Source)
		k.ID, k.Clip, k.Cover.Source = 0, 0, 0
		name += fmt.Sprint(" ", k, tone.Heard())
	}
	for _, n := range r.Line(c.ID) {
		name += fmt.Sprint(" ", n.Node())
	}
	if t, ok := r.TreatmentOf(c.ID); ok && !t.Off {
		name += fmt.Sprint(" ", t.Does)
	}
	if peak, ok := p.kept.Get(name); ok {
		return peak, nil
	}
	reader, err := mix.Material(r, c, func(s reel.Source) (sound.Reader, error) { return p.open(s, r.Props.SampleRate) })
	if err != nil {
		return [2]float64{}, err
	}
	peak, err := level.Peaks(ctx, reader, c.Offset, c.Length)
	if err == nil {
		p.kept.Add(name, peak)
	}
	return peak, err
}
