// Package server is Blend Seam on HTTP: pages, the JSON API, server-sent
// events and PCM. It holds no rule of the job; those are in core.
package server

import (
	"context"
	"html/template"
	"log/slog"
	"net/http"
	"sync"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"

	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/media"
	"blendseam/store"
)

// Server serves the application.
type Server struct {
	store   *store.Store
	library *media.Library
	log     *slog.Logger
	hub     *hub
	imports *imports
	ledger  *ledger
	trials  trials
	madeUp  madeUp
	found   found
	pieces  heardPieces
	pages   map[string]*template.Template
	texts   map[string]text
	static  *assets
	hosts   []string
	open    bool // to the network
	notices notices
	damages damages

	writeTime, readTime time.Duration // for a piece of an answer and of a file
	removedDays         int           // that a removed reel is kept, 0 for ever

	// ctx ends the work that outlives requests.
	ctx    context.Context
	cancel context.CancelFunc
	work   sync.WaitGroup
}

// Config is what a server is made of.
type Config struct {
	Store   *store.Store
	Library *media.Library
	Log     *slog.Logger
	// Hosts are names, besides those of loopback, that requests may be for.
	Hosts []string
	// Open tells that anyone on the network can reach it, which is then said on
	// every page.
	Open bool
	// RemovedDays is how long removed reels are kept, 0 for ever.
	RemovedDays int
}

// New makes a server. Close ends what it has under way.
func New(c Config) (*Server, error) {
	s := &Server{store: c.Store, library: c.Library, log: c.Log, hub: newHub(), hosts: c.Hosts, open: c.Open, writeTime: writeTime, readTime: readTime, removedDays: c.RemovedDays}
	s.ctx, s.cancel = context.WithCancel(context.Background())
	s.imports = newImports(s)
	s.ledger = newLedger(s)
	var err error
	if s.static, err = loadAssets(); err != nil {
		return nil, err
	}
	if s.texts, err = loadTexts(); err != nil {
		return nil, err
	}
	if s.pages, err = loadPages(s.static); err != nil {
		return nil, err
	}
	s.notice()
	s.library.OnDamage = s.mend
	s.work.Go(s.watchDatabase)
	s.work.Go(s.follow)
	return s, nil
}

// Close cancels imports and event streams and waits for them.
func (s *Server) Close() {
	s.cancel()
	s.work.Wait()
}

// Handler is the whole application.
func (s *Server) Handler() http.Handler {
	r := chi.NewRouter()
	r.Use(s.patience, middleware.Recoverer, s.guardHost, s.securityHeaders, s.guardOrigin, s.takeBody)
	r.NotFound(s.notFound)
	r.MethodNotAllowed(func(w http.ResponseWriter, req *http.Request) {
		writeProblem(w, req, problem{Status: http.StatusMethodNotAllowed, Title: "Not possible here", Detail: "This address does not answer to " + req.Method + "."})
	})
	r.Get("/static/*", s.static.serve)
	r.Group(func(r chi.Router) {
		r.Use(middleware.Compress(5, "text/html"))
		r.Get("/", s.shelfPage)
		r.Get("/reels/{reel}", s.benchPage)
		r.Get("/reels/{reel}/sources", s.sourcesPage)
		r.Get("/keys", s.keysPage)
		r.Get("/numbers", s.textPage("numbers"))
		r.Get("/glossary", s.textPage("glossary"))
	})
	r.Route("/api/v1", s.api)
	return r
}

