package answer

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"blendseam/core/reel"
)

// PathInt is a number in the address.
func PathInt(r *http.Request, name string) (int64, error) {
	n, err := strconv.ParseInt(chi.URLParam(r, name), 10, 64)
	if err != nil || n < 0 {
		return 0, Bad(fmt.Sprintf("The %s in the address is not a number.", name))
	}
	return n, nil
}

// QueryInt is a whole number of the query, or a default when it is absent.
func QueryInt(r *http.Request, name string, absent int64) (int64, error) {
	text := r.URL.Query().Get(name)
	if text == "" {
		return absent, nil
	}
	n, err := strconv.ParseInt(text, 10, 64)
	if err != nil {
		return 0, Bad(fmt.Sprintf("“%s” has to be a whole number.", name))
	}
	return n, nil
}

// QueryIDs is a list of ids with commas.
func QueryIDs(r *http.Request, name string) ([]reel.ID, error) {
	text := r.URL.Query().Get(name)
	if text == "" {
		return nil, nil
	}
	var out []reel.ID
	for part := range strings.SplitSeq(text, ",") {
		n, err := strconv.ParseInt(part, 10, 64)
		if err != nil || len(out) >= 1000 {
			return nil, Bad(fmt.Sprintf("“%s” has to be a list of ids.", name))
		}
		out = append(out, reel.ID(n))
	}
	return out, nil
}

// Immutable marks an answer that will never differ, and answers itself when
// the browser has it already.
func Immutable(w http.ResponseWriter, r *http.Request, tag string) bool {
	tag = strconv.Quote(tag)
	w.Header().Set("ETag", tag)
	w.Header().Set("Cache-Control", "private, max-age=31536000, immutable")
	if r.Header.Get("If-None-Match") == tag {
		w.WriteHeader(http.StatusNotModified)
		return true
	}
	return false
}

// UpperFirst is a sentence with a capital letter.
func UpperFirst(s string) string {
	if s != "" && s[0] >= 'a' && s[0] <= 'z' {
		return string(s[0]-'a'+'A') + s[1:]
	}
	return s
}
