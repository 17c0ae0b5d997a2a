package work

import (
	"context"
	"fmt"
	"io"

	"blendseam/media"
	"blendseam/media/wav"
	"blendseam/store"
)

// takeIn takes sound that was made here into the library, as a recording of floats.
func takeIn(ctx context.Context, st *store.Store, library *media.Library, name string, rate int, n int64, channels int, write func(*wav.Writer) error) (rec store.Recording, err error) {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	out, in := io.Pipe()
	defer func() { _ = out.Close() }()
	go func() {
		w, err := wav.NewWriter(in, floats(channels, rate), n, false, wav.Meta{})
		if err == nil {
			err = write(w)
		}
		if err == nil {
			err = w.Close()
		}
		_ = in.CloseWithError(err)
	}()
	u, err := library.Receive(ctx, name+".wav", out, func(int64) {})
	if err != nil {
		return rec, err
	}
	defer u.Discard()
	im, err := library.Import(ctx, u, rate, func(float64) {})
	if err != nil {
		return rec, err
	}
	if im.Length != n || im.Bad > 0 {
		return rec, fmt.Errorf("what was made is %d samples long, not %d, with %d that are no numbers", im.Length, n, im.Bad)
	}
	rec = recordingOf(im, u.Name)
	return rec, st.SaveRecording(ctx, rec)
}

// recordingOf is what is kept of a file that was taken in.
func recordingOf(im media.Imported, name string) store.Recording {
	return store.Recording{
		Hash: im.Hash, Rate: im.Rate, FileName: name, Format: im.Format, Bytes: im.Bytes, NativeRate: im.NativeRate,
		Channels: im.Channels, Length: im.Length, Missing: im.Missing, Bad: im.Bad, StartTC: im.StartTC,
	}
}
