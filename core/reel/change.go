package reel

import (
	"fmt"
	"slices"
)

// Pair is a thing before and after a change. Before is nil for a thing that
// was made, After for one that went.
type Pair[T any] struct {
	Before *T `json:"before,omitempty"`
	After  *T `json:"after,omitempty"`
}

// Change is the difference of two reels, thing by thing.
type Change struct {
	Props   *Pair[Props]   `json:"props,omitempty"`
	Tracks  []Pair[Track]  `json:"tracks,omitempty"`
	Sources []Pair[Source] `json:"sources,omitempty"`
	Clips   []Pair[Clip]   `json:"clips,omitempty"`
	Blends  []Pair[Blend]  `json:"blends,omitempty"`
}

// Empty reports whether nothing changes.
func (c Change) Empty() bool {
	return c.Props == nil && len(c.Tracks)+len(c.Sources)+len(c.Clips)+len(c.Blends) == 0
}

// Diff is the change that takes reel a to reel b.
func Diff(a, b *Reel) Change {
	var c Change
	if a.Props != b.Props {
		c.Props = &Pair[Props]{&a.Props, &b.Props}
	}
	c.Tracks = diff(a.Tracks, b.Tracks)
	c.Sources = diff(a.Sources, b.Sources)
	c.Clips = diff(a.Clips, b.Clips)
	c.Blends = diff(a.Blends, b.Blends)
	return c
}

func diff[T thing](a, b []T) []Pair[T] {
	var out []Pair[T]
	for len(a) > 0 || len(b) > 0 {
		switch {
		case len(b) == 0 || len(a) > 0 && a[0].id() < b[0].id():
			out = append(out, Pair[T]{Before: &a[0]})
			a = a[1:]
		case len(a) == 0 || b[0].id() < a[0].id():
			out = append(out, Pair[T]{After: &b[0]})
			b = b[1:]
		default:
			if a[0] != b[0] {
				out = append(out, Pair[T]{&a[0], &b[0]})
			}
			a, b = a[1:], b[1:]
		}
	}
	return out
}

// Invert is the change that takes back c.
func (c Change) Invert() Change {
	out := Change{Tracks: invert(c.Tracks), Sources: invert(c.Sources), Clips: invert(c.Clips), Blends: invert(c.Blends)}
	if c.Props != nil {
		out.Props = &Pair[Props]{c.Props.After, c.Props.Before}
	}
	return out
}

func invert[T any](pairs []Pair[T]) []Pair[T] {
	out := slices.Clone(pairs)
	for i, p := range out {
		out[i] = Pair[T]{p.After, p.Before}
	}
	return out
}

// Apply gives the reel after the change. It fails when a thing is not as the
// change found it.
func (c Change) Apply(r *Reel) (*Reel, error) {
	out := *r
	if c.Props != nil {
		if r.Props != *c.Props.Before {
			return nil, fmt.Errorf("the reel's own settings have changed since")
		}
		out.Props = *c.Props.After
	}
	var err error
	if out.Tracks, err = apply(r.Tracks, c.Tracks, &out.NextID, "track"); err != nil {
		return nil, err
	}
	if out.Sources, err = apply(r.Sources, c.Sources, &out.NextID, "source"); err != nil {
		return nil, err
	}
	if out.Clips, err = apply(r.Clips, c.Clips, &out.NextID, "clip"); err != nil {
		return nil, err
	}
	if out.Blends, err = apply(r.Blends, c.Blends, &out.NextID, "blend"); err != nil {
		return nil, err
	}
	return &out, nil
}

// apply merges the pairs, sorted by id as Diff made them, into things.
func apply[T thing](things []T, pairs []Pair[T], next *ID, kind string) ([]T, error) {
	if len(pairs) == 0 {
		return things, nil
	}
	out := make([]T, 0, len(things)+len(pairs))
	for _, p := range pairs {
		var id ID
		if p.Before != nil {
			id = (*p.Before).id()
		} else {
			id = (*p.After).id()
		}
		i, ok := find(things, id)
		if ok != (p.Before != nil) || ok && things[i] != *p.Before {
			return nil, fmt.Errorf("%s %d has changed since", kind, id)
		}
		out = append(out, things[:i]...)
		if p.After != nil {
			out = append(out, *p.After)
			*next = max(*next, id+1)
		}
		if ok {
			i++
		}
		things = things[i:]
	}
	return append(out, things...), nil
}

// Touched are the ids of the things a change is about.
func (c Change) Touched() []ID {
	var out []ID
	out = touched(out, c.Tracks)
	out = touched(out, c.Sources)
	out = touched(out, c.Clips)
	return touched(out, c.Blends)
}

func touched[T thing](out []ID, pairs []Pair[T]) []ID {
	for _, p := range pairs {
		if p.Before != nil {
			out = append(out, (*p.Before).id())
		} else {
			out = append(out, (*p.After).id())
		}
	}
	return out
}

// Conflict says which of the named things a change has touched, by name, or
// "" when none.
func (c Change) Conflict(names []ID) string {
	for _, p := range c.Clips {
		if was := either(p); slices.Contains(names, was.ID) {
			return "clip “" + was.Name + "”"
		}
	}
	for _, p := range c.Blends {
		if was := either(p); slices.Contains(names, was.ID) || slices.Contains(names, was.Left) && slices.Contains(names, was.Right) {
			return "the blend on this seam"
		}
	}
	for _, p := range c.Tracks {
		if was := either(p); slices.Contains(names, was.ID) {
			return "track “" + was.Name + "”"
		}
	}
	for _, p := range c.Sources {
		if was := either(p); slices.Contains(names, was.ID) {
			return "source “" + was.Name + "”"
		}
	}
	return ""
}

func either[T any](p Pair[T]) T {
	if p.Before != nil {
		return *p.Before
	}
	return *p.After
}
