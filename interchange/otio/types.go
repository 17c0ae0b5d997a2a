// Package otio reads and writes OpenTimelineIO's JSON (the published schema of
// that open standard: Timeline.1, Stack.1, Track.1, Clip.2, Gap.1,
// Transition.1, Marker.2, RationalTime.1, TimeRange.1 and the media
// references).
package otio

import (
	"encoding/json"
	"math"
	"strings"

	"blendseam/core/timecode"
)

// MostBytes, mostDepth and MostEvents bound what is read.
const (
	MostBytes  = 32 << 20
	mostDepth  = 16
	MostEvents = 50000
)

// thing is any object of the schema, with the fields that are of use here.
type thing struct {
	Schema   string                     `json:"OTIO_SCHEMA"`
	Name     string                     `json:"name"`
	Kind     string                     `json:"kind"`
	Enabled  *bool                      `json:"enabled"`
	Metadata map[string]json.RawMessage `json:"metadata"`
	Children json.RawMessage            `json:"children"`
	Tracks   json.RawMessage            `json:"tracks"`
	Range    *timeRange                 `json:"source_range"`
	Start    *rationalTime              `json:"global_start_time"`
	In       *rationalTime              `json:"in_offset"`
	Out      *rationalTime              `json:"out_offset"`
	Type     string                     `json:"transition_type"`
	Markers  []marker                   `json:"markers"`
	Effects  []effect                   `json:"effects"`
	Media    *reference                 `json:"media_reference"`
	Medias   map[string]*reference      `json:"media_references"`
	Active   string                     `json:"active_media_reference_key"`
}

type rationalTime struct {
	Schema string  `json:"OTIO_SCHEMA"`
	Rate   float64 `json:"rate"`
	Value  float64 `json:"value"`
}

type timeRange struct {
	Schema   string       `json:"OTIO_SCHEMA"`
	Start    rationalTime `json:"start_time"`
	Duration rationalTime `json:"duration"`
}

type marker struct {
	Schema   string         `json:"OTIO_SCHEMA"`
	Name     string         `json:"name"`
	Color    string         `json:"color"`
	Marked   timeRange      `json:"marked_range"`
	Metadata map[string]any `json:"metadata"`
}

type effect struct {
	Schema string  `json:"OTIO_SCHEMA"`
	Name   string  `json:"name"`
	Scalar float64 `json:"time_scalar"`
}

type reference struct {
	Schema    string         `json:"OTIO_SCHEMA"`
	Name      string         `json:"name"`
	URL       string         `json:"target_url,omitempty"`
	Available *timeRange     `json:"available_range"`
	Metadata  map[string]any `json:"metadata"`
}

// is reports whether a schema is of a kind, of any version.
func is(schema, kind string) bool {
	name, _, _ := strings.Cut(schema, ".")
	return name == kind
}

// rateOf is the exact rate that a number stands for: one of the known rates
// that it is within a thousandth of a percent of, or a whole number.
func rateOf(v float64) (num, den int64, ok bool) {
	if !(v >= 1 && v <= 1e6) {
		return 0, 0, false
	}
	for _, r := range timecode.Rates {
		if f := float64(r.Num) / float64(r.Den); math.Abs(v/f-1) < 1e-5 {
			return r.Num, r.Den, true
		}
	}
	if w := math.Round(v); math.Abs(v-w) < 1e-9 {
		return int64(w), 1, true
	}
	// 23.98, 59.94 and their like, written short.
	for _, r := range timecode.Rates {
		if f := float64(r.Num) / float64(r.Den); math.Abs(v-f) < 0.006 {
			return r.Num, r.Den, true
		}
	}
	return int64(math.Round(v * 1000)), 1000, true
}

// mostSeconds is beyond any reel.
const mostSeconds = 10 * 24 * 3600

// samples is a time at a sample rate. Not ok when it is no time that can be.
func (t rationalTime) samples(hz int) (int64, bool) {
	num, den, ok := rateOf(t.Rate)
	if !ok || math.IsNaN(t.Value) || math.Abs(t.Value)*float64(den)/float64(num) > mostSeconds {
		return 0, t.Value == 0
	}
	if whole := math.Round(t.Value); whole == t.Value {
		// Exactly, by the rounding that all times have.
		n, sign := int64(whole), int64(1)
		if n < 0 {
			n, sign = -n, -1
		}
		return sign * mulDiv(n, int64(hz)*den, num), true
	}
	return int64(math.Round(t.Value * float64(den) * float64(hz) / float64(num))), true
}

// mulDiv is round(a·b/c), half up, of values whose product is below 2^63.
func mulDiv(a, b, c int64) int64 {
	q, r := a/c, a%c
	return q*b + (2*r*b+c)/(2*c)
}

// frameRate is the known frame rate that a number stands for.
func frameRate(v float64) (timecode.Rate, bool) {
	num, den, ok := rateOf(v)
	if !ok {
		return timecode.Rate{}, false
	}
	for _, r := range timecode.Rates {
		if !r.Drop && r.Num*den == r.Den*num {
			return r, true
		}
	}
	return timecode.Rate{}, false
}
