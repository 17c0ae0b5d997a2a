package api

import (
	"fmt"
	"math"
	"mime"
	"net/http"
	"strings"
	"time"

	"blendseam/core/mix"
	"blendseam/delivery"
	"blendseam/media/wav"
	"blendseam/server/answer"
	"blendseam/store"
)

// prepare reads what a request wants exported.
func (s *API) prepare(r *http.Request) (v store.Version, m *mix.Mix, spec delivery.Spec, err error) {
	if v, err = s.version(r); err != nil {
		return
	}
	p := v.Reel.Props
	var from, to, bits, channels int64
	if from, err = answer.QueryInt(r, "from", 0); err != nil {
		return
	}
	if to, err = answer.QueryInt(r, "to", v.Reel.Length()); err != nil {
		return
	}
	if bits, err = answer.QueryInt(r, "bits", 24); err != nil {
		return
	}
	if channels, err = answer.QueryInt(r, "channels", 2); err != nil {
		return
	}
	if v.Reel.Length() == 0 {
		err = answer.Bad("Nothing to export: this reel has no clips yet. Insert a source first.")
		return
	}
	if from >= v.Reel.Length() || to > v.Reel.Length() {
		err = answer.Bad(fmt.Sprintf("The reel ends at sample %d; the span must end before that.", v.Reel.Length()))
		return
	}
	now := time.Now()
	file := delivery.File(r.URL.Query().Get("file"))
	if file == "" {
		file = delivery.WAV
	}
	spec = delivery.Spec{From: from, To: to, Rate: p.SampleRate, Bits: int(bits), Channels: int(channels), File: file, Meta: wav.Meta{
		TimeReference: p.FrameRate.Sample(p.StartFrame, p.SampleRate) + from,
		Description:   fmt.Sprintf("%s, revision %d", p.Name, v.Revision),
		Date:          now.Format(time.DateOnly), Time: now.Format(time.TimeOnly),
	}}
	if err = spec.Check(); err != nil {
		err = answer.Bad(answer.UpperFirst(err.Error()) + ".")
		return
	}
	m, err = mix.New(v.Reel, s.opener(p.SampleRate), mix.Options{})
	return
}

func (s *API) getExportSurvey(w http.ResponseWriter, r *http.Request) {
	v, m, spec, err := s.prepare(r)
	var look struct {
		delivery.Survey
		Holes   [][2]int64 `json:"holes"`   // digital silence in what is exported
		Missing int        `json:"missing"` // clips that nobody has a recording of, and so are silent
	}
	if err == nil {
		look.Survey, err = delivery.Look(r.Context(), m, spec)
	}
	if err == nil {
		look.Holes, err = s.Continuity.HolesIn(r.Context(), v.Reel, spec.From, spec.To)
	}
	if err == nil {
		look.Missing = len(v.Reel.Sounding().SilentIn(spec.From, spec.To))
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	answer.JSON(w, http.StatusOK, look)
}

func (s *API) getExport(w http.ResponseWriter, r *http.Request) {
	v, m, spec, err := s.prepare(r)
	exact := false
	if err == nil && spec.Bits != 32 {
		exact, err = delivery.Exact(r.Context(), m, spec)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	h := w.Header()
	h.Set("Content-Type", "audio/"+string(spec.File))
	if n := spec.Bytes(); n > 0 {
		h.Set("Content-Length", fmt.Sprint(n))
	}
	h.Set("Cache-Control", "no-store")
	h.Set("X-Revision", fmt.Sprint(v.Revision))
	h.Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": fileName(v, spec)}))
	if err := delivery.Write(r.Context(), w, m, spec, exact); err != nil {
		// The header is sent, so all that can be said is that the file ends early.
		s.Log.Warn("an export ended early", "reel", v.ID, "error", err)
		panic(http.ErrAbortHandler)
	}
}

// plainName is a name without what file systems do not take.
func plainName(name string) string {
	return strings.Map(func(c rune) rune {
		if strings.ContainsRune(`/\:*?"<>|`, c) || c < ' ' {
			return '-'
		}
		return c
	}, name)
}

// fileName is the reel's name, with the span when it is not the whole.
func fileName(v store.Version, spec delivery.Spec) string {
	p := v.Reel.Props
	name := plainName(p.Name)
	if spec.From != 0 || spec.To != v.Reel.Length() {
		start := p.StartFrame + p.FrameRate.Frame(spec.From, p.SampleRate)
		name += " " + strings.NewReplacer(":", ".", ";", ".").Replace(p.FrameRate.Format(start)) + fmt.Sprintf(" %.0fs", math.Ceil(float64(spec.To-spec.From)/float64(p.SampleRate)))
	}
	return name + "." + string(spec.File)
}
