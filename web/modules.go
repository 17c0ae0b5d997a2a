package web

import (
	"path"
	"regexp"
	"slices"
)

// imported finds what a module imports; formatted code has it on its own line
// or as the end of a list.
var imported = regexp.MustCompile(`(?m)^(?:import|\}) (?:(?:.* )?from )?"(\.\.?/[a-z./-]+\.js)";`)

// modules are the scripts that a page's script needs, and those that these
// need, so that a browser can ask for all of them at once. A bundle needs none.
func (e *edition) modules(page string) []string {
	if _, whole := e.files[page+".map"]; whole {
		return nil
	}
	var out []string
	for left := []string{page}; len(left) > 0; left = left[1:] {
		for _, m := range imported.FindAllSubmatch(e.files[left[0]].Body, -1) {
			if name := path.Join(path.Dir(left[0]), string(m[1])); !slices.Contains(out, name) {
				out, left = append(out, name), append(left, name)
			}
		}
	}
	return out
}
