package api

import (
	"encoding/json"
	"net/http"
	"slices"
	"strings"
	"testing"

	"github.com/go-chi/chi/v5"

	"blendseam/core/reel"
	"blendseam/server/live"
)

// The description and the routes name the same addresses and methods, and the
// same edits.
func TestTheDescriptionHoldsAgainstTheRoutes(t *testing.T) {
	text, err := json.Marshal(Describe())
	if err != nil {
		t.Fatal(err)
	}
	var doc struct {
		Paths map[string]map[string]struct {
			OperationID string
			Summary     string
			Responses   map[string]json.RawMessage
		}
		Components struct {
			Schemas map[string]struct {
				Properties map[string]struct{ Enum []string }
			}
		}
	}
	if err := json.Unmarshal(text, &doc); err != nil {
		t.Fatal(err)
	}
	var described, routed []string
	for path, ops := range doc.Paths {
		for method, op := range ops {
			described = append(described, strings.ToUpper(method)+" "+path)
			if op.OperationID == "" || op.Summary == "" || len(op.Responses) == 0 {
				t.Errorf("%s %s is not told of: %+v", method, path, op)
			}
		}
	}
	r := chi.NewRouter()
	New(nil, Parts{Live: &live.Live{}}).Routes(r)
	err = chi.Walk(r, func(method, route string, _ http.Handler, _ ...func(http.Handler) http.Handler) error {
		routed = append(routed, method+" "+route)
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	slices.Sort(described)
	slices.Sort(routed)
	if !slices.Equal(described, routed) {
		t.Errorf("described are\n%s\nthere are\n%s", strings.Join(described, "\n"), strings.Join(routed, "\n"))
	}
	if kinds := doc.Components.Schemas["Edit"].Properties["do"].Enum; !slices.Equal(kinds, reel.Kinds()) {
		t.Errorf("the edits described are %v, those there %v", kinds, reel.Kinds())
	}
	for _, kind := range reel.Kinds() {
		if _, ok := doc.Components.Schemas["With"+strings.ToUpper(kind[:1])+kind[1:]]; !ok {
			t.Errorf("what %s takes is not described", kind)
		}
	}
}
