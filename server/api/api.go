// Package api is the JSON API, with the sound, the frames and the files that go
// with it: a file a resource, and handlers that decode, call and encode. It
// holds no rule of the job; those are in core.
package api

import (
	"net/http"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"

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
	trials trials
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
	Imports    *work.Imports
	Notices    *work.Notices
	Times      gate.Times
}

// New makes an API of its parts.
func New(a *answer.Answers, p Parts) *API { return &API{Answers: a, Parts: p} }

// Routes answers below the address of the API.
func (s *API) Routes(r chi.Router) {
	r.Get("/health", s.getHealth)
	r.Get("/openapi.json", sendDocument)
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
	r.Get("/reels/{reel}/events", s.Live.Events)
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
