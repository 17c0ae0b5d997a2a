package work

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"log/slog"
	"math"
	"os"
	"sync/atomic"
	"syscall"
	"time"

	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/media"
	"blendseam/store"
)

// Kinds of jobs.
const (
	ExportJob = "export"
	FitJob    = "fit"
	// ImportJob takes a file in that has come.
	ImportJob = "import"
	// JoinJob joins the files of a take.
	JoinJob = "join"
	// ExtractJob saves stretches of a source.
	ExtractJob = "extract"
	// BundleJob writes a reel with its sound as one file.
	BundleJob = "bundle"
)

// Outcome is what a job led to.
type Outcome struct {
	Detail string
	Result any
	File   string // written, whole and on the disk; it is brought to its place
}

// Do works at a job. It tells how far it is, 0…1, and may be begun anew elsewhere
// after its worker died.
type Do func(ctx context.Context, j store.Job, told func(float64)) (Outcome, error)

// Jobs works at the jobs that the database holds, beside other workers on the same
// database and library.
type Jobs struct {
	store *store.Store
	shelf *Files
	log   *slog.Logger
	do    map[string]Do
	kinds []string
	name  string
	wake  chan struct{} // a job was added here
	added chan struct{} // the same, for who tells of jobs
	Lease time.Duration // how long a job is kept without a sign
}

const (
	// JobLease is how long a worker that shows no sign keeps a job, unless set otherwise.
	JobLease = 15 * time.Second
	// jobLook is how often a worker without a job looks for one that others added.
	jobLook = time.Second
)

// NewJobs works at jobs on a database and a library; their files lie on a shelf.
func NewJobs(st *store.Store, library *media.Library, shelf *Files, log *slog.Logger, changed func(store.Result)) *Jobs {
	m := &Jobs{store: st, shelf: shelf, log: log, do: map[string]Do{}, name: rand.Text(), wake: make(chan struct{}, 64), added: make(chan struct{}, 1), Lease: JobLease}
	exports, fits := &Exports{st, shelf, OpenerOf(library), library}, &Fits{st, library, shelf, changed}
	m.teach(ExportJob, exports.Do)
	m.teach(FitJob, fits.Do)
	m.teach(ExtractJob, (&Extracts{st, library, shelf, changed}).Do)
	m.teach(JoinJob, (&Takes{st, library, changed}).Do)
	m.teach(BundleJob, (&Bundles{st, library, shelf}).Do)
	return m
}

// Imports lets imports be noted as jobs, and goes on with those whose server died.
func (m *Jobs) Imports(of *Imports) {
	of.noted = m
	m.teach(ImportJob, of.Resume)
}

// OpenerOf gives the sound of a library.
func OpenerOf(library *media.Library) Opener {
	return func(rate int) mix.Open {
		return func(src reel.Source) (sound.Reader, error) { return library.Sound(src, rate) }
	}
}

// teach says how jobs of a kind are done.
func (m *Jobs) teach(kind string, do Do) {
	m.do[kind] = do
	m.kinds = append(m.kinds, kind)
}

// Wake has a job looked for at once.
func (m *Jobs) Wake() {
	select {
	case m.wake <- struct{}{}:
	default:
	}
	select {
	case m.added <- struct{}{}:
	default:
	}
}

// Keep works at one job after the other for as long as the context lasts.
func (m *Jobs) Keep(ctx context.Context) {
	for ctx.Err() == nil {
		j, err := m.store.ClaimJob(ctx, m.name, m.kinds, m.Lease)
		if err == nil {
			m.work(ctx, j)
			continue
		}
		if !errors.Is(err, store.ErrNoJob) && !errors.Is(err, store.ErrAway) && ctx.Err() == nil {
			m.log.Warn("jobs cannot be looked for", "error", err)
		}
		select {
		case <-ctx.Done():
		case <-m.wake:
		case <-time.After(jobLook):
		}
	}
}

// Why a job is ended from outside.
var errStopped = errors.New("it was cancelled")

