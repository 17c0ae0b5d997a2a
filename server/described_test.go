package server

import (
	"encoding/json"
	"net/http"
	"regexp"
	"strings"
	"sync"

	"github.com/danielgtaylor/huma/v2"

	"blendseam/server/api"
)

// described finds the schema of an answer by its method, path and status.
var described = sync.OnceValue(func() *description {
	d := &description{doc: api.Describe()}
	hole := regexp.MustCompile(`\\\{[a-z]+\\\}`)
	for path, item := range d.doc.Paths {
		re := regexp.MustCompile("^" + hole.ReplaceAllString(regexp.QuoteMeta(path), "[^/]+") + "$")
		for method, op := range map[string]*huma.Operation{"GET": item.Get, "POST": item.Post, "PUT": item.Put, "PATCH": item.Patch, "DELETE": item.Delete} {
			if op != nil {
				d.ops = append(d.ops, describedOp{method, re, strings.Contains(path, "{"), op})
			}
		}
	}
	return d
})

type description struct {
	doc *huma.OpenAPI
	ops []describedOp
}

type describedOp struct {
	method string
	path   *regexp.Regexp
	holes  bool
	op     *huma.Operation
}

// holds fails the test where a JSON answer is not as it is described.
func (r *rig) holds(method, path string, res *http.Response, body []byte) {
	r.t.Helper()
	kind := res.Header.Get("Content-Type")
	path, _, _ = strings.Cut(path, "?")
	var op *huma.Operation
	for _, o := range described().ops {
		if o.method == method && o.path.MatchString(path) && (op == nil || !o.holes) {
			op = o.op
		}
	}
	if op == nil {
		return // it is not there, which is told as a problem
	}
	answer := op.Responses[strings.TrimSpace(strings.Split(res.Status, " ")[0])]
	if answer == nil || answer.Content[kind] == nil || answer.Content[kind].Schema == nil {
		return
	}
	var value any
	if err := json.Unmarshal(body, &value); err != nil {
		r.t.Errorf("%s %s: %v", method, path, err)
		return
	}
	var found huma.ValidateResult
	huma.Validate(described().doc.Components.Schemas, answer.Content[kind].Schema, huma.NewPathBuffer(nil, 0), huma.ModeReadFromServer, value, &found)
	for _, wrong := range found.Errors {
		r.t.Errorf("%s %s is not as described: %.300s", method, path, wrong)
	}
}
