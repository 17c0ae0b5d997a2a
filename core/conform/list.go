// Package conform is what an edit list is, and what it means in a reel: which recordings
// it names, and where its clips lie. It reads and writes no format.
package conform

import (
	"math"

	"blendseam/core/gain"
	"blendseam/core/reel"
	"blendseam/core/timecode"
)

// List is an edit as a list of events. Times are samples at Hz.
type List struct {
	Title      string
	Rate       timecode.Rate
	Hz         int
	StartFrame int64 // timecode at which record time 0 stands
	Tracks     []Track
	Markers    []Marker
	Notes      []string // what could not be taken as it stands, in words
}

// Track is a lane of events by record time, which do not overlap.
type Track struct {
	Name    string
	Picture bool
	Number  int       // of its kind, from 1
	Role    reel.Role // where it is known
	GainDB  float64
	Pan     float64
	Events  []Event
}

// Event is a stretch of a source on a track.
type Event struct {
	Number   int    // in the list
	Name     string // of the clip
	Tape     string // reel, tape or card
	File     string // name of the source's file
	Record   int64  // where it begins, from the list's start
	Length   int64
	SourceIn int64 // timecode of its first sample in its source, from midnight
	// Zero is the timecode at which the source begins, where the list knows it;
	// else −1.
	Zero int64
	// Blend joins it with the event before it on its track, which it meets.
	Blend  *Blend
	GainDB float64
	Fades  [2]reel.Fade // at its head and its tail
	// Left and Right are the channels of its source that are heard, from 1; Right is 0
	// where it is one alone, both where the list does not tell.
	Left, Right int
	Group       int // events of one number belong together; 0 for none
	// Pace is how a picture runs; SourceIn is its first frame as recorded.
	Pace reel.Pace
}

// Blend is a dissolve or crossfade on the cut at an event's head.
type Blend struct {
	Before, After int64
	Law           gain.Law
	Lean          float64
	Out, In       reel.Side
}

// Plain is a blend as lists that know no more than its length have it.
func Plain(before, after int64) *Blend {
	return &Blend{Before: before, After: after, Law: gain.ConstantPower, Lean: gain.Even}
}

// Marker is a place with a word on it.
type Marker struct {
	At   int64
	Text string
}

// End is where the event ends in record time.
func (e Event) End() int64 { return e.Record + e.Length }

// Problem is a list that cannot be read, in words for its user.
type Problem struct{ Detail string }

func (p *Problem) Error() string { return p.Detail }

// Settle leaves both sides of a blend to a law, where one shapes them as they are.
func (b *Blend) Settle() {
	for _, law := range gain.Laws {
		shape := law.Shape()
		if shape.Check() != nil || b.Out.Shape != shape || b.In.Shape != shape {
			continue
		}
		if lean := b.In.Bend; math.Abs(b.Out.Bend-lean) < 0.0051 {
			b.Law, b.Lean, b.Out, b.In = law, lean, reel.Side{}, reel.Side{}
			return
		}
	}
}
