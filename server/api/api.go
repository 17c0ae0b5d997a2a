// Package api is the JSON API, with the sound, the frames and the files that go
// with it: a file a resource, and handlers that decode, call and encode. It
// holds no rule of the job; those are in core.
package api

import (
	"net/http"
	"sync"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"

	"blendseam/core/level"
	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/media"
	"blendseam/server/answer"
	"blendseam/server/gate"
	"blendseam/server/live"
	"blendseam/store"
	"blendseam/work"
)

// API answers requests for reels and what belongs to them.
type API struct {
	*answer.Answers
	Parts
	doc     huma.API // what answers in JSON, and the description of all
	trials  trials
	mixes   *mixes
	opening sync.Map // how far bundles are opened, by their turns
}

// Parts are what the API is made of.
type Parts struct {
	Store      *store.Store
	Library    *media.Library
	Live       *live.Live
	Crew       *work.Crew
	Measuring  *work.Measuring
	Continuity *work.Continuity
	Quiet      *work.Quiet
	Peaks      *work.Peaks
	Heard      level.Memory // what was measured of the loudness of reels
	Imports    *work.Imports
	Jobs       *work.Jobs
	Merges     *work.Merges
	Files      *work.Files
	Notices    *work.Notices
	Times      gate.Times
}

// New makes an API of its parts.
func New(a *answer.Answers, p Parts) *API { return &API{Answers: a, Parts: p, mixes: newMixes()} }

// Routes answers below the address of the API.
func (s *API) Routes(r chi.Router) {
	// Sound is sent as it is; lists and documents are worth compressing.
	r.Group(func(r chi.Router) {
		r.Use(middleware.Compress(3, "application/json"), noStore)
		s.doc = humachi.New(r, config())
		s.reelRoutes()
		s.editRoutes()
		s.historyRoutes()
		s.seamRoutes()
		s.toneRoutes()
		s.levelRoutes()
		s.fillRoutes()
		s.sourceRoutes()
		s.importRoutes()
		s.bundleRoutes()
		s.listRoutes()
		s.exportRoutes()
		s.jobRoutes()
		s.exportPresetRoutes()
		s.settingRoutes()
		handle(s, operation(http.MethodGet, "/health", "getHealth", "How the server stands", http.StatusOK), s.getHealth)
		s.plain(r, http.MethodPost, "/reels/{reel}/lists", s.postList)
		s.plain(r, http.MethodGet, "/curves/{shape}", s.getCurve)
		s.plain(r, http.MethodGet, "/openapi.json", s.sendDocument)
	})
	for address, do := range map[string]http.HandlerFunc{
		"/reels/{reel}/events":         s.Live.Events,
		"/reels/{reel}/pcm":            s.getPCM,
		"/reels/{reel}/export":         s.getExport,
		"/reels/{reel}/tone":           s.getTone,
		"/reels/{reel}/reports/{what}": s.getReport,
		"/jobs/{job}/file":             s.getJobFile,
		"/reels/{reel}/lists/{format}": s.getList,
		"/reels/{reel}/sources/{source}/overview/{channel}/{level}": s.getToneOverview,
		"/reels/{reel}/sources/{source}/samples/{channel}":          s.getToneSamples,
		"/pictures/{hash}/frames":                                   s.getFrames,
		"/recordings/{hash}/{rate}/overview/{channel}/{level}":      s.getOverview,
		"/recordings/{hash}/{rate}/samples/{channel}":               s.getSamples,
		"/recordings/{hash}/{rate}/pcm":                             s.getRecordingPCM,
	} {
		s.plain(r, http.MethodGet, address, do)
	}
	s.plain(r, http.MethodPost, "/reels/{reel}/uploads", s.postUpload)
	s.plain(r, http.MethodPost, "/bundles", s.takeBundle)
	s.plain(r, http.MethodPost, "/reels/{reel}/markers", s.postMarkers)
}

// noStore keeps answers out of caches that do not say otherwise themselves.
func noStore(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Cache-Control", "no-store")
		next.ServeHTTP(w, r)
	})
}

// Forget has the sound of reels be opened anew: a recording that was silent is there now.
func (s *API) Forget() { s.mixes.forget() }

// opener gives mix the sound of a reel's sources.
func (s *API) opener(rate int) mix.Open {
	return func(src reel.Source) (sound.Reader, error) { return s.Library.Sound(src, rate) }
}

// version is the reel that the path names.
func (s *API) version(r *http.Request) (store.Version, error) {
	id, err := answer.PathInt(r, "reel")
	if err != nil {
		return store.Version{}, err
	}
	return s.Store.Load(r.Context(), id)
}
