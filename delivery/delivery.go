// Package delivery writes spans of a reel as WAVE or FLAC files. Its samples come from the
// renderer that is listened to, so what is delivered is what was heard.
package delivery

import (
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"time"

	"blendseam/core/measure"
	"blendseam/core/mix"
	"blendseam/core/sound"
	"blendseam/media/wav"
)

// Spec says what is to be written.
type Spec struct {
	From, To int64 // samples of the reel
	Rate     int   // of the reel, hertz
	Channels int   // 2, or 1 for the mean of both sides
	Bits     int   // 16, 24, or 32 for floats that are bit for bit what was heard
	File     File
	Kbits    int // of MP3, Opus and AAC: kbit/s, 0 for what is usual
	Meta     wav.Meta
	Made     time.Time // when
	told     func(int64)
}

// File is the kind of file.
type File string

// The kinds of file.
const (
	WAV  File = "wav"
	FLAC File = "flac"
	MP3  File = "mp3"
	Opus File = "opus"
	AAC  File = "aac"
)

// Check returns an error that says what is possible.
func (s Spec) Check() error {
	switch {
	case s.To <= s.From || s.From < 0:
		return fmt.Errorf("there is nothing between the in point and the out point; the out point has to lie after the in point")
	case s.Channels != 1 && s.Channels != 2:
		return fmt.Errorf("a reel is written in 1 or 2 channels")
	case !s.File.whole():
		if c := codings[s.File]; s.Kbits != 0 && (s.Kbits < c.least || s.Kbits > c.most) {
			return fmt.Errorf("%s is written at %d to %d kbit/s, not at %d", s.File, c.least, c.most, s.Kbits)
		}
	case s.Bits != 16 && s.Bits != 24 && s.Bits != 32:
		return fmt.Errorf("samples are written as 16 or 24-bit integers or as 32-bit floats")
	case s.File != WAV && s.File != FLAC:
		return fmt.Errorf("a reel is written as wav, flac, mp3, opus or aac, not as %q", s.File)
	case s.File == FLAC && s.Bits == 32:
		return fmt.Errorf("FLAC holds integers; take 16 or 24 bits, or a WAVE file for floats")
	}
	return nil
}

func (s Spec) format() wav.Format {
	return wav.Format{Channels: s.Channels, Rate: s.Rate, Bits: s.Bits, Float: s.Bits == 32}
}

// Bytes is the size of the file; 0 when that is known only once it is written.
func (s Spec) Bytes() int64 {
	if s.File != WAV {
		return 0
	}
	return wav.Size(s.format(), s.To-s.From)
}

// Survey is what is known of a span before it is written.
type Survey struct {
	Length int64   `json:"length"` // samples
	Bytes  int64   `json:"bytes"`
	PeakDB float64 `json:"peakDB"` // largest sample, dBFS
	// TruePeakDB is the largest value between the samples as well, in dBTP, and
	// LUFS the gated loudness of the whole, both after ITU-R BS.1770-5.
	TruePeakDB float64 `json:"truePeakDB"`
	LUFS       float64 `json:"lufs"`
	Over       int64   `json:"over"`  // samples beyond full scale, which integers cannot hold
	Exact      bool    `json:"exact"` // every sample is a whole step: integers are written as they are, without dither
}

// Look renders the span once and tells what would be written.
func Look(ctx context.Context, m *mix.Mix, s Spec) (Survey, error) {
	loudness, peak := measure.NewLoudness(s.Rate, s.Channels), measure.NewTruePeak(s.Channels)
	out, err := survey(ctx, m, s, func(channels [][]float32) {
		loudness.Add(channels)
		peak.Add(channels)
	})
	out.LUFS, out.TruePeakDB = loudness.Integrated(), peak.DB()
	return out, err
}

// Exact renders the span, as far as it takes, and tells whether integers can be
// written as they are, without dither.
func Exact(ctx context.Context, m *mix.Mix, s Spec) (bool, error) {
	bits := min(s.Bits, 24)
	steps := float64(int64(1) << (bits - 1))
	err := walk(ctx, m, s, func(channels [][]float32) error {
		for _, v := range channels {
			for _, x := range v {
				if float64(sound.Quantise(float64(x), bits)) != float64(x)*steps {
					return errInexact
				}
			}
		}
		return nil
	})
	if errors.Is(err, errInexact) {
		return false, nil
	}
	return err == nil, err
}

// errInexact ends a walk at the first sample that is no whole step.
var errInexact = errors.New("not exact")

func survey(ctx context.Context, m *mix.Mix, s Spec, also func([][]float32)) (Survey, error) {
	out := Survey{Length: s.To - s.From, Bytes: s.Bytes(), Exact: true}
	top := 0.0
	bits := min(s.Bits, 24)
	steps := float64(int64(1) << (bits - 1))
	err := walk(ctx, m, s, func(channels [][]float32) error {
		also(channels)
		for _, v := range channels {
			for _, x := range v {
				f := float64(x)
				top = max(top, math.Abs(f))
				if f > 1-1/steps || f < -1 {
					out.Over++
				}
				if out.Exact && float64(sound.Quantise(f, bits)) != f*steps {
					out.Exact = false
				}
			}
		}
		return nil
	})
	out.PeakDB = measure.Silence
	if top > 0 {
		out.PeakDB = max(20*math.Log10(top), measure.Silence)
	}
	return out, err
}

// writer takes samples, a slice for each channel, and ends the file.
type writer interface {
	Write([][]float32) error
	Close() error
}

// Write writes the span as a file. Integers are dithered unless exact.
func Write(ctx context.Context, w io.Writer, m *mix.Mix, s Spec, exact bool) error {
	var out writer
	var err error
	switch {
	case s.File == FLAC:
		out, err = newFLACWriter(w, s, !exact)
	case !s.File.whole():
		coded, err := newCodedWriter(ctx, w, s)
		if err != nil {
			return err
		}
		defer coded.Drop()
		out = coded
	default:
		out, err = wav.NewWriter(w, s.format(), s.To-s.From, !exact, s.Meta)
	}
	if err != nil {
		return err
	}
	written := int64(0)
	err = walk(ctx, m, s, func(channels [][]float32) error {
		err := out.Write(channels)
		if written += int64(len(channels[0])); s.told != nil {
			s.told(written)
		}
		return err
	})
	if err != nil {
		return err
	}
	return out.Close()
}

// walk renders the span block by block.
func walk(ctx context.Context, m *mix.Mix, s Spec, each func([][]float32) error) error {
	left, right := make([]float32, mix.Block), make([]float32, mix.Block)
	for at := s.From; at < s.To; {
		n := int(min(mix.Block, s.To-at))
		l, r := left[:n], right[:n]
		if err := m.Render(ctx, l, r, at); err != nil {
			return err
		}
		channels := [][]float32{l, r}
		if s.Channels == 1 {
			for i := range l {
				l[i] = (l[i] + r[i]) / 2
			}
			channels = channels[:1]
		}
		if err := each(channels); err != nil {
			return err
		}
		at += int64(n)
	}
	return nil
}
