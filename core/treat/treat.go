// Package treat filters sound and lowers its pauses.
//
// A treatment is settings alone. What it makes of a sound is reckoned in pieces of a
// fixed grid, each from silence before it (see [Stream]), so that every sample is a
// function of its place and a span in parts is bit for bit the span whole.
package treat

import (
	"fmt"
	"math"

	"blendseam/core/gain"
)

// Cut is a high-pass or a low-pass filter.
type Cut struct {
	Hz    float64 `json:"hz"`    // where it is 3 dB down
	Slope int     `json:"slope"` // dB an octave: 12 or 24; 0 for none
}

// Shelf raises or lowers all on one side of a frequency.
type Shelf struct {
	Hz float64 `json:"hz"` // where half of it, in dB, is reached
	DB float64 `json:"db"` // −24 to 24; 0 for none
}

// Bell raises or lowers what lies around a frequency.
type Bell struct {
	Hz float64 `json:"hz"`
	DB float64 `json:"db"` // −24 to 24; 0 for none
	Q  float64 `json:"q"`  // centre over bandwidth, 0.3 to 8
}

// Settings are what is done to a sound, in this order: its tone is matched, it is
// filtered, and its pauses are lowered. The zero value does nothing.
type Settings struct {
	Tone      Voicing  `json:"tone,omitzero"`
	HighPass  Cut      `json:"highPass,omitzero"`
	LowPass   Cut      `json:"lowPass,omitzero"`
	LowShelf  Shelf    `json:"lowShelf,omitzero"`
	HighShelf Shelf    `json:"highShelf,omitzero"`
	Bells     [4]Bell  `json:"bells,omitzero"`
	Expander  Expander `json:"expander,omitzero"`
}

// The bounds of a filter. Narrower and lower bells than these ring longer than
// speech has any use for.
const (
	LeastHz = 20.0
	MostHz  = 20000.0
	MostDB  = 24.0
	LeastQ  = 0.3
	MostQ   = 8.0
)

// None reports whether the settings leave a sound as it is.
func (s Settings) None() bool {
	return s.Tone.none() && !s.Expander.On() && len(s.sections(48000)) == 0
}

// Check returns an error that says which number is out of its bounds.
func (s Settings) Check() error {
	for _, c := range []struct {
		name string
		Cut
	}{{"high-pass", s.HighPass}, {"low-pass", s.LowPass}} {
		if c.Slope == 0 {
			continue
		}
		if c.Slope != 12 && c.Slope != 24 {
			return fmt.Errorf("a %s falls by 12 or 24 dB an octave, not %d", c.name, c.Slope)
		}
		if err := checkHz(c.name, c.Hz); err != nil {
			return err
		}
	}
	for _, f := range []struct {
		name      string
		hz, db, q float64
	}{
		{"low shelf", s.LowShelf.Hz, s.LowShelf.DB, 1}, {"high shelf", s.HighShelf.Hz, s.HighShelf.DB, 1},
		{"bell", s.Bells[0].Hz, s.Bells[0].DB, s.Bells[0].Q}, {"bell", s.Bells[1].Hz, s.Bells[1].DB, s.Bells[1].Q},
		{"bell", s.Bells[2].Hz, s.Bells[2].DB, s.Bells[2].Q}, {"bell", s.Bells[3].Hz, s.Bells[3].DB, s.Bells[3].Q},
	} {
		if f.db == 0 {
			continue
		}
		if !(math.Abs(f.db) <= MostDB) {
			return fmt.Errorf("a %s goes from −%g to +%g dB; %g is outside", f.name, MostDB, MostDB, f.db)
		}
		if err := checkHz(f.name, f.hz); err != nil {
			return err
		}
		if !(f.q >= LeastQ && f.q <= MostQ) {
			return fmt.Errorf("the Q of a bell goes from %g to %g; %g is outside", LeastQ, MostQ, f.q)
		}
	}
	if err := s.Tone.check(); err != nil {
		return err
	}
	return s.Expander.check()
}

func checkHz(name string, hz float64) error {
	if !(hz >= LeastHz && hz <= MostHz) {
		return fmt.Errorf("a %s lies between %g and %g Hz; %g is outside", name, LeastHz, MostHz, hz)
	}
	return nil
}

// sections are the filters of the settings in their order.
func (s Settings) sections(rate int) []Biquad {
	var out []Biquad
	for _, c := range []struct {
		Cut
		of func(rate, hz, q float64) Biquad
	}{{s.HighPass, HighPass}, {s.LowPass, LowPass}} {
		switch c.Slope {
		case 12:
			out = append(out, c.of(float64(rate), c.Hz, math.Sqrt2/2))
		case 24:
			for _, q := range butterworth4 {
				out = append(out, c.of(float64(rate), c.Hz, q))
			}
		}
	}
	if s.LowShelf.DB != 0 {
		out = append(out, LowShelf(float64(rate), s.LowShelf.Hz, s.LowShelf.DB))
	}
	if s.HighShelf.DB != 0 {
		out = append(out, HighShelf(float64(rate), s.HighShelf.Hz, s.HighShelf.DB))
	}
	for _, b := range s.Bells {
		if b.DB != 0 {
			out = append(out, Peaking(float64(rate), b.Hz, b.DB, b.Q))
		}
	}
	return out
}

// FilterDB is what the filters alone, without tone and expander, do to a tone of a
// frequency, in dB.
func (s Settings) FilterDB(rate int, hz float64) float64 {
	return decibels(s.sections(rate), rate, hz)
}

func decibels(sections []Biquad, rate int, hz float64) float64 {
	g := 1.0
	for _, b := range sections {
		g *= b.Gain(float64(rate), hz)
	}
	return max(gain.ToDB(g), gain.MinDB)
}

// Response is what filters and tone together do to tones of some frequencies, in dB.
func (s Settings) Response(rate int, hz []float64) []float64 {
	sections := s.sections(rate)
	out := make([]float64, len(hz))
	for i, f := range hz {
		out[i] = decibels(sections, rate, f) + s.Tone.DB(f)
	}
	return out
}

// PowerOver is what filters and tone together do to the power of noise that is even
// over an octave, or any part of the spectrum between two frequencies, as a factor.
func (s Settings) PowerOver(rate int, low, high float64) float64 {
	const places = 16
	sections := s.sections(rate)
	var sum float64
	for k := range places {
		f := low * math.Pow(high/low, (float64(k)+0.5)/places)
		sum += math.Pow(10, (decibels(sections, rate, f)+s.Tone.DB(f))/10) * f
	}
	var whole float64
	for k := range places {
		whole += low * math.Pow(high/low, (float64(k)+0.5)/places)
	}
	return sum / whole
}
