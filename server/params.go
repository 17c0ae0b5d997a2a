package server

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"blendseam/core/reel"
	"blendseam/store"
)

// version is the reel that the path names.
func (s *Server) version(r *http.Request) (store.Version, error) {
	id, err := pathInt(r, "reel")
	if err != nil {
		return store.Version{}, err
	}
	return s.store.Load(r.Context(), id)
}

func pathInt(r *http.Request, name string) (int64, error) {
	n, err := strconv.ParseInt(chi.URLParam(r, name), 10, 64)
	if err != nil || n < 0 {
		return 0, badRequest{fmt.Sprintf("The %s in the address is not a number.", name)}
	}
	return n, nil
}

// queryInt is a whole number of the query, or a default when it is absent.
func queryInt(r *http.Request, name string, absent int64) (int64, error) {
	text := r.URL.Query().Get(name)
	if text == "" {
		return absent, nil
	}
	n, err := strconv.ParseInt(text, 10, 64)
	if err != nil {
		return 0, badRequest{fmt.Sprintf("“%s” has to be a whole number.", name)}
	}
	return n, nil
}

// queryIDs is a list of ids with commas.
func queryIDs(r *http.Request, name string) ([]reel.ID, error) {
	text := r.URL.Query().Get(name)
	if text == "" {
		return nil, nil
	}
	var out []reel.ID
	for part := range strings.SplitSeq(text, ",") {
		n, err := strconv.ParseInt(part, 10, 64)
		if err != nil || len(out) >= 1000 {
			return nil, badRequest{fmt.Sprintf("“%s” has to be a list of ids.", name)}
		}
		out = append(out, reel.ID(n))
	}
	return out, nil
}
