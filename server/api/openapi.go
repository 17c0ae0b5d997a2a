package api

import (
	_ "embed"
	"net/http"
)

//go:embed openapi.json
var openAPIFile []byte

// sendDocument sends the description of the API.
func sendDocument(w http.ResponseWriter, _ *http.Request) {
	w.Header().Set("Content-Type", "application/json")
	_, _ = w.Write(openAPIFile)
}
