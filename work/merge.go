package work

import (
	"context"

	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/media"
	"blendseam/media/wav"
	"blendseam/store"
)

// Merges renders clips into recordings of their own and puts these in their place.
type Merges struct {
	Store   *store.Store
	Library *media.Library
	Open    Opener
}

// Merge does so to clips of a reel. It is one step, done or not done at all.
func (x *Merges) Merge(ctx context.Context, id, base int64, what reel.Merged) (store.Result, error) {
	v, err := x.Store.Load(ctx, id)
	if err != nil {
		return store.Result{}, err
	}
	_, m, err := what.Of(Present(x.Library, v.Reel))
	if err != nil {
		return store.Result{}, err
	}
	first, _ := m.Reel.Clip(m.Reel.OnTrack(m.Track)[0].ID)
	name := reel.ShortName(first.Name + ", merged")
	rec, err := x.render(ctx, m, name)
	if err != nil {
		return store.Result{}, err
	}
	return x.Store.Do(ctx, id, base, &reel.Merge{Merged: what, Digest: m.Digest(), Source: reel.Source{Recording: rec.Hash, Right: rec.Channels - 2 + rec.Channels/2, Name: name}})
}

// render writes what is merged as 32-bit float samples and takes it into the library.
func (x *Merges) render(ctx context.Context, m reel.Merging, name string) (rec store.Recording, err error) {
	rate := m.Reel.Props.SampleRate
	r, err := mix.New(m.Reel, x.Open(rate), mix.Options{})
	if err != nil {
		return rec, err
	}
	channels := 2
	if r.Mono(m.From-m.Before, m.To+m.After) {
		channels = 1
	}
	return takeIn(ctx, x.Store, x.Library, name, rate, m.Samples(), channels, func(w *wav.Writer) error { return write(ctx, w, r, m, channels) })
}

// write writes what is merged.
func write(ctx context.Context, out *wav.Writer, r *mix.Mix, m reel.Merging, channels int) error {
	left, right := make([]float32, mix.Block), make([]float32, mix.Block)
	for at, end := m.From-m.Before, m.To+m.After; at < end; at += mix.Block {
		n := min(mix.Block, end-at)
		if err := r.Render(ctx, left[:n], right[:n], at); err != nil {
			return err
		}
		if err := out.Write([][]float32{left[:n], right[:n]}[:channels]); err != nil {
			return err
		}
	}
	return nil
}
