package otio

import (
	"encoding/json"
	"net/url"

	"blendseam/core/conform"
	"blendseam/core/gain"
	"blendseam/core/reel"
)

// ours is the name under which the schema's metadata holds what it has no
// field for.
const ours = "blendseam"

// timelineNote, trackNote, clipNote and blendNote are what is held there. Times are samples
// at the timeline's rate of sound.
type timelineNote struct {
	Rate string `json:"rate"`
}

type trackNote struct {
	Role   reel.Role `json:"role"`
	GainDB float64   `json:"gainDB"`
	Pan    float64   `json:"pan"`
}

type clipNote struct {
	GainDB  float64   `json:"gainDB"`
	FadeIn  reel.Fade `json:"fadeIn"`
	FadeOut reel.Fade `json:"fadeOut"`
	Group   int       `json:"group,omitempty"` // clips that are tied together have one number
}

type blendNote struct {
	Law  gain.Law  `json:"law"`
	Lean float64   `json:"lean"`
	Out  reel.Side `json:"out,omitzero"`
	In   reel.Side `json:"in,omitzero"`
}

// unpack reads what is ours among metadata.
func unpack(meta map[string]json.RawMessage, into any) bool {
	text, ok := meta[ours]
	return ok && json.Unmarshal(text, into) == nil
}

type object map[string]any

// Cannot says what of an edit a timeline does not hold, in words.
func Cannot(conform.List) []string { return nil }

// Write gives the list as a timeline. Sound counts in samples and picture in
// frames, so that every time is exact.
func Write(l conform.List) ([]byte, error) {
	frames := func(at int64) object { return rational(float64(l.Rate.Nearest(at, l.Hz)), rateNumber(l)) }
	sound := func(at int64) object { return rational(float64(at), float64(l.Hz)) }
	span := func(time func(int64) object, from, length int64) object {
		return object{"OTIO_SCHEMA": "TimeRange.1", "start_time": time(from), "duration": time(length)}
	}
	var tracks []any
	for _, t := range l.Tracks {
		kind, time := "Audio", sound
		if t.Picture {
			kind, time = "Video", frames
		}
		items := []any{}
		at := int64(0)
		for _, e := range t.Events {
			if gap := e.Record - at; gap > 0 {
				items = append(items, object{"OTIO_SCHEMA": "Gap.1", "name": "", "metadata": object{}, "source_range": span(time, 0, gap), "effects": []any{}, "markers": []any{}, "enabled": true})
			}
			if b := e.Blend; b != nil {
				kind := "SMPTE_Dissolve"
				if !t.Picture {
					kind = "Custom_Transition"
				}
				items = append(items, object{"OTIO_SCHEMA": "Transition.1", "name": "", "metadata": object{ours: blendNote{b.Law, b.Lean, b.Out, b.In}}, "transition_type": kind, "in_offset": time(b.Before), "out_offset": time(b.After)})
			}
			// The length in frames of a shot is that between the frames of its ends.
			ends := span(time, e.SourceIn, e.Length)
			if t.Picture {
				n := l.Rate.Nearest(e.End(), l.Hz) - l.Rate.Nearest(e.Record, l.Hz)
				in := l.Rate.Nearest(e.Record, l.Hz) + l.Rate.Nearest(e.SourceIn-e.Record, l.Hz)
				ends = object{"OTIO_SCHEMA": "TimeRange.1", "start_time": rational(float64(in), rateNumber(l)), "duration": rational(float64(n), rateNumber(l))}
			}
			note := clipNote{e.GainDB, e.Fades[0], e.Fades[1], e.Group}
			items = append(items, object{
				"OTIO_SCHEMA": "Clip.2", "name": e.Name, "metadata": object{ours: note}, "source_range": ends, "effects": effects(e.Pace), "markers": []any{}, "enabled": true,
				"active_media_reference_key": "DEFAULT_MEDIA", "media_references": object{"DEFAULT_MEDIA": media(e, time)},
			})
			at = e.End()
		}
		tracks = append(tracks, object{
			"OTIO_SCHEMA": "Track.1", "name": t.Name, "kind": kind, "metadata": object{ours: trackNote{t.Role, t.GainDB, t.Pan}},
			"source_range": nil, "effects": []any{}, "markers": []any{}, "enabled": true, "children": items,
		})
	}
	markers := []any{}
	for _, m := range l.Markers {
		markers = append(markers, object{"OTIO_SCHEMA": "Marker.2", "name": m.Text, "metadata": object{}, "color": "PURPLE", "comment": "", "marked_range": span(sound, m.At, 0)})
	}
	return json.MarshalIndent(object{
		"OTIO_SCHEMA": "Timeline.1", "name": l.Title, "metadata": object{ours: timelineNote{l.Rate.String()}}, "global_start_time": rational(float64(l.StartFrame), rateNumber(l)),
		"tracks": object{"OTIO_SCHEMA": "Stack.1", "name": "tracks", "metadata": object{}, "source_range": nil, "effects": []any{}, "markers": markers, "enabled": true, "children": tracks},
	}, "", "  ")
}

// effects are how a picture runs, as the schema has it: times are scaled, and a frame that
// stands has the scale 0.
func effects(p reel.Pace) []any {
	switch {
	case p.Held > 0:
		return []any{object{"OTIO_SCHEMA": "FreezeFrame.1", "name": "", "metadata": object{}, "effect_name": "FreezeFrame", "time_scalar": 0.0}}
	case p.Over > 0:
		return []any{object{"OTIO_SCHEMA": "LinearTimeWarp.1", "name": "", "metadata": object{}, "effect_name": "LinearTimeWarp", "time_scalar": float64(p.Own) / float64(p.Over)}}
	}
	return []any{}
}

func rateNumber(l conform.List) float64 { return float64(l.Rate.Num) / float64(l.Rate.Den) }

func rational(value, rate float64) object {
	return object{"OTIO_SCHEMA": "RationalTime.1", "rate": rate, "value": value}
}

// media is where the sound or picture of an event is to be found.
func media(e conform.Event, time func(int64) object) object {
	if e.File == "" {
		return object{"OTIO_SCHEMA": "MissingReference.1", "name": e.Tape, "metadata": object{}, "available_range": nil, "available_image_bounds": nil}
	}
	meta := object{}
	if e.Tape != "" {
		meta["tape"] = e.Tape
	}
	return object{
		"OTIO_SCHEMA": "ExternalReference.1", "name": e.File, "metadata": meta, "target_url": (&url.URL{Path: e.File}).EscapedPath(), "available_image_bounds": nil,
		"available_range": object{"OTIO_SCHEMA": "TimeRange.1", "start_time": time(max(e.Zero, 0)), "duration": time(max(e.SourceIn+e.Length-max(e.Zero, 0), 0))},
	}
}
