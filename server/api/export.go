package api

import (
	"context"
	"fmt"
	"math"
	"mime"
	"net/http"
	"strings"
	"time"

	"blendseam/core/level"
	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/delivery"
	"blendseam/media/wav"
	"blendseam/server/answer"
	"blendseam/store"
)

// ExportRequest is what of a reel is wanted as a file, and how.
type ExportRequest struct {
	OfReel
	From     int64         `query:"from"`
	To       int64         `query:"to" default:"-1" doc:"the end of the reel where it is left out"`
	Bits     int           `query:"bits" default:"24" doc:"16, 24, or 32 for floats"`
	Channels int           `query:"channels" default:"2"`
	File     delivery.File `query:"file" default:"wav" doc:"wav, flac, mp3, opus or aac"`
	Kbits    int           `query:"kbits" doc:"of mp3, opus and aac; 0 for what is usual"`
	Each     delivery.Each `query:"each" doc:"nothing for the mix; track, role or clip for a ZIP of files"`
	Clips    []int64       `query:"clips" doc:"of clips: those that are wanted, with commas"`
	Handles  int64         `query:"handles" doc:"of clips: samples before and after, as far as there are"`
}

// parts are the files that are wanted, where it is not the mix.
func (q ExportRequest) parts(v store.Version, spec delivery.Spec) ([]delivery.Part, error) {
	var chosen []reel.ID
	for _, id := range q.Clips {
		chosen = append(chosen, reel.ID(id))
	}
	if q.Handles < 0 || q.Handles > mostHandles*int64(spec.Rate) {
		return nil, answer.Bad(fmt.Sprintf("Handles are from 0 to %d seconds long.", mostHandles))
	}
	out, err := delivery.Parts(v.Reel, q.Each, spec.From, spec.To, chosen, q.Handles)
	if err != nil {
		return nil, answer.Bad(answer.UpperFirst(err.Error()) + ".")
	}
	return out, nil
}

// mostHandles is how long handles are at most, in seconds.
const mostHandles = 600

// exportRequest reads one of an address.
func exportRequest(r *http.Request) (q ExportRequest, err error) {
	a := answer.Asking(r)
	q.Reel, q.From, q.To = a.Path("reel"), a.Int("from", 0), a.Int("to", -1)
	q.Bits, q.Channels, q.File = int(a.Int("bits", 24)), int(a.Int("channels", 2)), delivery.File(r.URL.Query().Get("file"))
	if q.File == "" {
		q.File = delivery.WAV
	}
	q.Kbits, q.Each, q.Handles = int(a.Int("kbits", 0)), delivery.Each(r.URL.Query().Get("each")), a.Int("handles", 0)
	for _, id := range a.IDs("clips") {
		q.Clips = append(q.Clips, int64(id))
	}
	return q, a.Err()
}

// prepare makes ready what is to be exported.
func (s *API) prepare(ctx context.Context, q ExportRequest) (v store.Version, m *mix.Mix, spec delivery.Spec, err error) {
	if v, err = s.Store.Load(ctx, q.Reel); err != nil {
		return
	}
	p := v.Reel.Props
	from, to := q.From, q.To
	if to == -1 {
		to = v.Reel.Length()
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
	spec = delivery.Spec{From: from, To: to, Rate: p.SampleRate, Bits: q.Bits, Channels: q.Channels, File: q.File, Kbits: q.Kbits, Made: now, Meta: wav.Meta{
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

// ExportSurvey is what an export would be.
type ExportSurvey struct {
	delivery.Survey
	Holes   [][2]int64 `json:"holes" doc:"digital silence in what is exported"`
	Off     string     `json:"off" doc:"by how much the loudness misses the reel’s target; empty where it meets it"`
	Files   []string   `json:"files" doc:"names of the files, where there are several"`
	Missing int        `json:"missing" doc:"clips that nobody has a recording of, and so are silent"`
}

func (s *API) exportRoutes() {
	get(s, "/reels/{reel}/export/survey", "getExportSurvey", "What an export would be: size, peaks, loudness, holes", s.getExportSurvey)
}

func (s *API) getExportSurvey(ctx context.Context, in *ExportRequest) (ExportSurvey, error) {
	var out ExportSurvey
	v, m, spec, err := s.prepare(ctx, *in)
	if err != nil {
		return out, err
	}
	if out.Survey, err = delivery.Look(ctx, m, spec); err != nil {
		return out, err
	}
	if verdict, says := level.Against(v.Reel.Props.Target.Full(), out.LUFS); verdict == level.Misses {
		out.Off = says
	}
	out.Files = []string{}
	if in.Each != delivery.Mix {
		parts, err := in.parts(v, spec)
		if err != nil {
			return out, err
		}
		for _, p := range parts {
			out.Files = append(out.Files, p.Name+"."+spec.File.Ending())
		}
	}
	out.Missing = len(v.Reel.Sounding().SilentIn(spec.From, spec.To))
	out.Holes, err = s.Continuity.HolesIn(ctx, v.Reel, spec.From, spec.To)
	return out, err
}

func (s *API) getExport(w http.ResponseWriter, r *http.Request) {
	q, err := exportRequest(r)
	var v store.Version
	var m *mix.Mix
	var spec delivery.Spec
	if err == nil {
		v, m, spec, err = s.prepare(r.Context(), q)
	}
	exact := false
	var parts []delivery.Part
	switch {
	case err != nil:
	case q.Each != delivery.Mix:
		parts, err = q.parts(v, spec)
	case spec.Bits != 32:
		exact, err = delivery.Exact(r.Context(), m, spec)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	h := w.Header()
	h.Set("Content-Type", spec.File.Type())
	if parts != nil {
		h.Set("Content-Type", "application/zip")
	} else if n := spec.Bytes(); n > 0 {
		h.Set("Content-Length", fmt.Sprint(n))
	}
	h.Set("Cache-Control", "no-store")
	h.Set("X-Revision", fmt.Sprint(v.Revision))
	h.Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": fileName(v, spec, parts != nil)}))
	if parts != nil {
		err = delivery.Bundle(r.Context(), w, s.opener(spec.Rate), parts, spec)
	} else {
		err = delivery.Write(r.Context(), w, m, spec, exact)
	}
	if err != nil {
		// The header is sent, so all that can be said is that the file ends early.
		s.Log.Warn("an export ended early", "reel", v.ID, "error", err)
		panic(http.ErrAbortHandler)
	}
}

// fileName is the reel's name, with the span when it is not the whole.
func fileName(v store.Version, spec delivery.Spec, several bool) string {
	p := v.Reel.Props
	name := delivery.PlainName(p.Name)
	if spec.From != 0 || spec.To != v.Reel.Length() {
		start := p.StartFrame + p.FrameRate.Frame(spec.From, p.SampleRate)
		name += " " + strings.NewReplacer(":", ".", ";", ".").Replace(p.FrameRate.Format(start)) + fmt.Sprintf(" %.0fs", math.Ceil(float64(spec.To-spec.From)/float64(p.SampleRate)))
	}
	if several {
		return name + ".zip"
	}
	return name + "." + spec.File.Ending()
}
