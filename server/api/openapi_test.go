package api

import (
	"encoding/json"
	"net/http"
	"slices"
	"strings"
	"testing"

	"github.com/go-chi/chi/v5"

	"blendseam/core/reel"
)

// The OpenAPI file and the routes name the same addresses and methods, and the
// same edits.
func TestOpenAPIHoldsAgainstTheRoutes(t *testing.T) {
	var doc struct {
		Paths      map[string]map[string]json.RawMessage
		Components struct {
			Schemas struct {
				Edit struct {
					Properties struct {
						Do struct{ Enum []string }
					}
				}
			}
		}
	}
	if err := json.Unmarshal(openAPIFile, &doc); err != nil {
		t.Fatal(err)
	}
	var described, routed []string
	for path, ops := range doc.Paths {
		for method := range ops {
			if method != "parameters" {
				described = append(described, strings.ToUpper(method)+" "+path)
			}
		}
	}
	r := chi.NewRouter()
	New(nil, Parts{}).Routes(r)
	err := chi.Walk(r, func(method, route string, _ http.Handler, _ ...func(http.Handler) http.Handler) error {
		routed = append(routed, method+" "+route)
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	for _, op := range routed {
		if !slices.Contains(described, op) {
			t.Errorf("%s is not described", op)
		}
	}
	for _, op := range described {
		if !slices.Contains(routed, op) {
			t.Errorf("%s is described but not there", op)
		}
	}
	if !slices.Equal(doc.Components.Schemas.Edit.Properties.Do.Enum, reel.Kinds()) {
		t.Errorf("the edits described are %v, those there %v", doc.Components.Schemas.Edit.Properties.Do.Enum, reel.Kinds())
	}
}
