// Package server puts the application together and serves it on HTTP: pages,
// the JSON API, server-sent events and PCM.
package server

import (
	"cmp"
	"context"
	"log/slog"
	"net/http"
	"path/filepath"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"

	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/media"
	"blendseam/server/answer"
	"blendseam/server/api"
	"blendseam/server/assets"
	"blendseam/server/gate"
	"blendseam/server/live"
	"blendseam/server/pages"
	"blendseam/store"
	"blendseam/web"
	"blendseam/work"
)

// Config is what a server is made of.
type Config struct {
	Store   *store.Store
	Library *media.Library
	Log     *slog.Logger
	// Site is what browsers get; what ships in the binary where it is nil.
	Site *web.Site
	// Hosts are names, besides those of loopback, that requests may be for.
	Hosts []string
	// Open tells that anyone on the network can reach it, which is then said on
	// every page.
	Open bool
	// RemovedDays is how long removed reels are kept, 0 for ever.
	RemovedDays int
	// Files is where the files of jobs lie.
	Files *work.Files
	// Workers is how many jobs are worked at here at a time.
	Workers int
	// Lease is how long a job is kept from others without a sign; the usual time
	// where it is 0.
	Lease time.Duration
	// Times are how long is waited for the other side; the usual ones where zero.
	Times gate.Times
}

// Server serves the application.
type Server struct {
	config Config
	crew   *work.Crew
	answer *answer.Answers
	api    *api.API
	pages  *pages.Pages
}

// remembered is what was heard of reels, by what sounds in them.
type remembered struct {
	room  *work.Continuity
	quiet *work.Quiet
	peaks *work.Peaks
	loud  *work.Loudness
}

// forget has all of it be listened to again.
func (m *remembered) forget() {
	m.room.Forget()
	m.quiet.Forget()
	m.peaks.Forget()
	m.loud.Forget()
}

// New makes a server. Close ends what it has under way.
func New(c Config) (*Server, error) {
	var err error
	if c.Site == nil {
		if c.Site, err = web.Shipped(); err != nil {
			return nil, err
		}
	}
	if c.Times == (gate.Times{}) {
		c.Times = gate.Usual
	}
	crew, hub, notices := work.NewCrew(), live.NewHub(), &work.Notices{}
	open := func(rate int) mix.Open {
		return func(src reel.Source) (sound.Reader, error) { return c.Library.Sound(src, rate) }
	}
	s := &Server{config: c, crew: crew, answer: &answer.Answers{Log: c.Log}}
	heard := &remembered{work.NewContinuity(open), work.NewQuiet(c.Library.Sound), work.NewPeaks(c.Library.Sound), work.NewLoudness()}
	measuring := work.NewMeasuring(crew, c.Store, open, hub, c.Log)
	news := live.New(s.answer, hub, c.Store, crew, measuring.Changed)
	repairs := work.NewRepairs(crew, c.Store, c.Library, notices, hub, c.Log, measuring.Forget)
	imports := work.NewImports(crew, c.Store, c.Library, hub, c.Log,
		func(res store.Result) { news.Change(res) },
		func(recording string) {
			measuring.Forget(recording)
			repairs.Returned(recording)
			if c.Library.WasMissed(recording) { // what was heard of it was silence
				heard.forget()
				s.api.Forget()
				hub.TellAll("media", map[string]any{"recording": recording, "whole": true})
			}
		})
	if c.Files == nil {
		if c.Files, err = work.OpenFiles(filepath.Join(c.Library.Dir(), "..", "exports")); err != nil {
			return nil, err
		}
		s.config.Files = c.Files
	}
	jobs := work.NewJobs(c.Store, c.Library, c.Files, c.Log, func(res store.Result) { news.Change(res) })
	jobs.Lease = cmp.Or(c.Lease, jobs.Lease)
	jobs.Imports(imports)
	crew.Go(func(ctx context.Context) { work.FollowJobs(ctx, c.Store, jobs, hub) })
	s.api = api.New(s.answer, api.Parts{
		Store: c.Store, Library: c.Library, Live: news, Crew: crew,
		Measuring: measuring, Continuity: heard.room, Quiet: heard.quiet, Peaks: heard.peaks, Heard: heard.loud.Memory, Imports: imports, Jobs: jobs, Merges: &work.Merges{Store: c.Store, Library: c.Library, Open: open}, Files: c.Files, Notices: notices, Times: c.Times,
	})
	for range c.Workers { // from here on imports may come to their end
		crew.Go(jobs.Keep)
	}
	if s.pages, err = pages.New(s.answer, pages.Parts{Store: c.Store, Site: c.Site, Notices: notices, Days: c.RemovedDays, FileDays: c.Files.Days, Report: s.api.Report}); err != nil {
		return nil, err
	}
	s.answer.Away = s.pages.Away
	notices.LookAround(crew.Context(), c.Store, c.Open, c.Log)
	c.Library.OnDamage = repairs.Mend
	crew.Go(func(ctx context.Context) { work.WatchDatabase(ctx, c.Store, hub, c.Log) })
	crew.Go(news.Follow)
	return s, nil
}

// Close cancels imports and event streams and waits for them.
func (s *Server) Close() { s.crew.Close() }

// KeepHouse cleans up in the background for as long as the server runs.
func (s *Server) KeepHouse() {
	h := &work.House{Store: s.config.Store, Library: s.config.Library, Files: s.config.Files, Log: s.config.Log, Days: s.config.RemovedDays}
	s.crew.Go(h.Keep)
}

// CheckInBackground looks through all reels and recordings.
func (s *Server) CheckInBackground() {
	s.crew.Go(func(ctx context.Context) {
		if err := work.CheckAll(ctx, s.config.Store, s.config.Library, s.config.Log); err != nil && ctx.Err() == nil {
			s.config.Log.Error("reels and recordings could not be looked through", "error", err)
		}
	})
}

// Handler is the whole application.
func (s *Server) Handler() http.Handler {
	c, r := s.config, chi.NewRouter()
	r.Use(gate.Log(c.Log), c.Times.Patience, middleware.Recoverer, gate.Host(c.Hosts, c.Open), gate.Headers, gate.Origin, gate.Body(s.answer))
	r.NotFound(answer.NotFound)
	r.MethodNotAllowed(func(w http.ResponseWriter, req *http.Request) {
		answer.Write(w, req, answer.Problem{Status: http.StatusMethodNotAllowed, Title: "Not possible here", Detail: "This address does not answer to " + req.Method + "."})
	})
	r.Get("/static/*", assets.Handler(c.Site))
	r.Group(s.pages.Routes)
	r.Route("/api/v1", s.api.Routes)
	return r
}
