package api

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"blendseam/server/answer"
)

// Sent is an answer with a body.
type Sent[T any] struct{ Body T }

// Made is the answer to what made something new.
type Made struct {
	Location string `header:"Location"`
	Body     struct {
		ID int64 `json:"id"`
	}
}

// made is the answer that names a new reel.
func made(id int64, location string) *Made {
	out := &Made{Location: location}
	out.Body.ID = id
	return out
}

// OfReel is a request about a reel.
type OfReel struct {
	Reel int64 `path:"reel" minimum:"0" doc:"id of the reel"`
}

// operation is what is told of an address and a method. Bodies are read within
// their bounds before, and strictly here, so that they are not held against a
// schema again: what is wrong with them is said in words for their maker.
func operation(method, path, id, summary string, status int) huma.Operation {
	op := huma.Operation{
		Method: method, Path: path, OperationID: id, Summary: summary, DefaultStatus: status,
		SkipValidateBody: true, MaxBodyBytes: -1, BodyReadTimeout: -1,
		Errors: []int{http.StatusBadRequest, http.StatusNotFound, http.StatusUnprocessableEntity, http.StatusServiceUnavailable},
	}
	if method != http.MethodGet {
		op.Errors = append(op.Errors, http.StatusConflict)
		op.Parameters = append(op.Parameters, &huma.Param{
			Name: "Idempotency-Key", In: "header", Description: "The same request with the same key is done once, however often it comes.", Schema: &huma.Schema{Type: "string"},
		})
	}
	return op
}

// handle answers with what do gives, whole with its status and headers.
func handle[I, O any](s *API, op huma.Operation, do func(context.Context, *I) (*O, error)) {
	huma.Register(s.doc, op, func(ctx context.Context, in *I) (*O, error) {
		out, err := do(ctx, in)
		if err != nil {
			p := s.Of(err, op.OperationID)
			return nil, &p
		}
		return out, nil
	})
}

// get answers with a value.
func get[I, O any](s *API, path, id, summary string, do func(context.Context, *I) (O, error)) {
	handle(s, operation(http.MethodGet, path, id, summary, http.StatusOK), sending(do))
}

// post answers with a value.
func post[I, O any](s *API, path, id, summary string, do func(context.Context, *I) (O, error)) {
	handle(s, operation(http.MethodPost, path, id, summary, http.StatusOK), sending(do))
}

func sending[I, O any](do func(context.Context, *I) (O, error)) func(context.Context, *I) (*Sent[O], error) {
	return func(ctx context.Context, in *I) (*Sent[O], error) {
		out, err := do(ctx, in)
		return &Sent[O]{out}, err
	}
}

// create answers with the id of what was made.
func create[I any](s *API, path, id, summary string, do func(context.Context, *I) (*Made, error)) {
	handle(s, operation(http.MethodPost, path, id, summary, http.StatusCreated), do)
}

// act answers that it was done.
func act[I any](s *API, method, path, id, summary string, do func(context.Context, *I) error) {
	handle(s, operation(method, path, id, summary, http.StatusNoContent), func(ctx context.Context, in *I) (*struct{}, error) {
		return nil, do(ctx, in)
	})
}

// format is JSON, read strictly: one value, no field that is not known.
var format = huma.Format{
	Marshal:   func(w io.Writer, v any) error { return json.NewEncoder(w).Encode(v) },
	Unmarshal: func(text []byte, into any) error { return answer.Strict(text, into) },
}

func init() {
	// The fields of a slice are lists, never null; a test holds answers to it.
	huma.DefaultArrayNullable = false
	huma.NewError = func(status int, message string, errs ...error) huma.StatusError {
		for i, err := range errs {
			if d, ok := err.(*huma.ErrorDetail); ok { // without the value, which may be a whole body
				errs[i] = fmt.Errorf("%s: %s", d.Location, d.Message)
			}
		}
		p := answer.NotUnderstood(status, message, errs...)
		return &p
	}
}
