package work

import (
	"context"
	"errors"
	"log/slog"
	"slices"
	"strconv"
	"sync"
	"time"

	"blendseam/core/reel"
	"blendseam/media"
	"blendseam/store"
)

// Incoming is a file on its way into a reel.
type Incoming struct {
	ID       string    `json:"id"`
	Name     string    `json:"name"`
	State    string    `json:"state"`    // receiving, waiting, reading, choose, done, failed, cancelled
	Progress float64   `json:"progress"` // of the state, 0…1; below 0 when not known
	Detail   string    `json:"detail"`   // what went wrong, or what is worth knowing
	Kind     string    `json:"kind,omitempty"`
	Channels int       `json:"channels,omitempty"` // to choose from
	Tracks   []string  `json:"tracks,omitempty"`   // their names, "" where one has none
	Folder   string    `json:"folder,omitempty"`   // the group that it is listed in
	Source   reel.ID   `json:"source,omitempty"`   // once it is in the reel
	Sources  []string  `json:"sources,omitempty"`
	Pictures []reel.ID `json:"pictures,omitempty"` // the sources of its pictures

	reel   int64
	taken  store.Recording
	title  string
	cancel context.CancelFunc
	told   time.Time
	onJob  func(float64) // the job that stands for it, where there is one
}

// keptJobs is how many finished jobs of a reel are remembered.
const keptJobs = 50

// Imports are the files on their way in, of all reels.
type Imports struct {
	store   *store.Store
	library *media.Library
	news    News
	crew    *Crew
	log     *slog.Logger
	noted   *Jobs                  // that note them; nil for none
	changed func(store.Result)     // a reel lists a new source
	came    func(recording string) // its file was read

	mu    sync.Mutex
	stamp string // of this run, so that ids differ from those of the run before
	next  int
	jobs  []*Incoming
	slots chan struct{} // bounds how many are decoded at a time
	looks chan struct{} // bounds how many are looked into at a time
}

// NewImports takes files in. changed is told of each reel that lists a new
// source, and came of each recording whose file was read.
func NewImports(crew *Crew, st *store.Store, library *media.Library, news News, log *slog.Logger, changed func(store.Result), came func(recording string)) *Imports {
	return &Imports{store: st, library: library, news: news, crew: crew, log: log, changed: changed, came: came, stamp: strconv.FormatInt(time.Now().UnixMilli(), 36), slots: make(chan struct{}, 2), looks: make(chan struct{}, 8)}
}

// Begin puts a file on the list of a reel. cancel stops its work.
func (m *Imports) Begin(reelID int64, name, folder string, cancel context.CancelFunc) *Incoming {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.next++
	j := &Incoming{ID: m.stamp + "-" + strconv.Itoa(m.next), Name: name, Folder: reel.CleanFolder(folder), State: "receiving", reel: reelID, cancel: cancel}
	m.jobs = append(m.jobs, j)
	over := -keptJobs
	for _, o := range m.jobs {
		if o.reel == reelID && o.ended() {
			over++
		}
	}
	m.jobs = slices.DeleteFunc(m.jobs, func(o *Incoming) bool {
		drop := over > 0 && o.reel == reelID && o.ended()
		if drop {
			over--
		}
		return drop
	})
	return j
}

func (j *Incoming) ended() bool {
	return j.State == "done" || j.State == "failed" || j.State == "cancelled"
}

// set alters a job and tells those who watch; small steps of progress are told
// ten times a second at most.
func (m *Imports) set(j *Incoming, alter func(*Incoming)) {
	m.mu.Lock()
	state := j.State
	alter(j)
	now := time.Now()
	tell := j.State != state || now.Sub(j.told) > 100*time.Millisecond
	if tell {
		j.told = now
	}
	copied := *j
	m.mu.Unlock()
	if copied.onJob != nil && copied.State == "reading" {
		copied.onJob(copied.Progress)
	}
	if tell {
		m.news.Tell(copied.reel, "import", copied)
	}
}

// Of are the files of a reel.
func (m *Imports) Of(reelID int64) []Incoming {
	m.mu.Lock()
	defer m.mu.Unlock()
	out := []Incoming{}
	for _, j := range m.jobs {
		if j.reel == reelID {
			out = append(out, *j)
		}
	}
	return out
}

// Find is a file of a reel by its id, or nil.
func (m *Imports) Find(reelID int64, id string) *Incoming {
	m.mu.Lock()
	defer m.mu.Unlock()
	for _, j := range m.jobs {
		if j.reel == reelID && j.ID == id {
			return j
		}
	}
	return nil
}

// Fail ends a job with what went wrong.
func (m *Imports) Fail(j *Incoming, err error) {
	m.set(j, func(j *Incoming) {
		var p *media.Problem
		var no *reel.Refusal
		j.State = "failed"
		switch {
		case errors.As(err, &p):
			j.Kind, j.Detail = p.Kind, p.Detail
		case errors.As(err, &no):
			j.Kind, j.Detail = "refused", no.Error()
		case errors.Is(err, store.ErrAway), errors.Is(err, store.ErrUnknown), errors.Is(err, store.ErrBusy):
			j.Kind, j.Detail = "away", "The database did not answer, so “"+j.Name+"” is not in the reel yet. Import it again once it is back; what is decoded is kept."
		case errors.Is(err, store.ErrFull):
			j.Kind, j.Detail = "full", "The disk of the database is full, so “"+j.Name+"” is not in the reel. Make room and import it again."
		case errors.Is(err, context.Canceled):
			j.State, j.Detail = "cancelled", "“"+j.Name+"” was stopped; nothing was kept."
			if j.Kind == "frames" {
				j.Detail = "“" + j.Name + "” was stopped. Drop it in again, and its frames go on from where they were."
			}
		default:
			m.log.Error("import failed", "name", j.Name, "error", err)
			j.Detail = "“" + j.Name + "” could not be imported: something went wrong in the server. Nothing was kept. Try again; if it fails again, see the server's log."
		}
	})
}

// Look is a job as it stands.
func (m *Imports) Look(j *Incoming) Incoming {
	m.mu.Lock()
	defer m.mu.Unlock()
	return *j
}

// Stop ends a job, or the wait for a choice of its channels.
func (m *Imports) Stop(j *Incoming) {
	j.cancel()
	m.set(j, func(j *Incoming) {
		if j.State == "choose" {
			j.State, j.Detail = "cancelled", "No channel of “"+j.Name+"” was taken."
		}
	})
}

// Wrong says what a request got wrong, in words for its maker.
type Wrong struct{ Detail string }

func (e *Wrong) Error() string { return e.Detail }

// Choose takes channels of a recording that has more than two.
func (m *Imports) Choose(ctx context.Context, j *Incoming, picks []Pick) error {
	m.mu.Lock()
	state, taken, title := j.State, j.taken, j.title
	m.mu.Unlock()
	if state != "choose" {
		return &Wrong{"The channels of this import are chosen already."}
	}
	if len(picks) == 0 || len(picks) > 64 {
		return &Wrong{"Choose at least one channel."}
	}
	for i, p := range picks {
		if p.Left < 0 || p.Left >= taken.Channels || p.Right < -1 || p.Right >= taken.Channels || p.Right == p.Left {
			return &Wrong{"This recording has channels 1 to " + strconv.Itoa(taken.Channels) + "."}
		}
		if p.Name == "" {
			picks[i].Name = title
		}
	}
	m.library.Touch(taken.Hash)
	if _, err := m.library.Copy(taken.Hash, taken.Rate); err != nil {
		return err
	}
	return m.list(ctx, j, taken, picks)
}