// work does a job and notes how it ended.
func (m *Jobs) work(ctx context.Context, j store.Job) {
	doing, end := context.WithCancelCause(ctx)
	defer end(nil)
	var progress atomic.Uint64
	beat := make(chan struct{})
	go func() {
		defer close(beat)
		m.beat(doing, end, j, &progress)
	}()
	out, err := m.try(doing, j, func(p float64) { progress.Store(math.Float64bits(min(max(p, 0), 1))) })
	why := context.Cause(doing)
	end(nil)
	<-beat
	defer func() { m.shelf.Drop(out.File) }()
	log := m.log.With("job", j.ID, "kind", j.Kind, "name", j.Name)
	switch {
	case errors.Is(why, store.ErrNotMine):
		log.Warn("a job is worked at elsewhere")
		return
	case errors.Is(why, errStopped):
		m.settle(ctx, log, j, func(ctx context.Context) error {
			return m.store.EndJob(ctx, j, store.JobEnd{State: store.Cancelled, Detail: "Cancelled."}, nil)
		})
		return
	case ctx.Err() != nil && (err != nil || why != nil):
		late, cancel := context.WithTimeout(context.WithoutCancel(ctx), 3*time.Second)
		defer cancel()
		if err := m.store.GiveJobBack(late, j, false); err != nil {
			log.Warn("a job is not given back; it is taken up when its lease ends", "error", err)
		}
		return
	case err == nil:
		log.Info("a job is done", "detail", out.Detail)
		m.settle(ctx, log, j, func(ctx context.Context) error {
			e := store.JobEnd{State: store.Done, Detail: out.Detail, Result: out.Result}
			if out.File == "" {
				return m.store.EndJob(ctx, j, e, nil)
			}
			e.Bytes, e.Keep = m.shelf.Size(out.File), time.Duration(m.shelf.Days*24*float64(time.Hour))
			return m.store.EndJob(ctx, j, e, func() error { return m.shelf.Put(out.File, j.ID) })
		})
		return
	}
	log.Warn("a job failed", "error", err)
	m.settle(ctx, log, j, func(ctx context.Context) error {
		if Passes(err) && j.Tries < store.MostTries {
			return m.store.GiveJobBack(ctx, j, true)
		}
		return m.store.EndJob(ctx, j, store.JobEnd{State: store.Failed, Detail: Said(err)}, nil)
	})
}

// try does a job; one that trips over a fault of ours does not take the server down.
func (m *Jobs) try(ctx context.Context, j store.Job, told func(float64)) (out Outcome, err error) {
	defer func() {
		if why := recover(); why != nil {
			m.log.Error("a job broke", "job", j.ID, "why", why)
			err = fmt.Errorf("a fault in the program: %v", why)
		}
	}()
	return m.do[j.Kind](ctx, j, told)
}

// beat renews the lease of a job, tells how far it is and hears whether it is to end.
func (m *Jobs) beat(ctx context.Context, end context.CancelCauseFunc, j store.Job, progress *atomic.Uint64) {
	for every := m.Lease / 30; ; every = m.Lease / 20 {
		select {
		case <-ctx.Done():
			return
		case <-time.After(every):
		}
		stopping, err := m.store.KeepJob(ctx, j, math.Float64frombits(progress.Load()), m.Lease)
		switch {
		case errors.Is(err, store.ErrNotMine):
			end(err)
		case stopping:
			end(errStopped)
		}
	}
}

// settle notes how a job ended, for as long as the database is away.
func (m *Jobs) settle(ctx context.Context, log *slog.Logger, j store.Job, note func(context.Context) error) {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	for {
		err := note(ctx)
		if err == nil || ctx.Err() != nil {
			return
		}
		if errors.Is(err, store.ErrNotMine) {
			// What was noted before may have been kept though its answer did not come.
			if now, err := m.store.Job(ctx, j.ID); err != nil || !now.State.Ended() {
				log.Warn("a job is worked at elsewhere")
			}
			return
		}
		if !Passes(err) {
			log.Error("how a job ended cannot be noted", "error", err)
			note = func(ctx context.Context) error {
				return m.store.EndJob(ctx, j, store.JobEnd{State: store.Failed, Detail: Said(err)}, nil)
			}
		}
		select {
		case <-ctx.Done():
		case <-time.After(m.Lease / 15):
		}
	}
}

// Passes reports whether an error is of the database and of the moment.
func Passes(err error) bool {
	return errors.Is(err, store.ErrAway) || errors.Is(err, store.ErrBusy) || errors.Is(err, store.ErrUnknown)
}

// Said is an error in words for who asked for a job.
func Said(err error) string {
	switch {
	case errors.Is(err, syscall.ENOSPC), errors.Is(err, syscall.EDQUOT):
		return "The disk is full. Nothing was left half written. Make room on it, then repeat."
	case errors.Is(err, context.DeadlineExceeded):
		return "It took far longer than it should and was ended. Repeat it, or see the server's log."
	case errors.Is(err, os.ErrPermission):
		return "The folder for files cannot be written to. See the server's log."
	case errors.Is(err, store.ErrNoReel):
		return "The reel was removed. Restore it, then repeat."
	case errors.Is(err, store.ErrNoRevision):
		return "The reel cannot be brought back to how it was then. Export it as it is now."
	case errors.Is(err, store.ErrAway):
		return "The database did not answer for too long. Repeat it."
	}
	return sentence(err.Error())
}

// sentence makes the words of an error one.
func sentence(s string) string {
	r := []rune(s)
	if len(r) == 0 {
		return s
	}
	if r[0] >= 'a' && r[0] <= 'z' {
		r[0] -= 'a' - 'A'
	}
	if c := r[len(r)-1]; c != '.' && c != '!' && c != '?' {
		r = append(r, '.')
	}
	return string(r)
}
