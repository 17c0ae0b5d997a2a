package api

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"net/http"
	"time"

	"blendseam/core/conform"
	"blendseam/delivery"
	"blendseam/server/answer"
	"blendseam/store"
	"blendseam/work"
)

func (s *API) jobRoutes() {
	get(s, "/jobs", "listJobs", "Work that goes on or went on, the newest first", s.listJobs)
	get(s, "/jobs/{job}", "getJob", "How a job stands", func(ctx context.Context, in *OfJob) (work.JobView, error) {
		j, err := s.Store.Job(ctx, in.Job)
		return work.View(j), err
	})
	create(s, "/reels/{reel}/exports", "export", "Write a file of the reel as it is now, as a job", s.postExport)
	create(s, "/reels/{reel}/extracts", "postExtract", "Save stretches of a source as files and as sources, as a job", s.postExtract)
	post(s, "/reels/{reel}/pauses-fit", "postPauses", "What would bring a clip to a length by its pauses alone. Nothing is changed", s.postPauses)
	create(s, "/reels/{reel}/shot-fits", "postShotFit", "Run a shot with its sound at another speed, as a job", s.postShotFit)
	create(s, "/reels/{reel}/fits", "postFit", "Compute a clip at another speed, as a job, and play it so", s.postFit)
	act(s, http.MethodPost, "/jobs/{job}/cancel", "cancelJob", "End a job; one that has ended stays as it is", s.cancelJob)
	create(s, "/jobs/{job}/repeat", "repeatJob", "Do a job again, with its settings, on the reel as it is now", s.repeatJob)
	act(s, http.MethodDelete, "/jobs/{job}", "removeJob", "Take a job that has ended off the list, with its file", s.removeJob)
}

// OfJob is a request about a job.
type OfJob struct {
	Job int64 `path:"job" minimum:"0" doc:"id of the job"`
}

// JobList are jobs.
type JobList struct {
	Jobs []work.JobView `json:"jobs"`
}

func (s *API) listJobs(ctx context.Context, in *struct {
	Reel int64 `query:"reel" doc:"of which; 0 for all"`
}) (JobList, error) {
	all, err := s.Store.Jobs(ctx, in.Reel)
	out := JobList{Jobs: []work.JobView{}}
	for _, j := range all {
		out.Jobs = append(out.Jobs, work.View(j))
	}
	return out, err
}

func (s *API) postExport(ctx context.Context, in *struct {
	OfReel
	Body delivery.Order
}) (*Made, error) {
	return s.addExport(ctx, in.Reel, in.Body)
}

func (s *API) addExport(ctx context.Context, id int64, o delivery.Order) (*Made, error) {
	v, p, err := s.plan(ctx, id, o)
	if err != nil {
		return nil, err
	}
	settings, err := json.Marshal(work.ExportSettings{Order: o, Revision: v.Revision})
	if err != nil {
		return nil, err
	}
	return s.addJob(ctx, store.Job{Kind: work.ExportJob, Reel: id, Name: p.Name, Settings: settings})
}

func (s *API) addJob(ctx context.Context, j store.Job) (*Made, error) {
	id, err := s.Store.AddJob(ctx, j)
	if err != nil {
		return nil, err
	}
	s.Jobs.Wake()
	return made(id, fmt.Sprintf("/api/v1/jobs/%d", id)), nil
}

func (s *API) cancelJob(ctx context.Context, in *OfJob) error {
	if _, err := s.Store.Job(ctx, in.Job); err != nil {
		return err
	}
	return s.Store.CancelJob(ctx, in.Job)
}

func (s *API) repeatJob(ctx context.Context, in *OfJob) (*Made, error) {
	j, err := s.Store.Job(ctx, in.Job)
	if err != nil {
		return nil, err
	}
	if j.Kind == work.FitJob {
		var f work.FitSettings
		v, err := s.Store.Load(ctx, j.Reel)
		if err == nil {
			err = json.Unmarshal(j.Settings, &f)
		}
		if err != nil {
			return nil, err
		}
		f.Base = v.Revision
		return s.fitJob(ctx, v, f)
	}
	if j.Kind == work.ImportJob {
		return nil, answer.Bad("A file is imported again by choosing it again under Sources.")
	}
	if j.Kind == work.BundleJob {
		var b work.BundleSettings
		if err := json.Unmarshal(j.Settings, &b); err != nil {
			return nil, err
		}
		return s.addBundle(ctx, j.Reel, b)
	}
	if j.Kind == work.JoinJob {
		var t conform.Take
		if err := json.Unmarshal(j.Settings, &t); err != nil {
			return nil, err
		}
		return s.addTake(ctx, j.Reel, t.Sources)
	}
	if j.Kind == work.ExtractJob {
		var e work.ExtractSettings
		if err := json.Unmarshal(j.Settings, &e); err != nil {
			return nil, err
		}
		return s.addExtract(ctx, j.Reel, e)
	}
	var e work.ExportSettings
	if err := json.Unmarshal(j.Settings, &e); err != nil {
		return nil, err
	}
	return s.addExport(ctx, j.Reel, e.Order)
}

func (s *API) removeJob(ctx context.Context, in *OfJob) error {
	if _, err := s.Store.Job(ctx, in.Job); err != nil {
		return err
	}
	if err := s.Store.RemoveJob(ctx, in.Job); err != nil {
		return err
	}
	_, err := s.Files.Remove(in.Job)
	return err
}

// getJobFile sends the file of a job, or a part of it.
func (s *API) getJobFile(w http.ResponseWriter, r *http.Request) {
	id, err := answer.PathInt(r, "job")
	var j store.Job
	if err == nil {
		j, err = s.Store.Job(r.Context(), id)
	}
	if err == nil && (j.State != store.Done || j.KeptUntil == nil) {
		err = store.ErrNoFile
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	f, err := s.Files.Open(id)
	if errors.Is(err, fs.ErrNotExist) {
		err = store.ErrNoFile
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	defer f.Close()
	h := w.Header()
	h.Set("Content-Type", fileType(j))
	h.Set("Cache-Control", "no-store")
	h.Set("Content-Disposition", attachment(j.Name))
	http.ServeContent(w, r, "", time.Time{}, f)
}

// fileType is the media type of what a job wrote.
func fileType(j store.Job) string {
	var e work.ExportSettings
	if j.Kind == work.ExportJob && json.Unmarshal(j.Settings, &e) == nil && e.Order.Each == delivery.Mix {
		if e.Order.File == delivery.MP4 {
			return "video/mp4"
		}
		return e.Order.File.Type()
	}
	return "application/zip"
}
