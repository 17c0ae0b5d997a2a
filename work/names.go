package work

import (
	"strconv"
	"strings"

	"blendseam/core/reel"
)

// distinctKind is the first of the names that no source of its kind in the reel has yet: the
// one inside the file, the file's own, or that with a number.
func distinctKind(r *reel.Reel, picture bool, names ...string) string {
	taken := map[string]bool{}
	for _, s := range r.Sources {
		if s.Shows() == picture && !s.Missing() {
			taken[s.Name] = true
		}
	}
	for _, name := range names {
		if name = Shorten(name); !taken[name] {
			return name
		}
	}
	stem := Shorten(names[len(names)-1])
	for n := 2; ; n++ {
		if name := stem + " " + strconv.Itoa(n); !taken[name] {
			return name
		}
	}
}

// Shorten is a name from outside as a source can have it, with room for what
// tells it from another.
func Shorten(name string) string {
	name = reel.PlainName(name)
	if r := []rune(name); len(r) > reel.MaxName-10 {
		name = strings.TrimSpace(string(r[:reel.MaxName-10]))
	}
	if name == "" {
		return "untitled"
	}
	return name
}
