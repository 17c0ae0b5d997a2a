package api

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"path/filepath"
	"strings"

	"github.com/go-chi/chi/v5"

	"blendseam/core/conform"
	"blendseam/core/reel"
	"blendseam/core/timecode"
	"blendseam/delivery"
	"blendseam/delivery/handon"
	"blendseam/interchange/adl"
	"blendseam/interchange/edl"
	"blendseam/interchange/otio"
	"blendseam/server/answer"
	"blendseam/work"
)

// listFormat is an open format of edit lists.
type listFormat struct {
	ending, kind string
	write        func(conform.List) ([]byte, error)
	cannot       func(conform.List) []string
}

// formats are those that edits are written in, by name.
var formats = map[string]listFormat{
	"edl":  {".edl", "text/plain; charset=utf-8", func(l conform.List) ([]byte, error) { return edl.Write(l), nil }, edl.Cannot},
	"otio": {".otio", "application/json", otio.Write, otio.Cannot},
	"adl":  {".adl", "text/plain; charset=utf-8", func(l conform.List) ([]byte, error) { return adl.Write(l), nil }, adl.Cannot},
}

// rateNamed is a frame rate by the name that the trade writes.
func rateNamed(name string) (timecode.Rate, bool) {
	for _, r := range timecode.Rates {
		if r.String() == name {
			return r, true
		}
	}
	return timecode.Rate{}, false
}

// readList reads the body of a request as a list. The rates are those that it
// could count at; a timeline says itself.
func readList(w http.ResponseWriter, r *http.Request, p reel.Props) (l conform.List, rates []timecode.Rate, err error) {
	text, err := io.ReadAll(http.MaxBytesReader(w, r.Body, otio.MostBytes+1))
	if err != nil {
		return l, nil, err
	}
	if head := bytes.TrimLeft(text[:min(len(text), 4096)], "\xef\xbb\xbf \t\r\n"); len(head) > 0 && head[0] == '{' {
		l, err = otio.Read(text, p.SampleRate)
		return l, []timecode.Rate{l.Rate}, err
	}
	if adl.Is(text) {
		l, err = adl.Read(text, p.SampleRate)
		return l, []timecode.Rate{l.Rate}, err
	}
	rates = edl.Rates(text)
	rate := p.FrameRate
	if name := r.URL.Query().Get("rate"); name != "" {
		named, ok := rateNamed(name)
		if !ok {
			return l, rates, answer.Bad(timecode.ErrNotARate.Error())
		}
		rate = named
	} else {
		// The reel's own, where the list can be of it.
		can := false
		for _, c := range rates {
			can = can || c == rate
		}
		if !can && len(rates) > 0 {
			rate = rates[0]
		}
	}
	l, err = edl.Read(text, rate, p.SampleRate)
	return l, rates, err
}

// ListLook is what a list would bring.
type ListLook struct {
	Title   string            `json:"title"`
	Rate    string            `json:"rate"`
	Rates   []string          `json:"rates"` // that it could count at
	Start   string            `json:"start"` // timecode of its start
	Tracks  []ListTrack       `json:"tracks"`
	Lacking []conform.Lacking `json:"lacking"`
	Found   []conform.Found   `json:"found"` // and by what
	Notes   []string          `json:"notes"`
	Clips   int               `json:"clips"`
	Dry     *reel.Refusal     `json:"refused,omitempty"`
}

// ListTrack is a track that a list would bring.
type ListTrack struct {
	Name    string `json:"name"`
	Picture bool   `json:"picture"`
	Events  int    `json:"events"`
}

