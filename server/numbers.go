package server

import (
	"bytes"
	"fmt"
	"html/template"
	"net/http"
	"regexp"
	"strings"

	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/extension"

	"blendseam/docs"
)

// explained is the explanation of the numbers as a page shows it, made once.
type explained struct{ text template.HTML }

// What a row or a paragraph is about stands first in it, in bold.
var about = regexp.MustCompile(`<(p|tr)>(\s*(?:<td>)?)<strong>([^<]+)</strong>`)

var unnamed = regexp.MustCompile(`[^a-z]+`)

// explain renders the explanations, each with a name by which it is found.
func explain() (explained, error) {
	var b bytes.Buffer
	if err := goldmark.New(goldmark.WithExtensions(extension.Table)).Convert(docs.Measuring, &b); err != nil {
		return explained{}, fmt.Errorf("docs/measuring.md: %w", err)
	}
	_, body, _ := strings.Cut(b.String(), "</h1>")
	body = about.ReplaceAllStringFunc(body, func(m string) string {
		part := about.FindStringSubmatch(m)
		id := strings.Trim(unnamed.ReplaceAllString(strings.ToLower(part[3]), "-"), "-")
		return fmt.Sprintf(`<%s id="%s">%s<strong>%s</strong>`, part[1], id, part[2], part[3])
	})
	return explained{template.HTML(body)}, nil // the text ships with the program
}

func (s *Server) numbersPage(w http.ResponseWriter, r *http.Request) {
	s.page(w, r, http.StatusOK, "numbers", map[string]any{"Title": "What the numbers mean", "Text": s.numbers.text})
}
