package server

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/go-chi/chi/v5"

	"blendseam/core/reel"
	"blendseam/media"
	"blendseam/store"
)

// importJob is a file on its way into a reel.
type importJob struct {
	ID       string    `json:"id"`
	Name     string    `json:"name"`
	State    string    `json:"state"`    // receiving, waiting, reading, choose, done, failed, cancelled
	Progress float64   `json:"progress"` // of the state, 0…1; below 0 when not known
	Detail   string    `json:"detail"`   // what went wrong, or what is worth knowing
	Kind     string    `json:"kind,omitempty"`
	Channels int       `json:"channels,omitempty"` // to choose from
	Source   reel.ID   `json:"source,omitempty"`   // once it is in the reel
	Sources  []string  `json:"sources,omitempty"`
	Pictures []reel.ID `json:"pictures,omitempty"` // the sources of its pictures

	reel   int64
	taken  store.Recording
	title  string
	cancel context.CancelFunc
	told   time.Time
}

// keptJobs is how many finished jobs of a reel are remembered.
const keptJobs = 50

// imports are the files on their way in, of all reels.
type imports struct {
	s     *Server
	mu    sync.Mutex
	stamp string // of this run, so that ids differ from those of the run before
	next  int
	jobs  []*importJob
	slots chan struct{} // bounds how many are decoded at a time
	looks chan struct{} // bounds how many are looked into at a time
}

func newImports(s *Server) *imports {
	return &imports{s: s, stamp: strconv.FormatInt(time.Now().UnixMilli(), 36), slots: make(chan struct{}, 2), looks: make(chan struct{}, 8)}
}

func (m *imports) add(reelID int64, name string, cancel context.CancelFunc) *importJob {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.next++
	j := &importJob{ID: m.stamp + "-" + strconv.Itoa(m.next), Name: name, State: "receiving", reel: reelID, cancel: cancel}
	m.jobs = append(m.jobs, j)
	over := -keptJobs
	for _, o := range m.jobs {
		if o.reel == reelID && o.ended() {
			over++
		}
	}
	m.jobs = slices.DeleteFunc(m.jobs, func(o *importJob) bool {
		drop := over > 0 && o.reel == reelID && o.ended()
		if drop {
			over--
		}
		return drop
	})
	return j
}

func (j *importJob) ended() bool {
	return j.State == "done" || j.State == "failed" || j.State == "cancelled"
}

// set alters a job and tells those who watch; small steps of progress are told
// ten times a second at most.
func (m *imports) set(j *importJob, alter func(*importJob)) {
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
	if tell {
		m.s.hub.publish(copied.reel, event{"import", copied})
	}
}

func (m *imports) of(reelID int64) []importJob {
	m.mu.Lock()
	defer m.mu.Unlock()
	out := []importJob{}
	for _, j := range m.jobs {
		if j.reel == reelID {
			out = append(out, *j)
		}
	}
	return out
}

func (m *imports) find(reelID int64, id string) *importJob {
	m.mu.Lock()
	defer m.mu.Unlock()
	for _, j := range m.jobs {
		if j.reel == reelID && j.ID == id {
			return j
		}
	}
	return nil
}

// fail ends a job with what went wrong.
func (m *imports) fail(j *importJob, err error) {
	m.set(j, func(j *importJob) {
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
			m.s.log.Error("import failed", "name", j.Name, "error", err)
			j.Detail = "“" + j.Name + "” could not be imported: something went wrong in the server. Nothing was kept. Try again; if it fails again, see the server's log."
		}
	})
}

// errSenderGone ends a transfer whose sender has left or stalls.
var errSenderGone = errors.New("the sender is gone")

