// Package reel is the document: tracks, clips and the blends between them, and
// every edit to it.
//
// A Reel is a value that is never altered once it is made. An Edit takes one
// and gives a new one, or a Refusal that says what would be possible. A Change
// is the difference of two reels; it can be applied and inverted, and is what
// is stored, undone and sent to those who watch.
package reel

import (
	"cmp"
	"slices"

	"blendseam/core/gain"
	"blendseam/core/timecode"
)

// ID names a thing of a reel: a track, source, clip, blend, struck span, swatch, marker or tie. It is unique
// among them all, never changes and is never given again. 0 is none.
type ID int64

// MaxHours is the longest a reel can be.
const MaxHours = 24

// Props are the facts of the reel itself.
type Props struct {
	Name       string        `json:"name"`
	SampleRate int           `json:"sampleRate"` // hertz
	FrameRate  timecode.Rate `json:"frameRate"`
	StartFrame int64         `json:"startFrame"` // timecode of sample 0, in frames
	Limits     Tolerances    `json:"limits,omitzero"`
	Target     Target        `json:"target,omitzero"` // how loud it is to be
}

// Role says what a track is for.
type Role string

// The roles a track can have.
const (
	Dialogue Role = "dialogue"
	RoomTone Role = "roomTone"
	Spots    Role = "spots"
	Music    Role = "music"
)

// Roles are the roles of sound in the order in which they are offered.
var Roles = []Role{Dialogue, RoomTone, Spots, Music}

// Track is a lane of clips that are heard together under one gain.
type Track struct {
	ID     ID      `json:"id"`
	Name   string  `json:"name"`
	Role   Role    `json:"role"`
	Place  int     `json:"place"` // tracks are shown in rising order of place, then id
	GainDB float64 `json:"gainDB"`
	Pan    float64 `json:"pan"` // −1 left … 1 right
	Mute   bool    `json:"mute"`
	Solo   bool    `json:"solo"`
	Locked bool    `json:"locked"`        // its clips cannot be edited
	Stays  bool    `json:"stays"`         // it keeps its time when clips of other tracks follow
	Colour Colour  `json:"colour"`        // Plain for that of its role
	Height int     `json:"height"`        // percent of the usual height, 0 for the usual
	Duck   Ducking `json:"duck,omitzero"` // how it was lowered under speech last
}

// Source is a recording, or some channels of one, as a reel uses it.
type Source struct {
	ID        ID     `json:"id"`
	Recording string `json:"recording"` // content hash of the recording; empty while none is known
	Name      string `json:"name"`
	Left      int    `json:"left"`         // channel of the recording heard on the left, or alone
	Right     int    `json:"right"`        // channel heard on the right; −1 for a mono source
	Length    int64  `json:"length"`       // samples at the reel's rate
	StartTC   int64  `json:"startTC"`      // samples from midnight at the reel's rate; −1 when not known
	Unlisted  bool   `json:"unlisted"`     // taken out of the reel's list; its sound stays
	Bed       Bed    `json:"bed,omitzero"` // how it is grown, where it is room tone
	// Picture is what it shows, where it is one of pictures.
	Picture Picture `json:"picture,omitzero"`
	// Tape is the reel of an edit list that it came from: a tape, card or roll.
	Tape string `json:"tape,omitempty"`
	// Former are the clips that it was merged of, as JSON, where it was.
	Former string `json:"former,omitempty"`
	// Fit is of what it is a copy at another speed, where it is.
	Fit Fit `json:"fit,omitzero"`
	// Folder is the group that it is listed in: names parted by slashes, as the folders were
	// that it came from.
	Folder string `json:"folder,omitempty"`
}

// Clip plays [Offset, Offset+Length) of a source from Start on a track.
type Clip struct {
	ID      ID      `json:"id"`
	Track   ID      `json:"track"`
	Source  ID      `json:"source"`
	Name    string  `json:"name"`
	Start   int64   `json:"start"`
	Offset  int64   `json:"offset"`
	Length  int64   `json:"length"`
	GainDB  float64 `json:"gainDB"`
	FadeIn  Fade    `json:"fadeIn"`
	FadeOut Fade    `json:"fadeOut"`
	// Of a clip of two channels: where it lies between its sides, −1 left … 1
	// right, and a gain of its right side alone, in dB.
	Balance float64 `json:"balance,omitzero"`
	RightDB float64 `json:"rightDB,omitzero"`
}

// End is the sample after the clip's last.
func (c Clip) End() int64 { return c.Start + c.Length }

// Fade is a rise from or a fall to silence at a clip's end. Length 0 is none.
type Fade struct {
	Length int64      `json:"length"`
	Shape  gain.Shape `json:"shape"`
	Bend   float64    `json:"bend"` // where the fade passes its middle, 0.5 is even
}

// Blend is a crossfade on the cut between two clips that meet, on one track or
// on two. It borrows handle material: the outgoing clip sounds on for After
// samples beyond the cut, the incoming one begins Before samples ahead of it.
type Blend struct {
	ID     ID       `json:"id"`
	Left   ID       `json:"left"`
	Right  ID       `json:"right"`
	Before int64    `json:"before"`
	After  int64    `json:"after"`
	Law    gain.Law `json:"law"`
	Lean   float64  `json:"lean"`         // where in the window both sides cross, 0.5 is even
	Out    Side     `json:"out,omitzero"` // the outgoing side alone, where it goes its own way
	In     Side     `json:"in,omitzero"`  // the incoming side alone
}

