package work

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"

	"blendseam/media"
	"blendseam/store"
)

// ImportSettings name a file that has come whole and is to be in a reel.
type ImportSettings struct {
	Hash string `json:"hash"`
	Rate int    `json:"rate"` // of the reel, hertz
	// Folder is the group of sources that it is listed in.
	Folder string `json:"folder,omitempty"`
}

// hold notes the import of a file that has come whole, which is kept for whoever goes on
// with it after this process died. Without a database it goes on unnoted.
func (m *Imports) hold(ctx context.Context, j *Incoming, u *media.Upload, rate int) *Held {
	if m.noted == nil {
		return nil
	}
	err := m.library.Keep(u)
	var held *Held
	if err == nil {
		var settings []byte
		if settings, err = json.Marshal(ImportSettings{u.Hash, rate, j.Folder}); err == nil {
			held, err = m.noted.Hold(ctx, store.Job{Kind: ImportJob, Reel: j.reel, Name: j.Name, Settings: settings}, j.cancel)
		}
	}
	if err != nil && ctx.Err() == nil {
		m.log.Warn("an import is not noted: it would not go on after an end of the server", "name", j.Name, "error", err)
	}
	return held
}

// settled notes how an import ended. What the end of this process stopped is given back.
func (m *Imports) settled(ctx context.Context, j *Incoming, hash string, held *Held) {
	if held == nil {
		return
	}
	if ctx.Err() != nil {
		held.GiveBack()
		return
	}
	e := ending(m.Look(j))
	if e.State != store.Done {
		m.library.Unkeep(hash)
	}
	held.End(ctx, e)
}

// ending is how an import ended, as its job tells it.
func ending(j Incoming) store.JobEnd {
	e := store.JobEnd{State: store.Done, Detail: j.Detail}
	switch j.State {
	case "failed":
		e.State = store.Failed
	case "cancelled":
		e.State = store.Cancelled
	}
	return e
}

// Resume goes on with the import of a file whose worker died.
func (m *Imports) Resume(ctx context.Context, job store.Job, told func(float64)) (Outcome, error) {
	var want ImportSettings
	if err := json.Unmarshal(job.Settings, &want); err != nil {
		return Outcome{}, err
	}
	u, err := m.library.Reuse(want.Hash, job.Name)
	if errors.Is(err, media.ErrNoCopy) {
		return Outcome{}, fmt.Errorf("the file “%s” is not in the library any more. Import it again", job.Name)
	}
	if err != nil {
		return Outcome{}, err
	}
	defer u.Discard()
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	j := m.Begin(job.Reel, job.Name, want.Folder, cancel)
	m.set(j, func(j *Incoming) { j.State, j.onJob = "waiting", told })
	err = m.takeIn(ctx, j, u, want.Rate)
	if err != nil {
		m.Fail(j, err)
		if Passes(err) || ctx.Err() != nil {
			return Outcome{}, err
		}
	}
	end := ending(m.Look(j))
	if end.State != store.Done {
		m.library.Unkeep(want.Hash)
		return Outcome{}, errors.New(end.Detail)
	}
	return Outcome{Detail: end.Detail}, nil
}