// postUpload takes a file's bytes as the request's body and answers when they
// are here; decoding goes on after that.
func (s *Server) postUpload(w http.ResponseWriter, r *http.Request) {
	v, err := s.version(r)
	name := fileNameOf(r.URL.Query().Get("name"))
	if err == nil && name == "" {
		err = badRequest{"The upload lacks its file's name."}
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	ctx, end := context.WithCancelCause(s.ctx)
	cancel := func() { end(context.Canceled) }
	// A sender that leaves, or stalls, ends the transfer.
	stop := context.AfterFunc(r.Context(), func() { end(errSenderGone) })
	// A transfer that has stalled is woken up when it is stopped.
	wake := context.AfterFunc(ctx, func() { _ = http.NewResponseController(w).SetReadDeadline(time.Now()) })
	j := s.imports.add(v.ID, name, cancel)
	upload, err := s.receive(ctx, w, j, r)
	if errors.Is(context.Cause(ctx), errSenderGone) {
		if upload != nil {
			upload.Discard()
		}
		err = s.library.CutOff(name)
	} else if ctx.Err() != nil {
		err = ctx.Err()
	}
	stop() // the rest does not end with the request
	wake()
	if err != nil {
		cancel()
		s.imports.fail(j, err)
		s.fail(w, r, err)
		return
	}
	s.imports.set(j, func(j *importJob) { j.State, j.Progress = "waiting", 0 })
	s.work.Add(1)
	go func() {
		defer s.work.Done()
		defer cancel()
		defer upload.Discard()
		defer func() {
			// One file that trips a decoder must not take the server down.
			if why := recover(); why != nil {
				s.imports.fail(j, fmt.Errorf("decoder broke: %v", why))
			}
		}()
		if err := s.takeIn(ctx, j, upload, v.Reel.Props.SampleRate); err != nil {
			s.imports.fail(j, err)
		}
	}()
	s.imports.mu.Lock()
	out := *j
	s.imports.mu.Unlock()
	writeJSON(w, http.StatusAccepted, out)
}

func (s *Server) receive(ctx context.Context, w http.ResponseWriter, j *importJob, r *http.Request) (*media.Upload, error) {
	if r.ContentLength > s.library.Limit {
		return nil, s.library.TooLarge(j.Name)
	}
	return s.library.Receive(ctx, j.Name, stalling{r.Body, ctx, http.NewResponseController(w), s.readTime}, func(n int64) {
		s.imports.set(j, func(j *importJob) {
			j.Progress = -1
			if r.ContentLength > 0 {
				j.Progress = float64(n) / float64(r.ContentLength)
			}
		})
	})
}

// takeIn decodes an upload, unless it is known, and lists it in the reel.
func (s *Server) takeIn(ctx context.Context, j *importJob, u *media.Upload, rate int) error {
	pictures, sound, err := s.takePicture(ctx, j, u)
	if err != nil {
		return err
	}
	if len(pictures) > 0 || !sound {
		s.imports.set(j, func(j *importJob) { j.Pictures = pictures })
	}
	if !sound {
		s.imports.set(j, func(j *importJob) { j.State, j.Progress = "done", 1 })
		return nil
	}
	rec, known, err := s.store.Recording(ctx, u.Hash, rate)
	if err != nil {
		return err
	}
	if known && rec.Missing > 0 {
		known = false // it may have been cut short by what read it
	}
	if known {
		if _, err := s.library.Copy(u.Hash, rate); err != nil {
			known = false // the row is there, the sound is not, or is damaged: make it again
		}
	}
	title := strings.TrimSuffix(u.Name, filepath.Ext(u.Name))
	s.library.Touch(u.Hash)
	if known {
		// What cleans up may have been about to take it.
		_, err := s.library.Copy(u.Hash, rate)
		known = err == nil
	}
	if !known {
		s.imports.set(j, func(j *importJob) { j.State, j.Progress = "reading", 0 })
		turn, err := s.imports.wait(ctx)
		if err != nil {
			return err
		}
		im, err := s.library.Import(ctx, u, rate, func(p float64) {
			turn.sign()
			s.imports.set(j, func(j *importJob) { j.Progress = p })
		})
		turn.end()
		if err != nil {
			return err
		}
		s.ledger.forget()
		s.repaired(u.Hash)
		title = im.Title
		rec = store.Recording{
			Hash: im.Hash, Rate: im.Rate, FileName: u.Name, Format: im.Format, Bytes: im.Bytes, NativeRate: im.NativeRate,
			Channels: im.Channels, Length: im.Length, Missing: im.Missing, Bad: im.Bad, StartTC: im.StartTC,
		}
		if err := s.store.SaveRecording(ctx, rec); err != nil {
			return err
		}
	}
	if rec.Channels > 2 {
		s.imports.set(j, func(j *importJob) {
			j.State, j.Channels, j.taken, j.title = "choose", rec.Channels, rec, title
			j.Detail = "“" + j.Name + "” has " + strconv.Itoa(rec.Channels) + " channels. Choose which to take."
		})
		return nil
	}
	right := -1
	if rec.Channels == 2 {
		right = 1
	}
	return s.list(ctx, j, rec, []pick{{Left: 0, Right: right, Name: title}})
}

// pick are channels of a recording that become a source.
type pick struct {
	Left  int    `json:"left"`
	Right int    `json:"right"` // −1 for mono
	Name  string `json:"name"`
}

// list makes sources of the picked channels.
func (s *Server) list(ctx context.Context, j *importJob, rec store.Recording, picks []pick) error {
	var made []reel.ID
	var names []string
	note := ""
	for _, p := range picks {
		v, err := s.store.Load(ctx, j.reel)
		if err != nil {
			return err
		}
		p.Name = distinctKind(v.Reel, false, p.Name, strings.TrimSuffix(j.Name, filepath.Ext(j.Name)))
		res, err := s.store.Library(ctx, j.reel, &reel.AddSource{Source: reel.Source{
			Recording: rec.Hash, Name: p.Name, Left: p.Left, Right: p.Right, Length: rec.Length, StartTC: rec.StartTC,
		}})
		var no *reel.Refusal
		if errors.As(err, &no) {
			note = no.Error() // the same sound again: told, not failed
			continue
		}
		if err != nil {
			return err
		}
		s.tell(res)
		made = append(made, res.Outcome.Made...)
		names = append(names, p.Name)
	}
	s.imports.set(j, func(j *importJob) {
		if note != "" || len(j.Pictures) == 0 {
			j.Detail = note
		}
		j.State, j.Progress, j.Sources = "done", 1, names
		if len(made) > 0 {
			j.Source = made[0]
		}
		seconds := func(n int64, rate int) string {
			return strconv.FormatFloat(float64(n)/float64(rate), 'f', 2, 64) + " s"
		}
		if rec.Missing > 0 {
			j.Kind = "cutShort"
			j.Detail = "“" + j.Name + "” ends early: " + seconds(rec.Missing, rec.NativeRate) + " that its header promises are missing. The " + seconds(rec.Length, rec.Rate) + " that are whole were taken in."
		}
		if rec.Bad > 0 {
			j.Detail += " " + strconv.FormatInt(rec.Bad, 10) + " samples were not numbers and are silent now."
		}
	})
	return nil
}

// distinctKind is the first of the names that no source of its kind in the reel has yet: the
// one inside the file, the file's own, or that with a number.
func distinctKind(r *reel.Reel, picture bool, names ...string) string {
	taken := map[string]bool{}
	for _, s := range r.Sources {
		if s.Shows() == picture && !s.Missing() {
			taken[s.Name] = true
		}
	}
	for _, name := range names {
		if name = shorten(name); !taken[name] {
			return name
		}
	}
	stem := shorten(names[len(names)-1])
	for n := 2; ; n++ {
		if name := stem + " " + strconv.Itoa(n); !taken[name] {
			return name
		}
	}
}

// shorten is a name from outside as a source can have it, with room for what
// tells it from another.
func shorten(name string) string {
	name = reel.PlainName(name)
	if r := []rune(name); len(r) > reel.MaxName-10 {
		name = strings.TrimSpace(string(r[:reel.MaxName-10]))
	}
	if name == "" {
		return "untitled"
	}
	return name
}

// fileNameOf is the last part of a file's name, for showing only: no path is
// ever made of it.
func fileNameOf(name string) string {
	name = name[strings.LastIndexAny(name, `/\`)+1:]
	if name == "" {
		return ""
	}
	return shorten(name)
}

func (s *Server) listImports(w http.ResponseWriter, r *http.Request) {
	v, err := s.version(r)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	writeJSON(w, http.StatusOK, map[string]any{"imports": s.imports.of(v.ID)})
}

// job is the import that the path names.
func (s *Server) job(r *http.Request) (*importJob, error) {
	id, err := pathInt(r, "reel")
	if err != nil {
		return nil, err
	}
	j := s.imports.find(id, chi.URLParam(r, "import"))
	if j == nil {
		return nil, badRequest{"That import is not known here any more."}
	}
	return j, nil
}

func (s *Server) cancelImport(w http.ResponseWriter, r *http.Request) {
	j, err := s.job(r)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	j.cancel()
	s.imports.set(j, func(j *importJob) {
		if j.State == "choose" {
			j.State, j.Detail = "cancelled", "No channel of “"+j.Name+"” was taken."
		}
	})
	w.WriteHeader(http.StatusNoContent)
}

func (s *Server) chooseChannels(w http.ResponseWriter, r *http.Request) {
	var in struct {
		Picks []pick `json:"picks"`
	}
	j, err := s.job(r)
	if err == nil {
		err = readJSON(w, r, &in)
	}
	if err == nil && j.State != "choose" {
		err = badRequest{"The channels of this import are chosen already."}
	}
	if err == nil && (len(in.Picks) == 0 || len(in.Picks) > 64) {
		err = badRequest{"Choose at least one channel."}
	}
	if err == nil {
		for i, p := range in.Picks {
			if p.Left < 0 || p.Left >= j.taken.Channels || p.Right < -1 || p.Right >= j.taken.Channels || p.Right == p.Left {
				err = badRequest{"This recording has channels 1 to " + strconv.Itoa(j.taken.Channels) + "."}
			}
			if p.Name == "" {
				in.Picks[i].Name = j.title
			}
		}
	}
	if err == nil {
		s.library.Touch(j.taken.Hash)
		_, err = s.library.Copy(j.taken.Hash, j.taken.Rate)
	}
	if err == nil {
		err = s.list(r.Context(), j, j.taken, in.Picks)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}
