package api

import (
	"context"
	"fmt"
	"io"
	"net/http"

	"github.com/go-chi/chi/v5"

	"blendseam/core/gain"
	"blendseam/core/reel"
	"blendseam/core/seam"
	"blendseam/interchange/sheet"
	"blendseam/server/answer"
	"blendseam/store"
)

// Report is a table that is told of a reel: cues, seams, markers or swatches.
func (s *API) Report(ctx context.Context, v store.Version, what string) (sheet.Table, error) {
	switch what {
	case "cues":
		return sheet.Cues(v.Reel), nil
	case "markers":
		return sheet.Markers(v.Reel), nil
	case "swatches":
		return sheet.Swatches(v.Reel), nil
	case "seams":
		return s.seamReport(ctx, v, false)
	case "open":
		return s.seamReport(ctx, v, true)
	}
	return sheet.Table{}, answer.Bad("Reports are of cues, seams, open seams, markers and swatches.")
}

// lawWords are the laws of blends as they are read.
var lawWords = map[gain.Law]string{
	gain.ConstantPower: "constant power", gain.ConstantGain: "constant gain", gain.ConstantPowerEased: "constant power, eased",
	gain.ConstantGainEased: "constant gain, eased", gain.Matched: "matched",
}

// seamReport measures what is not measured yet, and tells all, or those alone that are
// neither fine nor accepted.
func (s *API) seamReport(ctx context.Context, v store.Version, open bool) (sheet.Table, error) {
	accepted, err := s.Store.Accepted(ctx, v.ID)
	if err != nil {
		return sheet.Table{}, err
	}
	touched, err := s.Store.Touched(ctx, v.ID)
	if err != nil {
		return sheet.Table{}, err
	}
	r, rows := v.Reel, []sheet.Seam{}
	for _, one := range r.Seams() {
		track, _ := r.Track(one.Track)
		j, err := s.Measuring.Judged(ctx, v.ID, r, one)
		if err != nil {
			return sheet.Table{}, err
		}
		if open && (j.Verdict == seam.Fine || j.Verdict == seam.Silent || accepted[j.Print]) {
			continue
		}
		row := sheet.Seam{At: one.At, Track: track.Name, Clips: r.Title(one), Verdict: string(j.Verdict), Brief: j.Brief, Says: j.Why}
		if accepted[j.Print] {
			row.Verdict += ", accepted"
		}
		if b := j.With; b.ID != 0 {
			row.Blend = fmt.Sprintf("%.3f s, %s", float64(b.Length())/float64(r.Props.SampleRate), lawWords[b.Law])
		}
		if last := touched[one.Left]; last.Revision > 0 || touched[one.Right].Revision > 0 {
			if other := touched[one.Right]; other.Revision > last.Revision {
				last = other
			}
			row.Done, row.When = last.Label, last.At
		}
		rows = append(rows, row)
	}
	out := sheet.Seams(r.Props, rows)
	if open {
		out.Title = "Open seams"
	}
	return out, nil
}

// getReport sends a report as CSV.
func (s *API) getReport(w http.ResponseWriter, r *http.Request) {
	v, err := s.version(r)
	var t sheet.Table
	if err == nil {
		t, err = s.Report(r.Context(), v, chi.URLParam(r, "what"))
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	w.Header().Set("Content-Type", "text/csv; charset=utf-8; header=present")
	w.Header().Set("Content-Disposition", attachment(v.Reel.Props.Name+", "+t.Title+".csv"))
	_ = t.Write(w) // who asked is gone
}

// postMarkers adds the markers of a CSV text, as one step.
func (s *API) postMarkers(w http.ResponseWriter, r *http.Request) {
	v, err := s.version(r)
	var text []byte
	if err == nil {
		text, err = io.ReadAll(http.MaxBytesReader(w, r.Body, sheet.MostBytes+1))
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	found, err := sheet.ReadMarkers(text, v.Reel.Props)
	if err != nil {
		s.Fail(w, r, answer.Bad("“"+fileNameOf(r.URL.Query().Get("name"))+"” cannot be imported: "+err.Error()+"."))
		return
	}
	e := &reel.Together{Label: markersLabel(len(found))}
	for _, m := range found {
		e.Edits = append(e.Edits, &reel.AddMarker{At: m.At, Text: m.Text})
	}
	out, err := s.done(s.Store.Do(r.Context(), v.ID, v.Revision, e))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	answer.JSON(w, http.StatusOK, out)
}

// markersLabel names the step that imports so many.
func markersLabel(n int) string {
	if n == 1 {
		return "import 1 marker"
	}
	return fmt.Sprintf("import %d markers", n)
}
