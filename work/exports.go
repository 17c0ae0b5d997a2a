package work

import (
	"context"
	"encoding/json"
	"time"

	"blendseam/delivery"
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
	plan, err := want.Order.Plan(v.Reel, v.Revision, time.Now())
	if err != nil {
		return out, err
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
