package work

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"os"
	"slices"
	"strings"

	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/media"
	"blendseam/media/wav"
	"blendseam/store"
)

// FitSettings are what is kept of a fit: the edit, and the revision it was asked for in.
type FitSettings struct {
	Edit reel.FitClip `json:"edit"`
	// Shot is fitted with its sound, instead of the one clip.
	Shot *reel.FitShot `json:"shot,omitempty"`
	Base int64         `json:"base"`
}

// Fits computes clips at another speed, and then makes the edit that plays them so.
type Fits struct {
	Store   *store.Store
	Library *media.Library
	Files   *Files
	// Changed is told of each reel in which a clip was fitted.
	Changed func(store.Result)
}

// Do works at a fit. Until it is done, the clip is as it was.
func (x *Fits) Do(ctx context.Context, j store.Job, told func(float64)) (out Outcome, err error) {
	var want FitSettings
	if err := json.Unmarshal(j.Settings, &want); err != nil {
		return out, err
	}
	v, err := x.Store.Load(ctx, j.Reel)
	if err != nil {
		return out, err
	}
	// What was fitted by a worker that died before it said so is found by its key.
	key := store.Once(ctx, fmt.Sprintf("fit-%d", j.ID), j.Settings)
	edit, err := x.computed(ctx, j.ID, Present(x.Library, v.Reel), want, told)
	var no *reel.Refusal
	if errors.As(err, &no) {
		edit, err = refused{no}, nil
	}
	if err != nil {
		return out, err
	}
	res, err := x.Store.Do(key, j.Reel, want.Base, edit)
	if err != nil {
		return out, err
	}
	if x.Changed != nil {
		x.Changed(res)
	}
	said := slices.Concat(res.Outcome.Says[:min(len(res.Outcome.Says), 1)], res.Outcome.Notes)
	out.Detail = strings.Join(said, ". ")
	return out, nil
}

// computed is the edit that is wanted, once what it needs has been computed.
func (x *Fits) computed(ctx context.Context, job int64, r *reel.Reel, want FitSettings, told func(float64)) (reel.Edit, error) {
	if want.Shot == nil {
		f, err := want.Edit.Fitting(r)
		if err != nil {
			return nil, err
		}
		want.Edit.Recording, err = x.copyOf(ctx, job, r, f, told)
		return &want.Edit, err
	}
	all, err := want.Shot.Fittings(r)
	if err != nil {
		return nil, err
	}
	want.Shot.Recordings = map[reel.ID]string{}
	done, whole := int64(0), int64(1)
	for _, f := range all {
		whole += f.Length
	}
	for _, clip := range slices.Sorted(maps.Keys(all)) {
		f := all[clip]
		want.Shot.Recordings[clip], err = x.copyOf(ctx, job, r, f, func(p float64) { told((float64(done) + p*float64(f.Length)) / float64(whole)) })
		if err != nil {
			return nil, err
		}
		done += f.Length
	}
	return want.Shot, nil
}

// refused is an edit that is not possible; that it was made before can still be found.
type refused struct{ no *reel.Refusal }

// Names implements reel.Edit.
func (refused) Names() []reel.ID { return nil }

// Apply implements reel.Edit.
func (r refused) Apply(*reel.Reel) (*reel.Done, error) { return nil, r.no }

// copyOf computes what a clip is to play and takes it into the library.
func (x *Fits) copyOf(ctx context.Context, job int64, r *reel.Reel, f reel.Fitting, told func(float64)) (recording string, err error) {
	for _, s := range r.Sources { // of another clip of the same recording, at the same speed
		if s.Fitted() && s.Length == f.Length && s.Fit.Of == f.Fit.Of && s.Fit.Left == f.Fit.Left && s.Fit.Right == f.Fit.Right && s.Fit.From == f.Fit.From && s.Fit.To == f.Fit.To {
			return s.Recording, nil
		}
	}
	rate := r.Props.SampleRate
	of, err := x.Library.Sound(f.Source, rate)
	if err != nil {
		return "", err
	}
	in, err := x.part(job)
	if err != nil {
		return "", err
	}
	defer x.Files.Drop(in)
	stretched, err := x.part(job)
	if err != nil {
		return "", err
	}
	defer x.Files.Drop(stretched)
	n := f.Fit.To - f.Fit.From
	if err := writeStretch(ctx, in, of, f.Fit.From, n, rate); err != nil {
		return "", err
	}
	channels := of.Channels()
	err = media.Stretch(ctx, in, stretched, float64(f.Length)/float64(n), channels, float64(max(n, f.Length))/float64(rate), func(p float64) { told(0.05 + 0.85*p) })
	if err != nil {
		return "", err
	}
	file, err := os.Open(stretched)
	if err != nil {
		return "", err
	}
	defer file.Close()
	info, err := file.Stat()
	if err != nil {
		return "", err
	}
	reader, err := wav.NewReader(file, info.Size())
	if err != nil || reader.Channels != channels {
		return "", fmt.Errorf("rubberband wrote no sound: %w", err)
	}
	name := reel.ShortName(f.Source.Name + ", fitted")
	rec, err := takeIn(ctx, x.Store, x.Library, name, rate, f.Length, channels, func(w *wav.Writer) error { return exactly(w, reader, channels, f.Length) })
	return rec.Hash, err
}

// part is the name of an empty file that goes with its job.
func (x *Fits) part(job int64) (string, error) {
	f, err := x.Files.Begin(job)
	if err != nil {
		return "", err
	}
	return f.Name(), f.Close()
}

// floats is the format in which nothing is lost.
func floats(channels, rate int) wav.Format {
	return wav.Format{Channels: channels, Rate: rate, Bits: 32, Float: true}
}

// writeStretch writes n samples of a sound as a WAV file.
func writeStretch(ctx context.Context, name string, of sound.Reader, from, n int64, rate int) error {
	f, err := os.Create(name)
	if err != nil {
		return err
	}
	defer f.Close()
	w, err := wav.NewWriter(f, floats(of.Channels(), rate), n, false, wav.Meta{})
	if err != nil {
		return err
	}
	if err := writeSound(ctx, w, of, from, n); err != nil {
		return err
	}
	if err := w.Close(); err != nil {
		return err
	}
	return f.Close()
}

// exactly writes n samples of what is read: what lacks is silent, what is over is left.
func exactly(w *wav.Writer, r *wav.Reader, channels int, n int64) error {
	v := make([][]float32, channels)
	for ch := range v {
		v[ch] = make([]float32, 1<<14)
	}
	for at := int64(0); at < n; {
		part := make([][]float32, channels)
		for ch := range v {
			part[ch] = v[ch][:min(1<<14, n-at)]
		}
		got, err := r.Read(part)
		if err != nil && err != io.EOF {
			return err
		}
		if got == 0 {
			got = len(part[0])
			for ch := range part {
				clear(part[ch])
			}
		}
		for ch := range part {
			part[ch] = part[ch][:got]
		}
		if err := w.Write(part); err != nil {
			return err
		}
		at += int64(got)
	}
	return nil
}