func (s *Server) api(r chi.Router) {
	r.Get("/health", s.health)
	r.Get("/openapi.json", s.openAPI)
	// Sound is sent as it is; lists and documents are worth compressing.
	r.Group(func(r chi.Router) {
		r.Use(middleware.Compress(3, "application/json"))
		r.Get("/reels", s.listReels)
		r.Get("/reels/{reel}", s.getReel)
		r.Get("/reels/{reel}/seams", s.getSeams)
		r.Get("/reels/{reel}/closeup", s.getCloseUp)
		r.Get("/reels/{reel}/history", s.getHistory)
		r.Get("/reels/{reel}/sources", s.listSources)
		r.Get("/reels/{reel}/timecode", s.getTimecode)
		r.Get("/reels/{reel}/imports", s.listImports)
		r.Get("/reels/{reel}/versions", s.listVersions)
		r.Get("/keys", s.listKeySets)
		r.Get("/presets", s.getPresets)
		r.Get("/reels/{reel}/better", s.getBetter)
		r.Get("/reels/{reel}/spectrum", s.getSpectrum)
		r.Get("/reels/{reel}/quiet", s.getQuiet)
		r.Get("/reels/{reel}/rooms", s.listRooms)
		r.Get("/reels/{reel}/bed", s.getBed)
		r.Get("/reels/{reel}/pauses", s.getPauses)
		r.Get("/reels/{reel}/continuity", s.getContinuity)
		r.Get("/reels/{reel}/strikes/{strike}/covers", s.getCovers)
		r.Get("/reels/{reel}/strikes/{strike}/tighter", s.getTighter)
		r.Get("/reels/{reel}/clips/{clip}/tones", s.getTones)
		r.Get("/reels/{reel}/leads", s.getLeads)
		r.Get("/reels/{reel}/missing", s.getMissing)
		r.Post("/reels/{reel}/lists", s.postList)
		r.Get("/reels/{reel}/lists/{format}/survey", s.getListSurvey)
		r.Post("/reels/{reel}/fills", s.postFills)
		r.Post("/reels/{reel}/sweep", s.postSweep)
		r.Post("/reels/{reel}/excerpts", s.postExcerpt)
	})
	r.Post("/reels", s.createReel)
	r.Delete("/reels/{reel}", s.removeReel)
	r.Post("/reels/{reel}/restore", s.restoreReel)
	r.Post("/reels/{reel}/copy", s.copyReel)
	r.Post("/reels/{reel}/edits", s.postEdit)
	r.Post("/reels/{reel}/dry-run", s.postDryRun)
	r.Post("/reels/{reel}/undo", s.postUndo)
	r.Post("/reels/{reel}/redo", s.postRedo)
	r.Post("/reels/{reel}/go", s.postGo)
	r.Post("/reels/{reel}/versions", s.keepVersion)
	r.Delete("/reels/{reel}/versions/{version}", s.letGoVersion)
	r.Post("/reels/{reel}/versions/{version}/go", s.goToVersion)
	r.Post("/reels/{reel}/versions/{version}/open", s.openVersion)
	r.Post("/reels/{reel}/accept", s.postAccept)
	r.Put("/presets", s.putPresets)
	r.Delete("/presets", s.restorePresets)
	r.Put("/keys/{set}", s.putKeySet)
	r.Delete("/keys/{set}", s.removeKeySet)
	r.Post("/keys/choose", s.chooseKeySet)
	r.Get("/reels/{reel}/events", s.getEvents)
	r.Get("/reels/{reel}/pcm", s.getPCM)
	r.Get("/reels/{reel}/export", s.getExport)
	r.Get("/reels/{reel}/export/survey", s.getExportSurvey)
	r.Post("/reels/{reel}/uploads", s.postUpload)
	r.Delete("/reels/{reel}/imports/{import}", s.cancelImport)
	r.Post("/reels/{reel}/imports/{import}/channels", s.chooseChannels)
	r.Patch("/reels/{reel}/sources/{source}", s.renameSource)
	r.Delete("/reels/{reel}/sources/{source}", s.removeSource)
	r.Post("/reels/{reel}/sources/{source}/restore", s.restoreSource)
	r.Get("/reels/{reel}/tone", s.getTone)
	r.Get("/reels/{reel}/sources/{source}/overview/{channel}/{level}", s.getToneOverview)
	r.Get("/reels/{reel}/sources/{source}/samples/{channel}", s.getToneSamples)
	r.Get("/curves/{shape}", s.getCurve)
	r.Get("/reels/{reel}/lists/{format}", s.getList)
	r.Get("/pictures/{hash}/frames", s.getFrames)
	r.Get("/recordings/{hash}/{rate}/overview/{channel}/{level}", s.getOverview)
	r.Get("/recordings/{hash}/{rate}/samples/{channel}", s.getSamples)
	r.Get("/recordings/{hash}/{rate}/pcm", s.getRecordingPCM)
}

// opener gives mix the sound of a reel's sources.
func (s *Server) opener(rate int) mix.Open {
	return func(src reel.Source) (sound.Reader, error) { return s.library.Sound(src, rate) }
}
