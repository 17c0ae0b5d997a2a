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
	Props      *Pair[Props]      `json:"props,omitempty"`
	Tracks     []Pair[Track]     `json:"tracks,omitempty"`
	Sources    []Pair[Source]    `json:"sources,omitempty"`
	Clips      []Pair[Clip]      `json:"clips,omitempty"`
	Blends     []Pair[Blend]     `json:"blends,omitempty"`
	Strikes    []Pair[Strike]    `json:"strikes,omitempty"`
	Points     []Pair[Point]     `json:"points,omitempty"`
	Treatments []Pair[Treatment] `json:"treatments,omitempty"`
	Swatches   []Pair[Swatch]    `json:"swatches,omitempty"`
	Markers    []Pair[Marker]    `json:"markers,omitempty"`
	Ties       []Pair[Tie]       `json:"ties,omitempty"`
	Shifts     []Shift           `json:"shifts,omitempty"`
}

// Shift moves clips that change in nothing but their start. It stands for
// their pairs, so that a change in which thousands of clips follow stays
// small.
type Shift struct {
	By    int64 `json:"by"`
	Clips []ID  `json:"clips"` // in rising order
}

// fewest is how many clips have to move alike for a shift to stand for them.
const fewest = 4

// Empty reports whether nothing changes.
func (c Change) Empty() bool {
	return c.Props == nil && len(c.Shifts) == 0 && !slices.ContainsFunc(allKinds, func(k kind) bool { return k.count(&c) > 0 })
}

// Diff is the change that takes reel a to reel b.
func Diff(a, b *Reel) Change {
	var c Change
	if a.Props != b.Props {
		c.Props = &Pair[Props]{&a.Props, &b.Props}
	}
	for _, k := range allKinds {
		k.diff(a, b, &c)
	}
	c.Clips, c.Shifts = shifts(c.Clips)
	return c
}

// shifts takes the clips out of the pairs that move alike.
func shifts(pairs []Pair[Clip]) ([]Pair[Clip], []Shift) {
	moved := func(p Pair[Clip]) int64 {
		if p.Before == nil || p.After == nil {
			return 0
		}
		c := *p.Before
		c.Start = p.After.Start
		if c != *p.After {
			return 0
		}
		return p.After.Start - p.Before.Start
	}
	ways := map[int64]int{}
	var order []int64
	for _, p := range pairs {
		if by := moved(p); by != 0 {
			if ways[by]++; ways[by] == fewest {
				order = append(order, by)
			}
		}
	}
	var out []Shift
	place := map[int64]int{}
	for i, by := range order {
		out = append(out, Shift{By: by, Clips: make([]ID, 0, ways[by])})
		place[by] = i
	}
	if out == nil {
		return pairs, nil
	}
	var rest []Pair[Clip]
	for _, p := range pairs {
		if by := moved(p); by != 0 && ways[by] >= fewest {
			i := place[by]
			out[i].Clips = append(out[i].Clips, p.Before.ID)
		} else {
			rest = append(rest, p)
		}
	}
	return rest, out
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
	var out Change
	for _, k := range allKinds {
		k.invert(&c, &out)
	}
	for _, s := range c.Shifts {
		out.Shifts = append(out.Shifts, Shift{-s.By, s.Clips})
	}
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

// Check returns an error when a change from outside is none: a pair of nothing,
// or things out of order. Those that Diff makes are sound.
func (c Change) Check() error {
	if c.Props != nil && (c.Props.Before == nil || c.Props.After == nil) {
		return fmt.Errorf("a change of the reel's settings lacks a side")
	}
	for _, k := range allKinds {
		if err := k.check(&c); err != nil {
			return err
		}
	}
	for _, s := range c.Shifts {
		if s.By > Farthest || s.By < -Farthest {
			return fmt.Errorf("a shift goes out of all bounds")
		}
		for i := 1; i < len(s.Clips); i++ {
			if s.Clips[i] <= s.Clips[i-1] {
				return fmt.Errorf("the clips of a shift are out of order")
			}
		}
	}
	return nil
}

func checkPairs[T thing](pairs []Pair[T]) error {
	last := ID(0)
	for _, p := range pairs {
		if p.Before == nil && p.After == nil || p.Before != nil && p.After != nil && (*p.Before).id() != (*p.After).id() {
			return fmt.Errorf("a pair is of nothing, or of two things")
		}
		id := either(p).id()
		if id <= last {
			return fmt.Errorf("things are out of order, or have no id")
		}
		last = id
	}
	return nil
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
	for _, k := range allKinds {
		if err := k.apply(&c, r, &out); err != nil {
			return nil, err
		}
	}
	if len(c.Shifts) > 0 {
		if len(c.Clips) == 0 {
			out.Clips = slices.Clone(r.Clips)
		}
		for _, s := range c.Shifts {
			for _, id := range s.Clips {
				i, ok := find(out.Clips, id)
				if !ok || out.Clips[i].Start+s.By < 0 {
					return nil, fmt.Errorf("clip %d has changed since", id)
				}
				out.Clips[i].Start += s.By
			}
		}
	}
	return &out, nil
}

// onList are pairs of sources as they bear on a list that was kept meanwhile:
// the names of sources and whether they are listed change outside of the steps,
// so a step that is undone or redone leaves those as they are, where it does
// not change them itself.
func onList(now []Source, pairs []Pair[Source]) []Pair[Source] {
	out := slices.Clone(pairs)
	for i, p := range out {
		if p.Before == nil {
			continue
		}
		was := *p.Before
		is, ok := get(now, was.ID)
		if !ok || is == was {
			continue
		}
		was.Name, was.Unlisted = is.Name, is.Unlisted
		if was != is {
			continue // it differs in more than that
		}
		out[i].Before = &is
		if p.After != nil {
			after := *p.After
			if after.Name == p.Before.Name {
				after.Name = is.Name
			}
			if after.Unlisted == p.Before.Unlisted {
				after.Unlisted = is.Unlisted
			}
			out[i].After = &after
		}
	}
	return out
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

// Conflict says which of the named things a change has touched, by name, or
// "" when none.
func (c Change) Conflict(names []ID) string {
	if told := clipKind.conflict(&c, names); told != "" {
		return told
	}
	for _, s := range c.Shifts {
		if slices.ContainsFunc(names, func(id ID) bool { _, ok := slices.BinarySearch(s.Clips, id); return ok }) {
			return "the place of a clip"
		}
	}
	for _, k := range otherKinds {
		if told := k.conflict(&c, names); told != "" {
			return told
		}
	}
	return ""
}

// Stirs reports whether a change alters or moves a clip on one of the tracks.
// The reel is one after the change, to tell where shifted clips lie.
func (c Change) Stirs(r *Reel, tracks []ID) bool {
	on := idSet(tracks)
	for _, p := range c.Clips {
		if p.Before != nil && on[p.Before.Track] || p.After != nil && on[p.After.Track] {
			return true
		}
	}
	for _, s := range c.Shifts {
		for _, id := range s.Clips {
			if clip, ok := r.Clip(id); ok && on[clip.Track] {
				return true
			}
		}
	}
	return false
}

func either[T any](p Pair[T]) T {
	if p.Before != nil {
		return *p.Before
	}
	return *p.After
}
