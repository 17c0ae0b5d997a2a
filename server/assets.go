package server

import (
	"bytes"
	"crypto/sha256"
	"embed"
	"encoding/hex"
	"io/fs"
	"net/http"
	"path"
	"regexp"
	"slices"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"
)

//go:embed static
var staticFiles embed.FS

// assets are the styles, scripts, fonts and pictures that ship in the binary.
type assets struct {
	files map[string]asset
	stamp string // of all of them, so that pages can ask for them by version
}

type asset struct {
	body []byte
	kind string
	tag  string
}

var kinds = map[string]string{
	".css": "text/css; charset=utf-8", ".js": "text/javascript; charset=utf-8", ".woff2": "font/woff2", ".svg": "image/svg+xml",
}

func loadAssets() (*assets, error) {
	a := &assets{files: map[string]asset{}}
	all := sha256.New()
	err := fs.WalkDir(staticFiles, "static", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		body, err := staticFiles.ReadFile(name)
		if err != nil {
			return err
		}
		sum := sha256.Sum256(body)
		all.Write(sum[:])
		a.files[strings.TrimPrefix(name, "static/")] = asset{body, kinds[path.Ext(name)], `"` + hex.EncodeToString(sum[:8]) + `"`}
		return nil
	})
	a.stamp = hex.EncodeToString(all.Sum(nil)[:6])
	return a, err
}

var imported = regexp.MustCompile(`(?m)^import .*from "\./([a-z-]+\.js)";`)

// modules are the scripts that a page's script needs, and those that these
// need, so that a browser can ask for all of them at once.
func (a *assets) modules(page string) []string {
	var out []string
	for left := []string{page}; len(left) > 0; left = left[1:] {
		for _, m := range imported.FindAllSubmatch(a.files["js/"+left[0]].body, -1) {
			if name := string(m[1]); !slices.Contains(out, name) {
				out, left = append(out, name), append(left, name)
			}
		}
	}
	return out
}

func (a *assets) serve(w http.ResponseWriter, r *http.Request) {
	f, ok := a.files[chi.URLParam(r, "*")]
	if !ok || f.kind == "" {
		http.NotFound(w, r)
		return
	}
	h := w.Header()
	h.Set("Content-Type", f.kind)
	h.Set("ETag", f.tag)
	h.Set("Cache-Control", "no-cache")
	if strings.HasSuffix(r.URL.Path, ".woff2") {
		h.Set("Cache-Control", "public, max-age=31536000, immutable")
	}
	http.ServeContent(w, r, "", time.Time{}, bytes.NewReader(f.body))
}
