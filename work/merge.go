package work

import (
	"context"
	"fmt"
	"io"

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
	_, m, err := what.Of(v.Reel)
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
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	out, in := io.Pipe()
	go func() { in.CloseWithError(write(ctx, in, r, m, channels)) }()
	u, err := x.Library.Receive(ctx, name+".wav", out, func(int64) {})
	if err != nil {
		_ = out.CloseWithError(err)
		return rec, err
	}
	defer u.Discard()
	im, err := x.Library.Import(ctx, u, rate, func(float64) {})
	if err != nil {
		return rec, err
	}
	if im.Length != m.Samples() || im.Bad > 0 {
		return rec, fmt.Errorf("what was merged is %d samples long, not %d, with %d that are no numbers", im.Length, m.Samples(), im.Bad)
	}
	rec = store.Recording{Hash: im.Hash, Rate: im.Rate, FileName: u.Name, Format: im.Format, Bytes: im.Bytes, NativeRate: im.NativeRate, Channels: im.Channels, Length: im.Length, StartTC: im.StartTC}
	return rec, x.Store.SaveRecording(ctx, rec)
}

// write writes a mix as a WAV file of floats.
func write(ctx context.Context, w io.Writer, r *mix.Mix, m reel.Merging, channels int) error {
	out, err := wav.NewWriter(w, wav.Format{Channels: channels, Rate: m.Reel.Props.SampleRate, Bits: 32, Float: true}, m.Samples(), false, wav.Meta{})
	if err != nil {
		return err
	}
	v := [][]float32{make([]float32, mix.Block), make([]float32, mix.Block)}
	for at, end := m.From-m.Before, m.To+m.After; at < end; at += mix.Block {
		n := min(mix.Block, end-at)
		l, r2 := v[0][:n], v[1][:n]
		if err := r.Render(ctx, l, r2, at); err != nil {
			return err
		}
		if err := out.Write([][]float32{l, r2}[:channels]); err != nil {
			return err
		}
	}
	return out.Close()
}
