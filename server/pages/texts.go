package pages

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

// text is one of the explanations as a page shows it.
type text struct {
	Title string
	Body  template.HTML
}

// What a row or a paragraph is about stands first in it, in bold.
var about = regexp.MustCompile(`<(p|tr)>(\s*(?:<td>)?)<strong>([^<]+)</strong>`)

// A picture is put into the page itself, so that it wears the page's colours.
var shown = regexp.MustCompile(`<img src="(pictures/[a-z]+\.svg)"[^>]*>`)

var unnamed = regexp.MustCompile(`[^a-z]+`)

// loadTexts renders the explanations, each part with a name by which it is found.
func loadTexts() (map[string]text, error) {
	out := map[string]text{}
	for _, one := range []struct {
		name, title string
		source      []byte
	}{{"numbers", "What the numbers mean", docs.Measuring}, {"glossary", "Glossary", docs.Glossary}} {
		var b bytes.Buffer
		if err := goldmark.New(goldmark.WithExtensions(extension.Table)).Convert(one.source, &b); err != nil {
			return nil, fmt.Errorf("the text of %s: %w", one.name, err)
		}
		body := about.ReplaceAllStringFunc(b.String(), func(m string) string {
			part := about.FindStringSubmatch(m)
			id := strings.Trim(unnamed.ReplaceAllString(strings.ToLower(part[3]), "-"), "-")
			return fmt.Sprintf(`<%s id="%s">%s<strong>%s</strong>`, part[1], id, part[2], part[3])
		})
		_, body, _ = strings.Cut(body, "</h1>")
		var lacking error
		body = shown.ReplaceAllStringFunc(body, func(m string) string {
			picture, err := docs.Pictures.ReadFile(shown.FindStringSubmatch(m)[1])
			if err != nil {
				lacking = err
			}
			return string(picture)
		})
		if lacking != nil {
			return nil, fmt.Errorf("the text of %s: %w", one.name, lacking)
		}
		out[one.name] = text{one.title, template.HTML(body)} // the texts ship with the program
	}
	return out, nil
}

// textPage shows one of the explanations.
func (s *Pages) textPage(name string) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		s.page(w, r, http.StatusOK, "text", map[string]any{"Title": s.texts[name].Title, "Body": s.texts[name].Body, "Name": name})
	}
}