// Marker is a place in the reel with a word on it.
type Marker struct {
	ID   ID     `json:"id"`
	At   int64  `json:"at"`
	Text string `json:"text"`
}

// Reel is one version of a document. Its slices are sorted by id and must not
// be written to.
type Reel struct {
	Props      Props       `json:"props"`
	NextID     ID          `json:"nextID"`
	Tracks     []Track     `json:"tracks"`
	Sources    []Source    `json:"sources"`
	Clips      []Clip      `json:"clips"`
	Blends     []Blend     `json:"blends"`
	Strikes    []Strike    `json:"strikes,omitempty"`
	Points     []Point     `json:"points,omitempty"`
	Treatments []Treatment `json:"treatments,omitempty"`
	Swatches   []Swatch    `json:"swatches,omitempty"`
	Markers    []Marker    `json:"markers"`
	Ties       []Tie       `json:"ties,omitempty"`
}

func (t Track) id() ID  { return t.ID }
func (s Source) id() ID { return s.ID }
func (c Clip) id() ID   { return c.ID }
func (b Blend) id() ID  { return b.ID }
func (m Marker) id() ID { return m.ID }

// thing is anything with an id that a reel keeps a sorted slice of.
type thing interface {
	comparable
	id() ID
}

// find is where the thing of an id stands in a sorted slice, or would stand.
func find[T thing](things []T, id ID) (int, bool) {
	// Things are large: their ids are read where they stand. A document has the
	// most of these four.
	switch v := any(things).(type) {
	case []Clip:
		return search(len(v), id, func(i int) ID { return v[i].ID })
	case []Source:
		return search(len(v), id, func(i int) ID { return v[i].ID })
	case []Blend:
		return search(len(v), id, func(i int) ID { return v[i].ID })
	case []Track:
		return search(len(v), id, func(i int) ID { return v[i].ID })
	}
	return slices.BinarySearchFunc(things, id, func(t T, id ID) int { return cmp.Compare(t.id(), id) })
}

func search(n int, id ID, at func(int) ID) (int, bool) {
	low, high := 0, n
	for low < high {
		if mid := int(uint(low+high) >> 1); at(mid) < id {
			low = mid + 1
		} else {
			high = mid
		}
	}
	return low, low < n && at(low) == id
}

func get[T thing](things []T, id ID) (T, bool) {
	if i, ok := find(things, id); ok {
		return things[i], true
	}
	var none T
	return none, false
}

// with is a copy of things in which t stands in the place of its id.
func with[T thing](things []T, t T) []T {
	i, ok := find(things, t.id())
	if !ok {
		out := make([]T, 0, len(things)+1)
		return append(append(append(out, things[:i]...), t), things[i:]...)
	}
	out := slices.Clone(things)
	out[i] = t
	return out
}

// without is a copy of things that lacks an id.
func without[T thing](things []T, id ID) []T {
	i, ok := find(things, id)
	if !ok {
		return things
	}
	return slices.Delete(slices.Clone(things), i, i+1)
}

// Track, Source, Clip, Blend and Marker give the thing of an id.
func (r *Reel) Track(id ID) (Track, bool)   { return get(r.Tracks, id) }
func (r *Reel) Source(id ID) (Source, bool) { return get(r.Sources, id) }
func (r *Reel) Clip(id ID) (Clip, bool)     { return get(r.Clips, id) }
func (r *Reel) Blend(id ID) (Blend, bool)   { return get(r.Blends, id) }
func (r *Reel) Marker(id ID) (Marker, bool) { return get(r.Markers, id) }

// take gives out the next id.
func (r *Reel) take() ID {
	r.NextID++
	return r.NextID - 1
}

// Order are the tracks as they are shown, the upper ones first.
func (r *Reel) Order() []Track {
	out := slices.Clone(r.Tracks)
	slices.SortStableFunc(out, func(a, b Track) int { return cmp.Compare(a.Place, b.Place) })
	return out
}

// OnTrack are the clips of a track by start.
func (r *Reel) OnTrack(track ID) []Clip {
	var out []Clip
	for _, c := range r.Clips {
		if c.Track == track {
			out = append(out, c)
		}
	}
	slices.SortFunc(out, func(a, b Clip) int { return cmp.Compare(a.Start, b.Start) })
	return out
}

// Lanes are the clips of every track by start.
func (r *Reel) Lanes() map[ID][]Clip {
	out := make(map[ID][]Clip, len(r.Tracks))
	for _, c := range r.Clips {
		out[c.Track] = append(out[c.Track], c)
	}
	for _, lane := range out {
		slices.SortFunc(lane, func(a, b Clip) int { return cmp.Compare(a.Start, b.Start) })
	}
	return out
}

// day is the longest a reel can be, in samples.
func (r *Reel) day() int64 { return MaxHours * 3600 * int64(r.Props.SampleRate) }

// Length is the end of the last clip.
func (r *Reel) Length() int64 {
	var end int64
	for _, c := range r.Clips {
		end = max(end, c.End())
	}
	return end
}

// BlendAt are the blends at a clip's head and tail, where there are any.
func (r *Reel) BlendAt(clip ID) (head, tail Blend) {
	for _, b := range r.Blends {
		if b.Right == clip {
			head = b
		}
		if b.Left == clip {
			tail = b
		}
	}
	return head, tail
}

// UsedBy are the clips that play a source.
func (r *Reel) UsedBy(source ID) []Clip {
	var out []Clip
	for _, c := range r.Clips {
		if c.Source == source {
			out = append(out, c)
		}
	}
	return out
}
