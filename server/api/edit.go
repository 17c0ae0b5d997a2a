package api

import (
	"encoding/json"
	"reflect"

	"github.com/danielgtaylor/huma/v2"

	"blendseam/core/reel"
	"blendseam/server/answer"
)

// Edit is an edit as it is sent: {"do": kind, "with": {…}}.
type Edit struct{ json.RawMessage }

// written is an edit to be sent, nil for none.
func written(edit reel.Edit) (*Edit, error) {
	if edit == nil {
		return nil, nil
	}
	text, err := reel.Encode(edit)
	return &Edit{text}, err
}

// read is the edit that was sent.
func (e Edit) read() (reel.Edit, error) {
	if len(e.RawMessage) == 0 {
		return nil, answer.Bad("The request lacks an edit.")
	}
	edit, err := reel.Decode(e.RawMessage)
	if err != nil {
		return nil, answer.Bad(answer.UpperFirst(err.Error()) + ".")
	}
	return edit, nil
}

// Schema implements huma.SchemaProvider. Each kind has a schema of its own,
// under the name "With" and its kind.
func (Edit) Schema(r huma.Registry) *huma.Schema {
	const name = "Edit"
	if r.Map()[name] == nil {
		s := &huma.Schema{
			Type: huma.TypeObject, Description: "An edit: what to do, and with what. The schema of “with” for each kind is named With and the kind.",
			Properties: map[string]*huma.Schema{"do": {Type: huma.TypeString}, "with": {Type: huma.TypeObject, AdditionalProperties: true}},
			Required:   []string{"do", "with"}, AdditionalProperties: false,
		}
		r.Map()[name] = s
		for _, kind := range reel.Kinds() {
			s.Properties["do"].Enum = append(s.Properties["do"].Enum, kind)
			with := &huma.Schema{Type: huma.TypeObject, Description: "The edit “together” holds others.", Properties: map[string]*huma.Schema{
				"label": {Type: huma.TypeString}, "edits": {Type: huma.TypeArray, Items: &huma.Schema{Ref: "#/components/schemas/" + name}},
			}}
			if kind != "together" { // it writes and reads itself
				with = huma.SchemaFromType(r, reflect.TypeOf(reel.Blank(kind)).Elem())
				with.Required = nil // what is left out is zero
			}
			r.Map()["With"+answer.UpperFirst(kind)] = with
		}
		s.PrecomputeMessages()
	}
	return &huma.Schema{Ref: "#/components/schemas/" + name}
}
