package work

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"

	"blendseam/core/conform"
	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/media"
	"blendseam/media/wav"
	"blendseam/store"
)

// Takes joins the files of takes.
type Takes struct {
	Store   *store.Store
	Library *media.Library
	Changed func(store.Result)
}

// TakesOf finds the takes of a reel that came as several files.
func TakesOf(l *media.Library, r *reel.Reel) []conform.Take {
	return conform.Takes(Present(l, r), func(s reel.Source) conform.PartOf {
		told, err := l.Tells(s.Recording, r.Props.SampleRate)
		if err != nil || told.Files == 1 {
			return conform.PartOf{}
		}
		return conform.PartOf{Family: told.Family, Index: told.Index}
	})
}

// Do works at a take: one recording is made of its files, and stands in their place in the
// list. Those that clips play stay.
func (x *Takes) Do(ctx context.Context, j store.Job, told func(float64)) (out Outcome, err error) {
	var want conform.Take
	if err := json.Unmarshal(j.Settings, &want); err != nil {
		return out, err
	}
	v, err := x.Store.Load(ctx, j.Reel)
	if err != nil {
		return out, err
	}
	here, p, take := Present(x.Library, v.Reel), v.Reel.Props, joined{how: want.How}
	var first reel.Source
	for i, id := range want.Sources {
		src, ok := here.Source(id)
		if !ok || src.Missing() {
			return out, errors.New("a file of this take is no longer among the sources")
		}
		of, err := x.Library.Sound(src, p.SampleRate)
		if err != nil {
			return out, err
		}
		if take.parts = append(take.parts, of); i == 0 {
			first = src
		}
	}
	n := take.Len()
	rec, err := takeIn(ctx, x.Store, x.Library, want.Name, p.SampleRate, n, take.Channels(), func(w *wav.Writer) error {
		return writeTelling(ctx, w, take, n, told)
	})
	if err != nil {
		return out, err
	}
	own := reel.Source{Recording: rec.Hash, Name: distinctKind(v.Reel, false, want.Name, want.Name+", joined"), Right: -1, Length: rec.Length, StartTC: first.StartTC, Folder: first.Folder}
	if take.Channels() > 1 {
		own.Right = 1
	}
	edits := []reel.Edit{&reel.AddSource{Source: own}}
	for _, id := range want.Sources {
		if len(v.Reel.UsedBy(id)) == 0 {
			edits = append(edits, &reel.RemoveSource{Source: id})
		}
	}
	for _, e := range edits {
		res, err := x.Store.Library(ctx, j.Reel, e)
		var no *reel.Refusal
		if errors.As(err, &no) {
			continue // it was done before by a worker that died, or is played meanwhile
		}
		if err != nil {
			return out, err
		}
		if x.Changed != nil {
			x.Changed(res)
		}
	}
	out.Detail = fmt.Sprintf("%d files joined", len(want.Sources))
	return out, nil
}

// joined is the sound of the files of a take. It implements sound.Reader.
type joined struct {
	how   conform.Joining
	parts []sound.Reader
}

// Channels implements sound.Reader.
func (t joined) Channels() int {
	if t.how == conform.Beside {
		return len(t.parts)
	}
	return t.parts[0].Channels()
}

// Len implements sound.Reader.
func (t joined) Len() (n int64) {
	for _, p := range t.parts {
		if t.how == conform.Beside {
			n = max(n, p.Len())
		} else {
			n += p.Len()
		}
	}
	return n
}

// ReadAt implements sound.Reader.
func (t joined) ReadAt(dst []float32, ch int, from int64) error {
	if t.how == conform.Beside {
		return t.parts[ch].ReadAt(dst, 0, from)
	}
	begins := int64(0)
	for _, p := range t.parts {
		a, b := max(from, begins), min(from+int64(len(dst)), begins+p.Len())
		if a < b {
			if err := p.ReadAt(dst[a-from:b-from], ch, a-begins); err != nil {
				return err
			}
		}
		begins += p.Len()
	}
	return nil
}

// writeTelling writes a sound in parts, and tells how far it is.
func writeTelling(ctx context.Context, w *wav.Writer, of sound.Reader, n int64, told func(float64)) error {
	const part = 1 << 20
	for at := int64(0); at < n; at += part {
		if err := writeSound(ctx, w, of, at, min(part, n-at)); err != nil {
			return err
		}
		told(0.9 * float64(at) / float64(n))
	}
	return nil
}
