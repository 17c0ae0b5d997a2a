package work

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/delivery"
	"blendseam/media"
	"blendseam/media/wav"
	"blendseam/store"
)

// ExtractSettings are stretches of a source, and what is made of them.
type ExtractSettings struct {
	Source    reel.ID                 `json:"source"`
	Stretches []delivery.NamedStretch `json:"stretches"`
	Pattern   string                  `json:"pattern,omitempty"`
	Files     bool                    `json:"files"`   // as files, in a ZIP
	Sources   bool                    `json:"sources"` // as sources of the reel
	File      delivery.File           `json:"file,omitempty"`
	Bits      int                     `json:"bits,omitempty"`
	Kbits     int                     `json:"kbits,omitempty"`
}

// Parts are the files that are wanted, and how they are written.
func (e ExtractSettings) Parts(r *reel.Reel) ([]delivery.Part, delivery.Spec, error) {
	var spec delivery.Spec
	if !e.Files && !e.Sources {
		return nil, spec, errors.New("save them as files, as sources, or as both")
	}
	src, ok := r.Source(e.Source)
	if !ok {
		return nil, spec, errors.New("that source is not in this reel")
	}
	parts, err := delivery.Stretches(r, src, e.Stretches, e.Pattern)
	if err != nil {
		return nil, spec, err
	}
	channels, now := 1, time.Now()
	if src.Right >= 0 {
		channels = 2
	}
	spec = delivery.Spec{To: 1, Rate: r.Props.SampleRate, Bits: e.Bits, Channels: channels, File: e.File, Kbits: e.Kbits, Made: now, Meta: wav.Meta{
		Description: "from " + src.Name, Date: now.Format(time.DateOnly), Time: now.Format(time.TimeOnly),
	}}
	if e.Files {
		err = spec.Check()
	}
	return parts, spec, err
}

// Extracts writes stretches of sources as files and takes them in as sources.
type Extracts struct {
	Store   *store.Store
	Library *media.Library
	Files   *Files
	Changed func(store.Result)
}

// Do works at stretches. Those that were taken in by a worker that died are not taken in
// again.
func (x *Extracts) Do(ctx context.Context, j store.Job, told func(float64)) (out Outcome, err error) {
	var want ExtractSettings
	if err := json.Unmarshal(j.Settings, &want); err != nil {
		return out, err
	}
	v, err := x.Store.Load(ctx, j.Reel)
	if err != nil {
		return out, err
	}
	v.Reel = Present(x.Library, v.Reel)
	parts, spec, err := want.Parts(v.Reel)
	if err != nil {
		return out, err
	}
	all, done := 1.0, int64(0)
	for _, p := range parts {
		all += float64(p.To - p.From)
	}
	if want.Files && want.Sources {
		all *= 2
	}
	if want.Sources {
		for i, p := range parts {
			if err := x.list(ctx, j, v.Reel, want.Source, p.Name, want.Stretches[i]); err != nil {
				return out, err
			}
			done += p.To - p.From
			told(float64(done) / all)
		}
		out.Detail = fmt.Sprintf("%d saved as sources", len(parts))
	}
	if !want.Files {
		return out, nil
	}
	f, err := x.Files.Begin(j.ID)
	if err != nil {
		return out, err
	}
	out.File = f.Name()
	err = delivery.BundleFile(ctx, f, OpenerOf(x.Library)(spec.Rate), parts, spec.Telling(func(n int64) { told(float64(done+n) / all) }))
	if err != nil {
		_ = f.Close()
		x.Files.Drop(out.File)
		return Outcome{}, err
	}
	_, err = x.Files.Finish(f)
	return out, err
}

// list makes a source of a stretch.
func (x *Extracts) list(ctx context.Context, j store.Job, r *reel.Reel, source reel.ID, name string, s delivery.NamedStretch) error {
	src, _ := r.Source(source)
	of, err := x.Library.Sound(src, r.Props.SampleRate)
	if err != nil {
		return err
	}
	rec, err := takeIn(ctx, x.Store, x.Library, name, r.Props.SampleRate, s.To-s.From, of.Channels(), func(w *wav.Writer) error { return writeSound(ctx, w, of, s.From, s.To-s.From) })
	if err != nil {
		return err
	}
	own := reel.Source{Recording: rec.Hash, Name: Shorten(name), Right: -1, Length: rec.Length, StartTC: -1}
	if of.Channels() > 1 {
		own.Right = 1
	}
	if src.StartTC >= 0 {
		own.StartTC = src.StartTC + s.From
	}
	res, err := x.Store.Library(ctx, j.Reel, &reel.AddSource{Source: own})
	var no *reel.Refusal
	if errors.As(err, &no) {
		return nil // the same sound is among the sources
	}
	if err == nil && x.Changed != nil {
		x.Changed(res)
	}
	return err
}

// writeSound writes n samples of a sound.
func writeSound(ctx context.Context, w *wav.Writer, of sound.Reader, from, n int64) error {
	const block = 1 << 16
	v := make([][]float32, of.Channels())
	for ch := range v {
		v[ch] = make([]float32, block)
	}
	part := make([][]float32, len(v))
	for at := int64(0); at < n; at += block {
		if err := ctx.Err(); err != nil {
			return err
		}
		for ch := range v {
			part[ch] = v[ch][:min(block, n-at)]
			if err := of.ReadAt(part[ch], ch, from+at); err != nil {
				return err
			}
		}
		if err := w.Write(part); err != nil {
			return err
		}
	}
	return nil
}
