package server

import (
	_ "embed"
	"net/http"
)

//go:embed openapi.json
var openAPIFile []byte

func (s *Server) openAPI(w http.ResponseWriter, _ *http.Request) {
	w.Header().Set("Content-Type", "application/json")
	_, _ = w.Write(openAPIFile)
}
