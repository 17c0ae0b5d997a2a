package reel

import "fmt"

// say writes a length as an editor wants to hear it: in seconds and frames.
func (p Props) say(samples int64) string {
	sec := float64(samples) / float64(p.SampleRate)
	frames := float64(samples) * float64(p.FrameRate.Num) / (float64(p.SampleRate) * float64(p.FrameRate.Den))
	switch {
	case samples == 0:
		return "nothing"
	case sec < 0.001:
		return fmt.Sprintf("%d samples", samples)
	case sec < 1:
		return fmt.Sprintf("%.0f ms (%.1f frames)", sec*1000, frames)
	default:
		return fmt.Sprintf("%.2f s (%.1f frames)", sec, frames)
	}
}

// at writes a place in the reel as timecode.
func (p Props) at(sample int64) string {
	return p.FrameRate.Format(p.StartFrame + p.FrameRate.Frame(sample, p.SampleRate))
}

// handle is how much spare material there is, in words.
func (p Props) handle(samples int64) string {
	if samples == 0 {
		return "no material"
	}
	return p.say(samples) + " of material"
}
