// Package assets sends styles, scripts, fonts and icons.
package assets

import (
	"bytes"
	"net/http"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"blendseam/web"
)

// Handler sends a file of the site by what stands for * in the address.
func Handler(site *web.Site) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		f, ok := site.Asset(chi.URLParam(r, "*"))
		if !ok {
			http.NotFound(w, r)
			return
		}
		h := w.Header()
		h.Set("Content-Type", f.Kind)
		h.Set("ETag", f.Tag)
		h.Set("Cache-Control", "no-cache")
		if v := r.URL.Query().Get("v"); strings.HasSuffix(r.URL.Path, ".woff2") || v != "" && v == site.Stamp() {
			h.Set("Cache-Control", "public, max-age=31536000, immutable")
		}
		http.ServeContent(w, r, "", time.Time{}, bytes.NewReader(f.Body))
	}
}
