package work

import (
	"context"
	"encoding/json"
	"reflect"
	"time"

	"blendseam/core/reel"
	"blendseam/delivery"
	"blendseam/store"
)

// JobView is a job as it is shown.
type JobView struct {
	ID        int64           `json:"id"`
	Kind      string          `json:"kind" doc:"export, fit, extract, join, bundle or import"`
	Reel      int64           `json:"reel"`
	Name      string          `json:"name"`
	State     store.JobState  `json:"state" doc:"waiting, working, done, failed or cancelled"`
	Stopping  bool            `json:"stopping" doc:"it was cancelled and is about to end"`
	Tries     int             `json:"tries"`
	Progress  float64         `json:"progress" doc:"0…1"`
	Left      float64         `json:"left" doc:"seconds until it is done, as far as can be told; below 0 where it cannot"`
	Detail    string          `json:"detail"`
	Bytes     int64           `json:"bytes"`
	MadeAt    time.Time       `json:"madeAt"`
	EndedAt   *time.Time      `json:"endedAt,omitempty"`
	KeptUntil *time.Time      `json:"keptUntil,omitempty" doc:"until when its file can be had; left out where there is none"`
	Order     *delivery.Order `json:"order,omitempty" doc:"of an export"`
	Revision  int64           `json:"revision,omitempty" doc:"of the reel that is exported"`
	Clip      reel.ID         `json:"clip,omitempty" doc:"that is fitted"`
	Length    int64           `json:"length,omitempty" doc:"samples, that it is fitted to"`
}

// View is a job as it is shown now.
func View(j store.Job) JobView {
	out := JobView{ID: j.ID, Kind: j.Kind, Reel: j.Reel, Name: j.Name, State: j.State, Stopping: j.Stopping, Tries: j.Tries, Progress: j.Progress, Left: -1,
		Detail: j.Detail, Bytes: j.Bytes, MadeAt: j.MadeAt, EndedAt: j.EndedAt, KeptUntil: j.KeptUntil}
	if j.State == store.Working && j.BegunAt != nil && j.Progress > 0.01 {
		out.Left = max(time.Since(*j.BegunAt).Seconds()*(1-j.Progress)/j.Progress, 0)
	}
	if j.Kind == FitJob {
		var f FitSettings
		if json.Unmarshal(j.Settings, &f) == nil {
			out.Clip, out.Length = f.Edit.Clip, f.Edit.Length
			if f.Shot != nil {
				out.Clip, out.Length = f.Shot.Shot, f.Shot.Length
			}
		}
	}
	if j.Kind == ExportJob {
		var e ExportSettings
		if json.Unmarshal(j.Settings, &e) == nil {
			out.Order, out.Revision = &e.Order, e.Revision
		}
	}
	return out
}

const (
	followBusy = 200 * time.Millisecond // while jobs are under way
	followIdle = 2 * time.Second
)

// FollowJobs tells those who watch a reel how its jobs stand, whoever works at them.
func FollowJobs(ctx context.Context, st *store.Store, jobs *Jobs, news News) {
	told := map[int64]JobView{}
	for wait := followBusy; ; {
		select {
		case <-ctx.Done():
			return
		case <-jobs.added:
		case <-time.After(wait):
		}
		list, err := st.LiveJobs(ctx)
		if err != nil {
			wait = followIdle
			continue
		}
		wait = followIdle
		now := map[int64]JobView{}
		for _, j := range list {
			v := View(j)
			now[j.ID] = v
			if !j.State.Ended() {
				wait = followBusy
			}
			was, known := told[j.ID]
			if known && was.Left != v.Left {
				was.Left = v.Left
			}
			if !known || !reflect.DeepEqual(was, v) {
				news.Tell(j.Reel, "job", v)
			}
		}
		told = now
	}
}
