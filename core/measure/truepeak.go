package measure

import "math"

// phases is how many values are computed for each sample, and length how many
// samples each of them goes by.
const (
	phases = 8
	length = 48
)

// taps is the interpolating filter: a sinc in a Kaiser window (β 8), a phase
// for each eighth of the way between two samples. ITU-R BS.1770-5 annex 2 gives
// four phases of twelve taps as the least that will do; those read up to 0.7 dB
// too little near half the rate.
var taps = func() (t [phases][length]float64) {
	const beta = 8
	for p := range t {
		var sum float64
		for k := range t[p] {
			x := float64(length/2-1-k) + float64(p)/phases
			w := 2 * x / length
			h := bessel(beta*math.Sqrt(max(1-w*w, 0))) / bessel(beta)
			if x != 0 {
				h *= math.Sin(math.Pi*x) / (math.Pi * x)
			}
			t[p][k] = h
			sum += h
		}
		for k := range t[p] {
			t[p][k] /= sum // what stays the same keeps its level
		}
	}
	return t
}()

// bessel is the modified Bessel function of the first kind, order zero.
func bessel(x float64) float64 {
	sum, term := 1.0, 1.0
	for k := 1.0; term > 1e-18*sum; k++ {
		term *= x / (2 * k) * x / (2 * k)
		sum += term
	}
	return sum
}

// bound is the most that a phase can make of samples no larger than 1.
var bound = func() float64 {
	top := 0.0
	for _, phase := range taps {
		sum := 0.0
		for _, h := range phase {
			sum += math.Abs(h)
		}
		top = max(top, sum)
	}
	return top
}()

// TruePeak measures the peak of the signal between the samples, by eight times
// oversampling after ITU-R BS.1770-5 annex 2.
type TruePeak struct {
	channels []tail
	top      float64
}

// tail are the last samples of a channel, twice in a row so that those a phase
// goes by always lie side by side.
type tail struct {
	v    [2 * length]float64
	at   int
	far  int // samples since one came that can lead to a new peak
	warm bool
}

// NewTruePeak is a measurement of so many channels.
func NewTruePeak(channels int) *TruePeak { return &TruePeak{channels: make([]tail, channels)} }

// Add takes the next samples, a slice for each channel.
func (p *TruePeak) Add(channels [][]float32) {
	for c := range channels {
		t := &p.channels[c]
		for _, s := range channels[c] {
			x := float64(s)
			t.at = (t.at + length - 1) % length // the newest stands first
			t.v[t.at], t.v[t.at+length] = x, x
			// Where no sample of the last is large enough, none of the values between
			// them can be a new peak.
			if math.Abs(x)*bound > p.top {
				t.far, t.warm = 0, true
			}
			if t.far++; !t.warm || t.far > length {
				t.warm = false
				continue
			}
			w := (*[length]float64)(t.v[t.at : t.at+length])
			for i := range taps {
				h := &taps[i]
				var y0, y1 float64 // two sums keep the adder busy
				for k := 0; k < length; k += 2 {
					y0 += h[k] * w[k]
					y1 += h[k+1] * w[k+1]
				}
				p.top = max(p.top, math.Abs(y0+y1))
			}
			p.top = max(p.top, math.Abs(x))
		}
	}
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

// BetweenDelay is how many samples later [Between] tells of a place.
const BetweenDelay = length / 2

// Between tells how large a signal is between its samples, one after the other.
type Between struct {
	v    [2 * length]float64
	at   int
	far  int // samples since one that can matter
	seen bool
}

// Add takes the next sample and tells the largest value after the sample BetweenDelay
// before it, up to the one that follows that; or 0 where none can be above a limit.
func (b *Between) Add(s float32, limit float64) float64 {
	x := float64(s)
	b.at = (b.at + length - 1) % length // the newest stands first
	b.v[b.at], b.v[b.at+length] = x, x
	if math.Abs(x)*bound > limit {
		b.far, b.seen = 0, true
	}
	if b.far++; !b.seen || b.far > length {
		b.seen = false
		return 0
	}
	w := (*[length]float64)(b.v[b.at : b.at+length])
	top := math.Abs(w[BetweenDelay-1])
	for i := range taps {
		h := &taps[i]
		var y0, y1 float64
		for k := 0; k < length; k += 2 {
			y0 += h[k] * w[k]
			y1 += h[k+1] * w[k+1]
		}
		top = max(top, math.Abs(y0+y1))
	}
	return top
}
