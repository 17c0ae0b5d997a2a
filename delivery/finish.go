package delivery

import (
	"context"
	"errors"
	"fmt"
	"math"

	"blendseam/core/master"
	"blendseam/core/measure"
	"blendseam/core/mix"
)

// Loud is how loud a mix is brought to be, and how high its peaks may go.
type Loud struct {
	LUFS      float64 `json:"lufs"`      // integrated, −40 to −5
	CeilingDB float64 `json:"ceilingDB"` // true peak, −12 to 0
}

func (l Loud) check() error {
	switch {
	case !(l.LUFS >= -40 && l.LUFS <= -5):
		return fmt.Errorf("a mix is brought to −40 to −5 LUFS, not to %g", l.LUFS)
	case !(l.CeilingDB >= -12 && l.CeilingDB <= 0):
		return fmt.Errorf("the ceiling is from −12 to 0 dBTP, not %g", l.CeilingDB)
	}
	return nil
}

// Finish is what is done to a mix as it is written.
type Finish struct {
	GainDB    float64 `json:"gainDB"`
	CeilingDB float64 `json:"ceilingDB"` // true peak
	Limits    bool    `json:"limits"`    // peaks would pass the ceiling
	DownDB    float64 `json:"downDB"`    // by how much the limiter goes down at most
	LUFS      float64 `json:"lufs"`      // what comes of it
}

// near is how close the loudness is brought to what is wanted, in LU.
const near = 0.04

// toFinish finds the gain that brings a span to a loudness with its peaks under a
// ceiling. Where the limiter takes loudness away, it is looked for again. It fails for
// what holds no sound that counts.
func toFinish(ctx context.Context, m *mix.Mix, s Spec, want Loud) (*Finish, error) {
	s.finish = nil
	lufs, peak, _, err := heard(ctx, m, s, true)
	if err != nil {
		return nil, err
	}
	if lufs <= measure.NoLoudness {
		return nil, errors.New("there is nothing loud enough to measure: no gain can bring it to a loudness. Export it as it is")
	}
	before := 0.0
	f := &Finish{GainDB: want.LUFS - lufs, CeilingDB: want.CeilingDB, LUFS: want.LUFS}
	if peak+f.GainDB <= want.CeilingDB {
		return f, nil
	}
	f.Limits = true
	for range 8 {
		own := s
		own.finish = f
		got, _, down, err := heard(ctx, m, own, false)
		if err != nil {
			return nil, err
		}
		f.LUFS, f.DownDB = got, down
		if math.Abs(want.LUFS-got) <= near {
			return f, nil
		}
		// By the slope between the last two, which the limiter flattens.
		slope := min(max((got-lufs)/(f.GainDB-before), 0.2), 1)
		lufs, before = got, f.GainDB
		next := *f
		if next.GainDB += (want.LUFS - got) / slope; next.GainDB > mostFinish {
			break
		}
		f = &next
	}
	return nil, fmt.Errorf("with peaks under %g dBTP it comes to %.1f LUFS and no further. Choose a lower loudness, or a higher ceiling", want.CeilingDB, f.LUFS)
}

// mostFinish is the most gain that is put on a mix, in dB.
const mostFinish = 50

// heard measures a span as it would be written, its peaks where they are wanted.
func heard(ctx context.Context, m *mix.Mix, s Spec, peaks bool) (lufs, peak, down float64, err error) {
	loudness, tp := measure.NewLoudness(s.rate(), s.Channels), measure.NewTruePeak(s.Channels)
	down, err = walked(ctx, m, s, func(channels [][]float32) error {
		loudness.Add(channels)
		if peaks {
			tp.Add(channels)
		}
		return nil
	})
	return loudness.Integrated(), tp.DB(), down, err
}

// stage does something to samples and passes them on.
type stage interface {
	write(channels [][]float32) error
	end() error // passes on what it still holds
	drop()      // ends it before it is through
}

// chain is what is rendered goes through before it is written: its gain, then the sample
// rate of the file, then the limiter, as another rate has other peaks.
type chain struct {
	gain    float64
	stages  []stage
	limiter *limiting
	each    func([][]float32) error
}

func newChain(ctx context.Context, s Spec, each func([][]float32) error) (*chain, error) {
	c := &chain{gain: 1, each: each}
	if s.finish != nil {
		c.gain = math.Pow(10, s.finish.GainDB/20)
		if s.finish.Limits {
			c.limiter = &limiting{master.NewLimiter(s.rate(), s.Channels, s.finish.CeilingDB), each}
			c.stages, c.each = []stage{c.limiter}, c.limiter.write
		}
	}
	if s.rate() != s.Rate {
		r, err := newResampler(ctx, s, s.length(), c.each)
		if err != nil {
			return nil, err
		}
		c.stages, c.each = append([]stage{r}, c.stages...), r.write
	}
	return c, nil
}

func (c *chain) write(channels [][]float32) error {
	if c.gain != 1 {
		for _, v := range channels {
			for i, x := range v {
				v[i] = float32(float64(x) * c.gain)
			}
		}
	}
	return c.each(channels)
}

// end passes all on, and tells by how much the limiter went down.
func (c *chain) end() (down float64, err error) {
	for _, s := range c.stages {
		if err := s.end(); err != nil {
			return 0, err
		}
	}
	if c.limiter != nil {
		down = c.limiter.Deepest()
	}
	return down, nil
}

func (c *chain) drop() {
	for _, s := range c.stages {
		s.drop()
	}
}

// limiting is a limiter as a stage.
type limiting struct {
	*master.Limiter
	each func([][]float32) error
}

func (l *limiting) write(channels [][]float32) error { return l.pass(l.Add(channels)) }
func (l *limiting) end() error                       { return l.pass(l.End()) }
func (l *limiting) drop()                            {}

func (l *limiting) pass(channels [][]float32) error {
	if len(channels[0]) == 0 {
		return nil
	}
	return l.each(channels)
}
