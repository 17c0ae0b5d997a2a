package level

import (
	"context"
	"fmt"
	"math"

	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/roomtone"
)

// PauseFit is a proposal to bring a clip to a length by its pauses alone.
type PauseFit struct {
	Edit     *reel.FitPauses `json:"-"`
	Pauses   int             `json:"pauses"`   // that are changed
	Shortest int64           `json:"shortest"` // samples that the clip can have so
	Longest  int64           `json:"longest"`
	By       int64           `json:"by"`     // samples that a pause is changed by at most
	Factor   float64         `json:"factor"` // by which the words would be stretched instead
}

// pauseKeeps is how much of each pause is kept at least, and how long its blend is, in
// seconds. Common practice: what is under a tenth of a second runs words together.
const (
	pauseKeeps = 0.15
	pauseBlend = 0.06
)

// FitPauses finds the pauses of a clip and shares what it is to be longer or shorter
// among them, by how much each can give. None falls under 150 ms, and none gets longer
// than twice what it was.
func FitPauses(ctx context.Context, r *reel.Reel, open mix.Open, clip reel.ID, length int64, later reel.Later) (PauseFit, error) {
	var out PauseFit
	c, ok := r.Clip(clip)
	if !ok {
		return out, &reel.Refusal{Reason: "That clip is gone."}
	}
	if src, _ := r.Source(c.Source); src.Missing() { // it is silent, and would be all pause
		return out, &reel.Refusal{Reason: fmt.Sprintf("“%s” has no recording.", c.Name), Possible: "Locate its media under Sources first."}
	}
	rate := float64(r.Props.SampleRate)
	keep, fade := int64(pauseKeeps*rate), int64(pauseBlend*rate)
	all, err := roomtone.Pauses(ctx, r, open, c.Track, c.Start, c.End(), true)
	if err != nil {
		return out, err
	}
	var pauses []roomtone.Pause
	var shorter, longer []int64
	var less, more int64
	for _, p := range all {
		n := p.To - p.From
		if p.Clip != clip || n <= keep+fade {
			continue
		}
		pauses, shorter, longer = append(pauses, p), append(shorter, n-keep), append(longer, n-fade)
		less, more = less+n-keep, more+n-fade
	}
	out.Shortest, out.Longest, out.Factor = c.Length-less, c.Length+more, float64(length)/float64(c.Length)
	if len(pauses) == 0 {
		return out, &reel.Refusal{Reason: fmt.Sprintf("“%s” has no pause that could be changed.", c.Name), Possible: "Fit it by its speed."}
	}
	want, room, can := length-c.Length, longer, more
	if want < 0 {
		room, can = shorter, less
	}
	if want == 0 {
		return out, &reel.Refusal{Reason: fmt.Sprintf("“%s” is that long already.", c.Name)}
	}
	if max(want, -want) > can {
		seconds := func(n int64) string { return fmt.Sprintf("%.2f s", float64(n)/rate) }
		return out, &reel.Refusal{
			Reason:   fmt.Sprintf("The pauses of “%s” bring it to %s at most, and to %s at least.", c.Name, seconds(out.Longest), seconds(out.Shortest)),
			Possible: "Choose a length between these, or fit it by its speed.",
		}
	}
	e := &reel.FitPauses{Clip: clip, Fade: fade, Later: later}
	left, of := want, can // shared anew at each, so that the sum is exact
	for i, p := range pauses {
		by := int64(math.Round(float64(left) * float64(room[i]) / float64(of)))
		left, of = left-by, of-room[i]
		if by == 0 {
			continue
		}
		out.By = max(out.By, by, -by)
		e.Pauses = append(e.Pauses, reel.Pausing{At: (p.From+p.To)/2 - c.Start + c.Offset, By: by})
	}
	out.Pauses, out.Edit = len(e.Pauses), e
	return out, nil
}
