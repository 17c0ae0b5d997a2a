// Package delivery writes spans of a reel as WAVE or FLAC files. Its samples come from the
// renderer that is listened to, so what is delivered is what was heard.
package delivery

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"time"

	"blendseam/core/measure"
	"blendseam/core/mix"
	"blendseam/core/reel"
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
	Markers  []reel.Marker // of the reel; those in the span go into a WAVE file
	Made     time.Time     // when
	OutRate  int           // of the file, hertz; 0 for that of the reel
	Tags     Tags
	told     func(int64)
	finish   *Finish // what is done to the mix
	measured bool    // its loudness is told in a WAV file, which can be gone back in
	path     string  // of the file that a program writes which goes back in it; "" for a pipe
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
	// MP4 is the picture with the sound of the mix. Only a job writes it.
	MP4 File = "mp4"
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
	if s.OutRate != 0 && !slices.Contains(Rates, s.OutRate) {
		return fmt.Errorf("files are written at 44.1, 48, 88.2, 96, 176.4 or 192 kHz, not at %d Hz", s.OutRate)
	}
	if c := codings[s.File]; s.OutRate != 0 && len(c.rates) > 0 && !slices.Contains(c.rates, s.OutRate) {
		return fmt.Errorf("%s is not written at %d Hz; leave the rate to the reel", s.File, s.OutRate)
	}
	return s.Tags.check()
}

func (s Spec) format() wav.Format {
	return wav.Format{Channels: s.Channels, Rate: s.rate(), Bits: s.Bits, Float: s.Bits == 32}
}

// meta is what is written beside the samples.
func (s Spec) meta() wav.Meta {
	m := s.Meta
	m.TimeReference, m.Info, m.Marks = s.atRate(m.TimeReference), s.Tags.wav(), nil
	for _, k := range s.Markers {
		if k.At >= s.From && k.At < s.To {
			m.Marks = append(m.Marks, wav.Mark{At: s.atRate(k.At - s.From), Text: k.Text})
		}
	}
	return m
}

// rate is that of the file, as far as its kind can have it.
func (s Spec) rate() int {
	rate := cmp.Or(s.OutRate, s.Rate)
	if c, coded := codings[s.File]; coded {
		return c.rate(rate)
	}
	return rate
}

// atRate are samples of the reel in those of the file.
func (s Spec) atRate(n int64) int64 {
	if s.rate() == s.Rate {
		return n
	}
	return int64(math.Round(float64(n) * float64(s.rate()) / float64(s.Rate)))
}

// length is how many samples the file has.
func (s Spec) length() int64 { return max(s.atRate(s.To-s.From), 1) }

// Bytes is the size of the file; 0 when that is known only once it is written.
func (s Spec) Bytes() int64 {
	if s.File != WAV {
		return 0
	}
	return wav.SizeWith(s.format(), s.length(), s.meta())
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
	Over       int64   `json:"over"`             // samples beyond full scale, which integers cannot hold
	Exact      bool    `json:"exact"`            // every sample is a whole step: integers are written as they are, without dither
	Finish     *Finish `json:"finish,omitempty"` // what is done to the mix, where it is brought to a loudness
}

// Look renders the span once and tells what would be written.
func Look(ctx context.Context, m *mix.Mix, s Spec) (Survey, error) {
	loudness, peak := measure.NewLoudness(s.rate(), s.Channels), measure.NewTruePeak(s.Channels)
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
	if s.rate() != s.Rate || s.finish != nil {
		return false, nil
	}
	steps := float64(int64(1) << (bits - 1))
	_, err := walkedApart(ctx, m, s, func(channels [][]float32) error {
		for _, v := range channels {
			for _, x := range v {
				if !whole(float64(x)*steps, steps) {
					return errInexact
				}
			}
		}
		return nil
	}, func(int) error { return nil })
	if errors.Is(err, errInexact) {
		return false, nil
	}
	return err == nil, err
}

// whole reports whether a number of steps is one that an integer holds.
func whole(x, steps float64) bool { return x >= -steps && x < steps && x == float64(int64(x)) }

// errInexact ends a walk at the first sample that is no whole step.
var errInexact = errors.New("not exact")

func survey(ctx context.Context, m *mix.Mix, s Spec, also func([][]float32)) (Survey, error) {
	out := Survey{Length: s.To - s.From, Bytes: s.Bytes(), Exact: s.rate() == s.Rate && s.finish == nil}
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
				out.Exact = out.Exact && whole(f*steps, steps)
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
	// Silence is Write of so many samples where nothing sounds. There is nothing to
	// dither.
	Silence(n int) error
	Close() error
}

// Patch is what is written over a place of a file once all of it is known.
type Patch struct {
	At    int64
	Bytes []byte
}

// Write writes the span as a file. Integers are dithered unless exact.
func Write(ctx context.Context, w io.Writer, m *mix.Mix, s Spec, exact bool) error {
	s.measured = false // nothing can be gone back to
	_, err := write(ctx, w, m, s, exact)
	return err
}

// write is Write, and tells what is to be put right where the file can be gone back in.
func write(ctx context.Context, w io.Writer, m *mix.Mix, s Spec, exact bool) ([]Patch, error) {
	var out writer
	var err error
	meta := s.meta()
	switch {
	case s.File == FLAC:
		coded, err := newFLACWriter(ctx, w, s, meta, !exact)
		if err != nil {
			return nil, err
		}
		defer coded.Drop()
		out = coded
	case !s.File.whole():
		coded, err := newCodedWriter(ctx, w, s)
		if err != nil {
			return nil, err
		}
		defer coded.Drop()
		out = coded
	default:
		out, err = wav.NewWriter(w, s.format(), s.length(), !exact, meta)
	}
	if err != nil {
		return nil, err
	}
	heard := newTeller(s)
	written := int64(0)
	tell := func(n int) {
		if written += int64(n); s.told != nil {
			s.told(min(written*int64(s.Rate)/int64(s.rate()), s.To-s.From))
		}
	}
	_, err = walkedApart(ctx, m, s, func(channels [][]float32) error {
		defer tell(len(channels[0]))
		heard.add(channels)
		return out.Write(channels)
	}, func(n int) error {
		defer tell(n)
		heard.silence(n)
		return out.Silence(n)
	})
	if err == nil {
		err = out.Close()
	}
	if err != nil {
		return nil, err
	}
	var patches []Patch
	if l, ok := heard.loudness(); ok {
		at, b := wav.LoudnessAt(s.format(), s.length(), meta, l)
		patches = append(patches, Patch{at, b})
	}
	return patches, nil
}
