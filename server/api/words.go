package api

import (
	"reflect"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"blendseam/core/reel"
	"blendseam/core/seam"
)

// words are those that a field can hold, by its type.
var words = map[reflect.Type][]any{}

// oneOf is described in the place of a type with few words.
type oneOf[T ~string] struct{}

// Schema implements huma.SchemaProvider.
func (oneOf[T]) Schema(huma.Registry) *huma.Schema {
	s := &huma.Schema{Type: huma.TypeString, Enum: words[reflect.TypeFor[T]()]}
	s.PrecomputeMessages()
	return s
}

// register has a type described by the words it can hold.
func register[T ~string](r huma.Registry, all ...T) {
	t := reflect.TypeFor[T]()
	if words[t] == nil {
		for _, w := range all {
			words[t] = append(words[t], string(w))
		}
	}
	r.RegisterTypeAlias(t, reflect.TypeFor[oneOf[T]]())
}

// registry holds the schemas, with the words of the job.
func registry() huma.Registry {
	r := huma.NewMapRegistry("#/components/schemas/", named)
	register(r, "", seam.Fine, seam.Silent, seam.Unknown, seam.Check, seam.Mend)
	register(r, reel.CutSeam, reel.HeadSeam, reel.TailSeam, reel.StruckSeam)
	register(r, append(slices.Clone(reel.Roles), reel.PictureRole)...)
	register(r, reel.Stay, reel.Follow, reel.FollowTrack)
	return r
}
