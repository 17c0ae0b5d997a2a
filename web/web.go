// Package web is all that a browser gets: templates, styles, scripts, fonts and
// icons, a folder a room. It knows nothing of the job, of HTTP or of data.
package web

import (
	"crypto/sha256"
	"embed"
	"encoding/hex"
	"io/fs"
	"path"
	"strings"
	"sync"
)

//go:embed app.css icons.svg mark.svg fonts vendor
//go:embed app audio closeup dialogs history ledger jobs levels lib pages picture room sources timeline
var embedded embed.FS

// Embedded is what ships in the binary.
func Embedded() fs.FS { return embedded }

// Site holds the files of the pages, read from a file system.
type Site struct {
	fsys  fs.FS
	fresh bool // read anew for every page

	mu  sync.Mutex
	now *edition
}

// edition is one reading of all files.
type edition struct {
	files map[string]Asset
	stamp string // of all of them, so that pages can ask for them by version
	pages pages
}

// Asset is a file that a browser can ask for.
type Asset struct {
	Body []byte
	Kind string // its media type
	Tag  string // its entity tag (RFC 9110, section 8.8.3)
}

// kinds are the files that are sent, by ending.
var kinds = map[string]string{
	".css": "text/css; charset=utf-8", ".js": "text/javascript; charset=utf-8", ".woff2": "font/woff2", ".svg": "image/svg+xml",
	".map": "application/json",
}

// Shipped is the site that ships in the binary, read once.
var Shipped = sync.OnceValues(func() (*Site, error) { return Open(embedded, false) })

// Open reads a site. A fresh one is read anew whenever a page is asked for, so
// that a change of a file is seen by reloading.
func Open(fsys fs.FS, fresh bool) (*Site, error) {
	s := &Site{fsys: fsys, fresh: fresh}
	var err error
	s.now, err = s.read()
	return s, err
}

func (s *Site) read() (*edition, error) {
	e := &edition{files: map[string]Asset{}}
	all := sha256.New()
	err := fs.WalkDir(s.fsys, ".", func(name string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		kind := kinds[path.Ext(name)]
		if d.IsDir() || kind == "" || strings.HasPrefix(name, "styles/") {
			return nil
		}
		body, err := fs.ReadFile(s.fsys, name)
		if err != nil {
			return err
		}
		sum := e.add(name, body)
		all.Write(sum[:])
		return nil
	})
	if err != nil {
		return nil, err
	}
	e.stamp = hex.EncodeToString(all.Sum(nil)[:6])
	if !s.fresh {
		if err := e.bundle(s.fsys); err != nil {
			return nil, err
		}
	}
	e.pages, err = e.parse(s.fsys)
	return e, err
}

// assetOf is a file as it is sent, and its sum.
func assetOf(name string, body []byte) (Asset, [sha256.Size]byte) {
	sum := sha256.Sum256(body)
	return Asset{body, kinds[path.Ext(name)], `"` + hex.EncodeToString(sum[:8]) + `"`}, sum
}

// add puts a file among those that a browser can ask for and gives its sum.
func (e *edition) add(name string, body []byte) [sha256.Size]byte {
	a, sum := assetOf(name, body)
	e.files[name] = a
	return sum
}

// edition is the newest reading.
func (s *Site) edition() (*edition, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.fresh {
		e, err := s.read()
		if err != nil {
			return nil, err
		}
		s.now = e
	}
	return s.now, nil
}

// Stamp names the reading of all files that is sent now: an address that
// carries it never means another file.
func (s *Site) Stamp() string {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.fresh {
		return ""
	}
	return s.now.stamp
}

// Asset is a file by its path, such as "app/bench.js".
func (s *Site) Asset(name string) (Asset, bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	a, ok := s.now.files[name]
	if !s.fresh {
		return a, ok
	}
	if body, err := fs.ReadFile(s.fsys, name); ok && err == nil { // as it is now
		a, _ = assetOf(name, body)
	}
	return a, ok
}