// postList takes an edit list as the request's body. It says what it would
// bring, and with take brings it.
func (s *API) postList(w http.ResponseWriter, r *http.Request) {
	v, err := s.version(r)
	name := fileNameOf(r.URL.Query().Get("name"))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	l, rates, err := readList(w, r, v.Reel.Props)
	var trouble *conform.Problem
	if errors.As(err, &trouble) {
		answer.Write(w, r, answer.Problem{Status: http.StatusUnprocessableEntity, Title: "Not imported", Kind: "list", Detail: fmt.Sprintf("“%s” cannot be imported. %s Nothing was changed.", name, trouble.Detail), Possible: ratesText(rates)})
		return
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	if name = strings.TrimSuffix(name, filepath.Ext(name)); name == "" {
		name = l.Title
	}
	if name == "" {
		name = "edit list"
	}
	c := conform.Conform(l, work.Present(s.Library, v.Reel))
	edit := &reel.Assemble{Name: name, What: c.What}
	if r.URL.Query().Get("take") != "" {
		out, err := s.done(s.Store.Do(r.Context(), v.ID, v.Revision, edit))
		if err != nil {
			s.Fail(w, r, err)
			return
		}
		answer.JSON(w, http.StatusOK, out)
		return
	}
	out := ListLook{Title: l.Title, Rate: l.Rate.String(), Rates: []string{}, Start: l.Rate.Format(l.StartFrame), Lacking: c.Lacking, Found: some(c.Found), Notes: c.Notes, Clips: len(c.What.Clips)}
	for _, rate := range rates {
		out.Rates = append(out.Rates, rate.String())
	}
	for i, t := range c.What.Tracks {
		one := ListTrack{Name: t.Name, Picture: t.Role == reel.PictureRole}
		for _, clip := range c.What.Clips {
			if clip.Track == i {
				one.Events++
			}
		}
		out.Tracks = append(out.Tracks, one)
	}
	if _, err := edit.Apply(v.Reel); err != nil {
		errors.As(err, &out.Dry)
	}
	answer.JSON(w, http.StatusOK, out)
}

func ratesText(rates []timecode.Rate) string {
	var names []string
	for _, r := range rates {
		names = append(names, r.String())
	}
	if len(names) == 0 {
		return ""
	}
	return "By its frame numbers it could count " + strings.Join(names, ", ") + " frames a second."
}

// outgoing is the reel as a list in a format, and what that does not hold.
func (s *API) outgoing(ctx context.Context, id int64, format string) (name string, f listFormat, l conform.List, lost []string, err error) {
	v, err := s.Store.Load(ctx, id)
	if err != nil {
		return "", f, l, nil, err
	}
	f, ok := formats[format]
	if !ok {
		return "", f, l, nil, answer.Bad("Edits are written as edl, otio or adl.")
	}
	files, err := s.Store.FilesOf(ctx, v.ID)
	if err != nil {
		return "", f, l, nil, err
	}
	l, lost = conform.FromReel(v.Reel, conform.FileNames(v.Reel, files))
	return v.Reel.Props.Name, f, l, append(lost, f.cannot(l)...), nil
}

// ListSurvey is what a format does not hold of an edit.
type ListSurvey struct {
	Lost   []string `json:"lost"`
	Events int      `json:"events"`
}

func (s *API) listRoutes() {
	get(s, "/reels/{reel}/lists/{format}/survey", "getListSurvey", "What a format does not hold of the edit", func(ctx context.Context, in *struct {
		OfReel
		Format string        `path:"format" enum:"edl,otio,adl"`
		Sound  bool          `query:"sound" doc:"of an audio decision list: with its sound"`
		Fades  conform.Fades `query:"fades" doc:"which fades of such a list are files of their own: leans or curved"`
		Clips  bool          `query:"clips" doc:"whether clips that it cannot say are files of their own"`
	}) (ListSurvey, error) {
		_, _, l, lost, err := s.outgoing(ctx, in.Reel, in.Format)
		if err == nil && in.Format == "adl" && in.Sound {
			lost, err = s.handOnLoses(ctx, in.Reel, conform.Choice{Fades: in.Fades, Clips: in.Clips})
		}
		out := ListSurvey{Lost: some(lost)}
		for _, t := range l.Tracks {
			out.Events += len(t.Events)
		}
		return out, err
	})
}

// handOnLoses is what an audio decision list with its sound does not hold.
func (s *API) handOnLoses(ctx context.Context, id int64, which conform.Choice) ([]string, error) {
	if err := which.Fades.Check(); err != nil {
		return nil, answer.Bad(err.Error())
	}
	v, err := s.Store.Load(ctx, id)
	if err != nil {
		return nil, err
	}
	return handon.Loses(work.Present(s.Library, v.Reel), which), nil
}

// getList sends the edit as a file.
func (s *API) getList(w http.ResponseWriter, r *http.Request) {
	id, err := answer.PathInt(r, "reel")
	var name string
	var f listFormat
	var l conform.List
	if err == nil {
		name, f, l, _, err = s.outgoing(r.Context(), id, chi.URLParam(r, "format"))
	}
	var text []byte
	if err == nil {
		text, err = f.write(l)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	w.Header().Set("Content-Type", f.kind)
	w.Header().Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": delivery.PlainName(name) + f.ending}))
	w.Header().Set("Cache-Control", "no-store")
	_, _ = w.Write(text)
}
