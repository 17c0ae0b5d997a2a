package web

import (
	"encoding/json"
	"fmt"
	"html/template"
	"io"
	"io/fs"
	"path"
	"regexp"
	"strconv"
	"strings"
)

// pages are parsed with the frame around all of them.
type pages map[string]*template.Template

// Render writes a page by its name, that of its file in pages/.
func (s *Site) Render(w io.Writer, name string, data any) error {
	e, err := s.edition()
	if err != nil {
		return err
	}
	t, ok := e.pages[name]
	if !ok {
		return fmt.Errorf("web: no page %q", name)
	}
	return t.ExecuteTemplate(w, "frame", data)
}

func (e *edition) parse(fsys fs.FS) (pages, error) {
	const frame = "pages/frame.html"
	panels, err := fs.Glob(fsys, "*/*.html")
	if err != nil {
		return nil, err
	}
	shared := template.New("frame").Funcs(e.funcs())
	var names []string
	for _, file := range panels {
		switch {
		case path.Dir(file) != "pages" || file == frame:
			if err := parse(shared, fsys, file); err != nil {
				return nil, err
			}
		default:
			names = append(names, file)
		}
	}
	out := pages{}
	for _, file := range names {
		t, err := shared.Clone()
		if err == nil {
			err = parse(t, fsys, file)
		}
		if err != nil {
			return nil, err
		}
		out[strings.TrimSuffix(path.Base(file), ".html")] = t
	}
	return out, nil
}

// breaks are ends of lines with the indent of the next.
var breaks = regexp.MustCompile(`[ \t]*\n[ \t]*`)

// parse adds a file to templates. How it is laid out for those who write it is
// one blank to those who read the page.
func parse(t *template.Template, fsys fs.FS, file string) error {
	text, err := fs.ReadFile(fsys, file)
	if err != nil {
		return err
	}
	if path.Base(file) != "frame.html" {
		t = t.New(file)
	}
	_, err = t.Parse(breaks.ReplaceAllString(string(text), " "))
	return err
}

func (e *edition) funcs() template.FuncMap {
	return template.FuncMap{
		"icon":    e.icon,
		"stamp":   func() string { return e.stamp },
		"modules": e.modules,
		"duration": func(samples int64, rate int) string {
			sec := (samples + int64(rate)/2) / int64(rate)
			return fmt.Sprintf("%d:%02d", sec/60, sec%60)
		},
		"count": func(n int, one string) string {
			if n == 1 {
				return "1 " + one
			}
			return fmt.Sprintf("%d %ss", n, one)
		},
		"word": func(name string) string { return strings.ToUpper(name[:1]) + name[1:] },
		"khz":  func(rate int) string { return strconv.FormatFloat(float64(rate)/1000, 'f', -1, 64) + " kHz" },
		"json": func(v any) (string, error) { b, err := json.Marshal(v); return string(b), err },
	}
}

// icon is a use of one of the icons in icons.svg.
func (e *edition) icon(name string) template.HTML {
	return template.HTML(`<svg class="icon" aria-hidden="true"><use href="/static/icons.svg?v=` + e.stamp + `#` + template.HTMLEscapeString(name) + `"/></svg>`)
}
