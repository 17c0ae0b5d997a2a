package api

import (
	"context"
	"fmt"
	"mime"
	"net/http"
	"strconv"
	"time"

	"blendseam/core/level"
	"blendseam/core/reel"
	"blendseam/delivery"
	"blendseam/server/answer"
	"blendseam/store"
	"blendseam/work"
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
	Rate     int           `query:"rate" doc:"hertz; 0 for that of the reel"`
	LUFS     string        `query:"lufs" doc:"loudness that the mix is brought to; as it is where it is left out"`
	Ceiling  string        `query:"ceiling" doc:"true peak that it keeps under then, in dBTP; −1 where it is left out"`
}

// order is what is asked for.
func (q ExportRequest) order() delivery.Order {
	o := delivery.Order{From: q.From, To: q.To, Bits: q.Bits, Channels: q.Channels, File: q.File, Kbits: q.Kbits, Each: q.Each, Handles: q.Handles}
	for _, id := range q.Clips {
		o.Clips = append(o.Clips, reel.ID(id))
	}
	o.Rate = q.Rate
	if lufs, err := strconv.ParseFloat(q.LUFS, 64); err == nil {
		o.Loudness = &delivery.Loud{LUFS: lufs, CeilingDB: -1}
		if c, err := strconv.ParseFloat(q.Ceiling, 64); err == nil {
			o.Loudness.CeilingDB = c
		}
	}
	return o
}

// exportRequest reads one of an address.
func exportRequest(r *http.Request) (q ExportRequest, err error) {
	a := answer.Asking(r)
	q.Reel, q.From, q.To = a.Path("reel"), a.Int("from", 0), a.Int("to", -1)
	q.Bits, q.Channels, q.File = int(a.Int("bits", 24)), int(a.Int("channels", 2)), delivery.File(r.URL.Query().Get("file"))
	if q.File == "" {
		q.File = delivery.WAV
	}
	q.Kbits, q.Each, q.Handles = int(a.Int("kbits", 0)), delivery.Each(r.URL.Query().Get("each")), a.Int("handles", 0)
	q.Rate, q.LUFS, q.Ceiling = int(a.Int("rate", 0)), r.URL.Query().Get("lufs"), r.URL.Query().Get("ceiling")
	for _, id := range a.IDs("clips") {
		q.Clips = append(q.Clips, int64(id))
	}
	return q, a.Err()
}

// plan makes an order ready, with the reel it is of.
func (s *API) plan(ctx context.Context, id int64, o delivery.Order) (v store.Version, p *delivery.Plan, err error) {
	if v, err = s.Store.Load(ctx, id); err != nil {
		return
	}
	v.Reel = work.Present(s.Library, v.Reel)
	if p, err = o.Plan(v.Reel, v.Revision, time.Now()); err != nil {
		err = answer.Bad(answer.UpperFirst(err.Error()) + ".")
	}
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
	v, p, err := s.plan(ctx, in.Reel, in.order())
	if err != nil {
		return out, err
	}
	if out.Survey, err = p.Look(ctx, s.opener(p.Spec.Rate)); err != nil {
		if ctx.Err() == nil && in.LUFS != "" {
			err = answer.Bad(answer.UpperFirst(err.Error()) + ".")
		}
		return out, err
	}
	if verdict, says := level.Against(v.Reel.Props.Target.Full(), out.LUFS); verdict == level.Misses && out.Finish == nil {
		out.Off = says
	}
	out.Files = []string{}
	for _, part := range p.Parts {
		out.Files = append(out.Files, part.Name+"."+p.Spec.File.Ending())
	}
	out.Missing = len(v.Reel.Sounding().SilentIn(p.Spec.From, p.Spec.To))
	out.Holes, err = s.Continuity.HolesIn(ctx, v.Reel, p.Spec.From, p.Spec.To)
	return out, err
}

func (s *API) getExport(w http.ResponseWriter, r *http.Request) {
	q, err := exportRequest(r)
	var v store.Version
	var p *delivery.Plan
	if err == nil {
		v, p, err = s.plan(r.Context(), q.Reel, q.order())
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	if p.Film != nil {
		s.Fail(w, r, answer.Bad("A video is written as a job: ask for it at /reels/{reel}/exports."))
		return
	}
	h := w.Header()
	h.Set("Content-Type", p.Type)
	if n := p.Bytes(); n > 0 {
		h.Set("Content-Length", fmt.Sprint(n))
	}
	h.Set("Cache-Control", "no-store")
	h.Set("X-Revision", fmt.Sprint(v.Revision))
	h.Set("Content-Disposition", attachment(p.Name))
	out := &begun{ResponseWriter: w}
	if err := p.Write(r.Context(), out, s.opener(p.Spec.Rate), nil); err != nil {
		if !out.yes {
			s.Fail(w, r, err)
			return
		}
		// The header is sent, so all that can be said is that the file ends early.
		s.Log.Warn("an export ended early", "reel", v.ID, "error", err)
		panic(http.ErrAbortHandler)
	}
}

// begun knows whether anything of an answer was sent.
type begun struct {
	http.ResponseWriter
	yes bool
}

func (b *begun) Write(p []byte) (int, error) {
	b.yes = true
	return b.ResponseWriter.Write(p)
}

// attachment is the header of a file that is to be saved under a name.
func attachment(name string) string {
	return mime.FormatMediaType("attachment", map[string]string{"filename": name})
}
