package work

import (
	"context"
	"encoding/json"
	"time"

	"blendseam/core/reel"
	"blendseam/delivery"
	"blendseam/media"
	"blendseam/store"
)

// ExportSettings are what is kept of an export: what is wanted, and of which revision.
type ExportSettings struct {
	Order    delivery.Order `json:"order"`
	Revision int64          `json:"revision"`
}

// Exports writes the files of exports.
type Exports struct {
	Store *store.Store
	Files *Files
	Open  Opener
	// Library has the files of pictures.
	Library *media.Library
}

// Do works at an export: of the reel as it was when it was asked for.
func (x *Exports) Do(ctx context.Context, j store.Job, told func(float64)) (out Outcome, err error) {
	var want ExportSettings
	if err := json.Unmarshal(j.Settings, &want); err != nil {
		return out, err
	}
	v, err := x.Store.At(ctx, j.Reel, want.Revision)
	if err != nil {
		return out, err
	}
	v.Reel = Present(x.Library, v.Reel)
	plan, err := want.Order.Plan(v.Reel, v.Revision, time.Now())
	if err != nil {
		return out, err
	}
	if plan.Film != nil {
		return x.film(ctx, j, plan, v.Reel, told)
	}
	f, err := x.Files.Begin(j.ID)
	if err != nil {
		return out, err
	}
	out.File = f.Name()
	all := float64(max(plan.Samples(), 1))
	err = plan.WriteFile(ctx, f, x.Open(v.Reel.Props.SampleRate), func(n int64) { told(float64(n) / all) })
	if err != nil {
		_ = f.Close()
		x.Files.Drop(out.File)
		return Outcome{}, err
	}
	_, err = x.Files.Finish(f)
	return out, err
}

// film writes a video: first its sound, then that with the pictures.
func (x *Exports) film(ctx context.Context, j store.Job, plan *delivery.Plan, r *reel.Reel, told func(float64)) (out Outcome, err error) {
	sound, err := x.Files.Begin(j.ID)
	if err != nil {
		return out, err
	}
	defer x.Files.Drop(sound.Name())
	defer sound.Close()
	all := float64(max(plan.Samples(), 1))
	if err := plan.WriteFile(ctx, sound, x.Open(r.Props.SampleRate), func(n int64) { told(0.2 * float64(n) / all) }); err != nil {
		return out, err
	}
	f, err := x.Files.Begin(j.ID)
	if err != nil {
		return out, err
	}
	defer f.Close()
	var parts []media.FilmPart
	for _, s := range plan.Film {
		p := media.FilmPart{First: s.First, Frames: s.Frames, Rate: s.Source.Picture.Rate, Still: !s.Source.Picture.Moving(), Pace: s.Source.Picture.Pace, In: s.In}
		if s.Shot != 0 && !s.Source.Missing() {
			p.Hash = s.Source.Recording
		}
		parts = append(parts, p)
	}
	whole, err := x.Library.Film(ctx, parts, r.Props.FrameRate, sound.Name(), f.Name(), func(p float64) { told(0.2 + 0.8*p) })
	if err != nil {
		x.Files.Drop(f.Name())
		return out, err
	}
	out.Detail = "pictures coded anew"
	if whole {
		out.Detail = "pictures copied as they are"
	}
	out.File = f.Name()
	return out, f.Sync()
}
