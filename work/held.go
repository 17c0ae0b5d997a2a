package work

import (
	"context"
	"log/slog"
	"math"
	"sync/atomic"
	"time"

	"blendseam/store"
)

// Held is a job that its maker works at: another takes it up only when this process dies.
// A nil one is none, as where the database was away when it was to be noted.
type Held struct {
	jobs     *Jobs
	job      store.Job
	log      *slog.Logger
	progress atomic.Uint64
	end      context.CancelCauseFunc
	beat     chan struct{}
}

// Hold notes a job that is begun here. Cancel is called when it is cancelled, or another
// took it as this process gave no sign.
func (m *Jobs) Hold(ctx context.Context, j store.Job, cancel func()) (*Held, error) {
	short, done := context.WithTimeout(ctx, 3*time.Second)
	defer done()
	j, err := m.store.BeginJob(short, j, m.name, m.Lease)
	if err != nil {
		return nil, err
	}
	h := &Held{jobs: m, job: j, log: m.log.With("job", j.ID, "kind", j.Kind, "name", j.Name), beat: make(chan struct{})}
	doing, end := context.WithCancelCause(context.WithoutCancel(ctx))
	h.end = end
	context.AfterFunc(doing, func() {
		if why := context.Cause(doing); why != context.Canceled {
			cancel()
		}
	})
	go func() {
		defer close(h.beat)
		m.beat(doing, end, j, &h.progress)
	}()
	return h, nil
}

// Told tells how far it is, 0…1.
func (h *Held) Told(p float64) {
	if h != nil {
		h.progress.Store(math.Float64bits(min(max(p, 0), 1)))
	}
}

// End notes how it ended, for as long as the database is away and this process lives.
func (h *Held) End(ctx context.Context, e store.JobEnd) {
	if h == nil {
		return
	}
	h.end(nil)
	<-h.beat
	h.jobs.settle(ctx, h.log, h.job, func(ctx context.Context) error { return h.jobs.store.EndJob(ctx, h.job, e, nil) })
}

// GiveBack lets another work at it at once: this process ends.
func (h *Held) GiveBack() {
	if h == nil {
		return
	}
	h.end(nil)
	<-h.beat
	ctx, cancel := context.WithTimeout(context.Background(), 3*time.Second)
	defer cancel()
	if err := h.jobs.store.GiveJobBack(ctx, h.job, false); err != nil {
		h.log.Warn("a job is not given back; it is taken up when its lease ends", "error", err)
	}
}
