package reel

import (
	"fmt"
	"strconv"
)

// say writes a length as an editor wants to hear it: in seconds and frames.
func (p Props) say(samples int64) string {
	text := p.span(samples)
	if sec := float64(samples) / float64(p.SampleRate); sec < 0.001 {
		return text
	}
	return fmt.Sprintf("%s (%.1f frames)", text, p.frames(samples))
}

// span writes a length in time alone, as for the label of a button.
func (p Props) span(samples int64) string {
	sec := float64(samples) / float64(p.SampleRate)
	switch {
	case samples == 0:
		return "nothing"
	case sec < 0.001:
		return count(int(samples), "sample")
	case sec < 1:
		return fmt.Sprintf("%.0f ms", sec*1000)
	}
	return fmt.Sprintf("%.2f s", sec)
}

func (p Props) frames(samples int64) float64 {
	return float64(samples) * float64(p.FrameRate.Num) / (float64(p.SampleRate) * float64(p.FrameRate.Den))
}

// distance writes a length shortly: in frames, or below a tenth of one in
// samples.
func (p Props) distance(samples int64) string {
	samples = max(samples, -samples)
	f := p.frames(samples)
	if samples == 0 {
		return "nothing"
	}
	if f < 0.1 {
		return count(int(samples), "sample")
	}
	text := strconv.FormatFloat(f, 'f', 1, 64)
	if n := len(text); text[n-1] == '0' {
		text = text[:n-2]
	}
	return text + " " + plural(int(f*10+0.5)-9, "frame", "frames")
}

// shift writes a move in words, never as a bare sign.
func (p Props) shift(samples int64) string {
	switch {
	case samples > 0:
		return p.distance(samples) + " later"
	case samples < 0:
		return p.distance(samples) + " earlier"
	}
	return "where it was"
}

// change writes a change of length in words.
func (p Props) change(samples int64) string {
	switch {
	case samples > 0:
		return p.distance(samples) + " longer"
	case samples < 0:
		return p.distance(samples) + " shorter"
	}
	return "as long as it was"
}

// at writes a place in the reel as timecode; one that lies outside of any
// reel as the nearest that does not.
func (p Props) at(sample int64) string {
	sample = min(max(sample, 0), MaxHours*3600*int64(p.SampleRate))
	return p.FrameRate.Format(p.StartFrame + p.FrameRate.Frame(sample, p.SampleRate))
}

// handle is how much spare material there is, in words.
func (p Props) handle(samples int64) string {
	if samples == 0 {
		return "no material"
	}
	return p.say(samples) + " of material"
}

func count(n int, of string) string { return fmt.Sprintf("%d %s", n, plural(n, of, of+"s")) }

func plural(n int, one, more string) string {
	if n == 1 {
		return one
	}
	return more
}

// both names one thing, or says how many there are.
func both(clips []Clip) string {
	if len(clips) == 1 {
		return "“" + clips[0].Name + "”"
	}
	return count(len(clips), "clip")
}

// Late says how far sound stands off its picture: "2 frames late".
func (p Props) Late(samples int64) string {
	switch {
	case samples > 0:
		return p.distance(samples) + " late"
	case samples < 0:
		return p.distance(samples) + " early"
	}
	return "in sync"
}
