package pages

import (
	"net/http"
	"time"

	"github.com/go-chi/chi/v5"

	"blendseam/interchange/sheet"
	"blendseam/server/answer"
)

// print shows a report of a reel as a page for paper.
func (s *Pages) print(w http.ResponseWriter, r *http.Request) {
	id, err := answer.PathInt(r, "reel")
	var t sheet.Table
	var data map[string]any
	if err == nil {
		v, lerr := s.Store.Load(r.Context(), id)
		if err = lerr; err == nil {
			t, err = s.Report(r.Context(), v, chi.URLParam(r, "what"))
			p := v.Reel.Props
			data = map[string]any{
				"Title": t.Title + ", " + p.Name, "Table": t, "What": chi.URLParam(r, "what"), "ID": v.ID, "Reel": v.Reel, "Revision": v.Revision,
				"Length": v.Reel.Length(), "Now": time.Now().Format("2 Jan 2006 15:04"),
			}
		}
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.page(w, r, http.StatusOK, "print", data)
}
