package offline

import (
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"time"

	"blendseam/core/measure"
	"blendseam/core/reel"
	"blendseam/core/roomtone"
	"blendseam/core/sound"
	"blendseam/media"
	"blendseam/media/wav"
)

// Recording is a sound file that was opened at its own sample rate.
type Recording struct {
	sound.Reader
	Rate    int
	Missing int64 // samples that the file promises and lacks
	library *media.Library
	dir     string
}

// OpenRecording opens a sound file; "-" reads it from in. A rate that the bench does not
// work at is brought to 48 kHz.
func OpenRecording(ctx context.Context, file string, in io.Reader) (*Recording, error) {
	if file != "-" {
		f, err := os.Open(file)
		if err != nil {
			return nil, &Unreadable{file, err}
		}
		defer f.Close()
		in = f
	}
	dir, err := os.MkdirTemp("", "blendseam-*")
	if err != nil {
		return nil, err
	}
	r := &Recording{dir: dir}
	if r.library, err = media.OpenLibrary(dir); err == nil {
		err = r.take(ctx, filepath.Base(file), in)
	}
	if err != nil {
		r.Close()
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		return nil, &Unreadable{file, err}
	}
	return r, nil
}

func (r *Recording) take(ctx context.Context, name string, in io.Reader) error {
	u, err := r.library.ReceiveFrom(ctx, name, in, func(int64) {})
	if err != nil {
		return err
	}
	defer u.Discard()
	native, err := r.library.NativeRate(ctx, u)
	if err != nil {
		return err
	}
	r.Rate = 48000
	if slices.Contains(sound.Rates, native) {
		r.Rate = native
	}
	im, err := r.library.Import(ctx, u, r.Rate, func(float64) {})
	if err != nil {
		return err
	}
	r.Missing = im.Missing
	r.Reader, err = r.library.Copy(im.Hash, r.Rate)
	return err
}

// Close lets go of the recording.
func (r *Recording) Close() {
	if r.library != nil {
		_ = r.library.Close()
	}
	_ = os.RemoveAll(r.dir)
}

// Loud is how loud a recording is, after ITU-R BS.1770-5 and EBU Tech 3341 and 3342.
type Loud struct {
	Seconds    float64 `json:"seconds"`
	Integrated float64 `json:"lufs"`
	Range      float64 `json:"rangeLU"`
	Momentary  float64 `json:"momentary"` // the loudest 400 ms, LUFS
	ShortTerm  float64 `json:"shortTerm"` // the loudest 3 s, LUFS
	TruePeak   float64 `json:"truePeak"`  // dBTP
}

// Loudness measures a recording of one or two channels.
func (r *Recording) Loudness(ctx context.Context, told func(float64)) (out Loud, err error) {
	n := r.Channels()
	if n > 2 {
		return out, fmt.Errorf("it has %d channels; loudness is measured of one or two", n)
	}
	l, peak := measure.NewLoudness(r.Rate, n), measure.NewTruePeak(n)
	v := make([][]float32, n)
	for at := int64(0); at < r.Len(); {
		if err := ctx.Err(); err != nil {
			return out, err
		}
		size := min(int64(r.Rate), r.Len()-at)
		for ch := range v {
			v[ch] = make([]float32, size)
			if err := r.ReadAt(v[ch], ch, at); err != nil {
				return out, err
			}
		}
		l.Add(v)
		peak.Add(v)
		at += size
		told(float64(at) / float64(r.Len()))
	}
	return Loud{float64(r.Len()) / float64(r.Rate), l.Integrated(), l.Range(), l.Momentary(), l.ShortTerm(), peak.DB()}, nil
}

// Quiet finds the stretches in which the room alone is heard.
func (r *Recording) Quiet(ctx context.Context, told func(float64)) (roomtone.Found, error) {
	return roomtone.Find(ctx, r, r.Rate, 0, r.Len(), told)
}

// Grow writes room tone that is grown of a stretch, from a second to another, as a WAV
// file of floats; of the best quiet stretch where to is 0.
func (r *Recording) Grow(ctx context.Context, w io.Writer, from, to, seconds float64, seed int64) error {
	rate := float64(r.Rate)
	a, b := int64(from*rate), int64(to*rate)
	if to == 0 {
		found, err := r.Quiet(ctx, func(float64) {})
		if err != nil {
			return err
		}
		if len(found.Quiet) == 0 {
			return fmt.Errorf("no stretch of it is quiet enough to grow room tone of. Name one with --from and --to")
		}
		a, b = found.Quiet[0].From, found.Quiet[0].To
	}
	if a < 0 || b > r.Len() || b-a < int64(rate/10) {
		return fmt.Errorf("room tone is grown of at least 0.1 s within the recording, which is %.2f s long", float64(r.Len())/rate)
	}
	right := -1
	if r.Channels() == 2 {
		right = 1
	}
	n := int64(seconds * rate)
	bed, err := roomtone.Grow(reel.Source{Left: 0, Right: right, Length: n, Bed: reel.Bed{From: a, To: b, Seed: max(seed, 1)}}, r.Rate, r)
	if err != nil {
		return err
	}
	out, err := wav.NewWriter(w, wav.Format{Channels: bed.Channels(), Rate: r.Rate, Bits: 32, Float: true}, n, false, wav.Meta{Date: time.Now().Format(time.DateOnly)})
	if err != nil {
		return err
	}
	v := make([][]float32, bed.Channels())
	for at := int64(0); at < n; {
		if err := ctx.Err(); err != nil {
			return err
		}
		size := min(int64(r.Rate), n-at)
		for ch := range v {
			v[ch] = make([]float32, size)
			if err := bed.ReadAt(v[ch], ch, at); err != nil {
				return err
			}
		}
		if err := out.Write(v); err != nil {
			return err
		}
		at += size
	}
	return out.Close()
}
