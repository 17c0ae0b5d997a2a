package work

import (
	"context"
	"path/filepath"
	"strings"

	"blendseam/core/reel"
	"blendseam/media"
	"blendseam/store"
)

// takePicture keeps the frames of an upload that holds pictures and lists them
// in the reel. Also tells whether there is sound to take in too.
func (m *Imports) takePicture(ctx context.Context, j *Incoming, u *media.Upload) (made []reel.ID, sound bool, err error) {
	select {
	case m.looks <- struct{}{}:
	case <-ctx.Done():
		return nil, false, ctx.Err()
	}
	p, ok, err := m.library.Look(ctx, u)
	<-m.looks
	if err != nil || !ok {
		return nil, true, err
	}
	known, have, err := m.store.Picture(ctx, u.Hash)
	if err != nil {
		return nil, false, err
	}
	if frames, lacks := m.library.Frames(u.Hash); !have || lacks != nil || frames.Lacking() > 0 {
		m.set(j, func(j *Incoming) { j.State, j.Progress, j.Kind = "reading", 0, "frames" })
		turn, err := m.wait(ctx)
		if err != nil {
			return nil, false, err
		}
		took, err := m.library.Take(ctx, u, p, func(done float64) {
			turn.sign()
			m.set(j, func(j *Incoming) { j.Progress = done })
		})
		turn.end()
		if err != nil {
			return nil, false, err
		}
		m.came(u.Hash)
		known = store.Picture{Hash: took.Hash, FileName: u.Name, Format: took.Format, Bytes: took.Bytes, Rate: took.Rate, Frames: took.Frames, Width: took.Width, Height: took.Height, StartFrame: took.StartFrame, Note: took.Note}
		if err := m.store.SavePicture(ctx, known); err != nil {
			return nil, false, err
		}
	}
	v, err := m.store.Load(ctx, j.reel)
	if err != nil {
		return nil, false, err
	}
	src := PictureSource(known, v.Reel.Props)
	src.Name = distinctKind(v.Reel, true, strings.TrimSuffix(u.Name, filepath.Ext(u.Name)))
	src.Folder = j.Folder
	res, err := m.store.Library(ctx, j.reel, &reel.AddSource{Source: src})
	if no, again := err.(*reel.Refusal); again {
		m.set(j, func(j *Incoming) { j.Detail = no.Error() }) // told, not failed
		return nil, p.Sound, nil
	}
	if err != nil {
		return nil, false, err
	}
	m.changed(res)
	m.set(j, func(j *Incoming) { j.Detail, j.Kind = known.Note, "" })
	return res.Outcome.Made, p.Sound, nil
}

// PictureSource is a picture as a source of a reel, without a name.
func PictureSource(p store.Picture, props reel.Props) reel.Source {
	src := reel.Source{Recording: p.Hash, Left: -1, Right: -1, StartTC: -1, Picture: reel.Picture{Rate: p.Rate, Frames: p.Frames, Width: p.Width, Height: p.Height}}
	src.Length = src.Picture.Lasts(props)
	if p.StartFrame >= 0 {
		src.StartTC = p.Rate.Sample(p.StartFrame, props.SampleRate)
	}
	return src
}
