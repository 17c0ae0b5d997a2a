package measure

import "math"

// taps is the interpolating filter of ITU-R BS.1770-5 annex 2: four phases of
// twelve taps; the last two are the first two backwards.
var taps = func() (t [4][12]float64) {
	t[0] = [12]float64{0.0017089843750, 0.0109863281250, -0.0196533203125, 0.0332031250000, -0.0594482421875, 0.1373291015625,
		0.9721679687500, -0.1022949218750, 0.0476074218750, -0.0266113281250, 0.0148925781250, -0.0083007812500}
	t[1] = [12]float64{-0.0291748046875, 0.0292968750000, -0.0517578125000, 0.0891113281250, -0.1665039062500, 0.4650878906250,
		0.7797851562500, -0.2003173828125, 0.1015625000000, -0.0582275390625, 0.0330810546875, -0.0189208984375}
	for k := range 12 {
		t[2][k], t[3][k] = t[1][11-k], t[0][11-k]
	}
	return t
}()

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

// TruePeak measures the peak of the signal between the samples, by four times
// oversampling after ITU-R BS.1770-5 annex 2.
type TruePeak struct {
	channels []tail
	top      float64
}

// tail are the last samples of a channel, twice in a row so that twelve of
// them always lie side by side.
type tail struct {
	v    [24]float64
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
			t.at = (t.at + 11) % 12 // the newest stands first
			t.v[t.at], t.v[t.at+12] = x, x
			// Where no sample of the last twelve is large enough, none of the
			// values between them can be a new peak.
			if math.Abs(x)*bound > p.top {
				t.far, t.warm = 0, true
			}
			if t.far++; !t.warm || t.far > 12 {
				t.warm = false
				continue
			}
			w := t.v[t.at : t.at+12]
			for _, phase := range taps {
				y := 0.0
				for k, h := range phase {
					y += h * w[k]
				}
				p.top = max(p.top, math.Abs(y))
			}
			p.top = max(p.top, math.Abs(x))
		}
	}
}

// DB is the true peak so far, in dBTP.
func (p *TruePeak) DB() float64 {
	if p.top == 0 {
		return Silence
	}
	return max(20*math.Log10(p.top), Silence)
}
