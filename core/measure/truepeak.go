package measure

import "math"

// TruePeak measures the peak of the signal between the samples, as [Between] finds it,
// and at them.
type TruePeak struct {
	channels []Between
	top      float64
}

// NewTruePeak is a measurement of so many channels.
func NewTruePeak(channels int) *TruePeak { return &TruePeak{channels: make([]Between, channels)} }

// Add takes the next samples, a slice for each channel.
func (p *TruePeak) Add(channels [][]float32) {
	higher := func(_ int, top float64) float64 {
		p.top = top
		return top
	}
	for c, v := range channels {
		if c > 0 && p.channels[c].same(&p.channels[c-1], v, channels[c-1]) {
			continue
		}
		p.top = max(p.top, float64(peakOf(v)))
		p.channels[c].scan(v, p.top, higher)
	}
	for c := range channels {
		p.channels[c].end()
	}
}

// Silence takes so many samples of nothing.
func (p *TruePeak) Silence(n int) {
	nothing := make([]float32, min(n, length+BetweenDelay)) // nothing older is remembered
	channels := make([][]float32, len(p.channels))
	for c := range channels {
		channels[c] = nothing
	}
	p.Add(channels)
}

// Lap is the true peak since the last lap, in dBTP, and begins another. What comes
// before is still there for the values between the samples.
func (p *TruePeak) Lap() float64 {
	db := p.DB()
	p.top = 0
	return db
}

// DB is the true peak so far, or in this lap, in dBTP.
func (p *TruePeak) DB() float64 {
	if p.top == 0 {
		return Silence
	}
	return max(20*math.Log10(p.top), Silence)
}
