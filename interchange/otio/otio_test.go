package otio

import (
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"

	"blendseam/core/conform"
	"blendseam/core/gain"
	"blendseam/core/reel"
	"blendseam/core/timecode"
)

// schema are the fields of each object by the standard's published serialised
// schema (OpenTimelineIO, "Serialized schema"; from memory of it).
var schema = map[string][]string{
	"Timeline.1":          {"metadata", "name", "global_start_time", "tracks"},
	"Stack.1":             {"metadata", "name", "source_range", "effects", "markers", "enabled", "children"},
	"Track.1":             {"metadata", "name", "source_range", "effects", "markers", "enabled", "children", "kind"},
	"Clip.2":              {"metadata", "name", "source_range", "effects", "markers", "enabled", "media_references", "active_media_reference_key"},
	"Gap.1":               {"metadata", "name", "source_range", "effects", "markers", "enabled"},
	"Transition.1":        {"metadata", "name", "in_offset", "out_offset", "transition_type"},
	"Marker.2":            {"metadata", "name", "color", "marked_range", "comment"},
	"ExternalReference.1": {"metadata", "name", "available_range", "available_image_bounds", "target_url"},
	"MissingReference.1":  {"metadata", "name", "available_range", "available_image_bounds"},
	"TimeRange.1":         {"start_time", "duration"},
	"RationalTime.1":      {"rate", "value"},
}

// sample is a list with one of everything.
func sample() conform.List {
	l := conform.List{Title: "sample", Rate: timecode.Rate2997Drop, Hz: 48000, StartFrame: 107892}
	at := func(n int64) int64 { return l.Rate.Sample(n, l.Hz) }
	l.Tracks = []conform.Track{
		{Name: "Picture", Picture: true, Number: 1, Role: "picture", Events: []conform.Event{
			{Number: 1, Name: "wide", File: "wide camera.mov", Tape: "A001", Length: at(30), SourceIn: at(1000), Zero: at(900), Group: 7},
			{Number: 2, Name: "near", File: "near.mov", Record: at(30), Length: at(75) - at(30), SourceIn: at(2000), Blend: conform.Plain(at(4), at(8))},
			{Number: 3, Name: "card", Tape: "B002", Record: at(90), Length: at(10), SourceIn: 0},
		}},
		{Name: "Warden", Number: 1, Role: "dialogue", GainDB: -2, Events: []conform.Event{
			{Number: 1, Name: "wide", File: "sound/wide take.wav", Length: 47777, SourceIn: 123457, GainDB: -3.5, Group: 7},
			{Number: 2, Name: "near", File: "near.mov", Record: 47777, Length: 50001, SourceIn: 99999, Blend: &conform.Blend{Before: 333, After: 444, Law: gain.Matched, Lean: 0.4}},
		}},
	}
	l.Markers = []conform.Marker{{At: 31415, Text: "here"}}
	return l
}

// Every object that is written has the fields of its schema and no others.
func TestHoldsToThePublishedSchema(t *testing.T) {
	b, err := Write(sample())
	if err != nil {
		t.Fatal(err)
	}
	var top any
	if err := json.Unmarshal(b, &top); err != nil {
		t.Fatal(err)
	}
	seen := map[string]bool{}
	var walk func(v any, ours bool)
	walk = func(v any, mine bool) {
		switch v := v.(type) {
		case []any:
			for _, e := range v {
				walk(e, mine)
			}
		case map[string]any:
			if name, ok := v["OTIO_SCHEMA"].(string); ok && !mine {
				seen[name] = true
				want := append([]string{"OTIO_SCHEMA"}, schema[name]...)
				got := slices.Sorted(maps.Keys(v))
				slices.Sort(want)
				if !slices.Equal(got, want) {
					t.Errorf("%s has %v, want %v", name, got, want)
				}
			}
			for k, e := range v {
				walk(e, mine || k == "metadata")
			}
		}
	}
	walk(top, false)
	for name := range schema {
		if !seen[name] {
			t.Errorf("no %s was written", name)
		}
	}
}

// What is written is read as it was.
func TestThereAndBack(t *testing.T) {
	want := sample()
	b, _ := Write(want)
	got, err := Read(b, want.Hz)
	if err != nil {
		t.Fatal(err)
	}
	if got.Rate != want.Rate || got.StartFrame != want.StartFrame || len(got.Notes) > 0 || fmt.Sprint(got.Markers) != fmt.Sprint(want.Markers) {
		t.Errorf("%s from %d, %v, %v", got.Rate, got.StartFrame, got.Notes, got.Markers)
	}
	for i, track := range want.Tracks {
		for k, e := range track.Events {
			g := got.Tracks[i].Events[k]
			if g.Record != e.Record || g.Length != e.Length || g.SourceIn != e.SourceIn || g.GainDB != e.GainDB || g.Group != e.Group || (g.Blend == nil) != (e.Blend == nil) {
				t.Errorf("%s %d: %+v, want %+v", track.Name, k, g, e)
			} else if e.Blend != nil && *g.Blend != *e.Blend {
				t.Errorf("%s %d: blend %+v, want %+v", track.Name, k, *g.Blend, *e.Blend)
			}
		}
	}
}

// A timeline as other programs write it: an older version of the schema, rates
// written short, nested edits, things that are not known here.
func TestOthersTimelines(t *testing.T) {
	rt := func(v, rate float64) string {
		return fmt.Sprintf(`{"OTIO_SCHEMA":"RationalTime.1","rate":%g,"value":%g}`, rate, v)
	}
	span := func(a, n, rate float64) string {
		return fmt.Sprintf(`{"OTIO_SCHEMA":"TimeRange.1","start_time":%s,"duration":%s}`, rt(a, rate), rt(n, rate))
	}
	item := func(kind, name, rest string) string {
		return fmt.Sprintf(`{"OTIO_SCHEMA":"%s","name":"%s"%s}`, kind, name, rest)
	}
	text := `{"OTIO_SCHEMA":"Timeline.1","name":"t","global_start_time":` + rt(86400, 23.976) + `,"tracks":{"OTIO_SCHEMA":"Stack.1","children":[{"OTIO_SCHEMA":"Track.1","kind":"Video","children":[` +
		strings.Join([]string{
			item("Clip.1", "a", `,"source_range":`+span(100, 48, 23.976)+`,"media_reference":{"OTIO_SCHEMA":"ExternalReference.1","target_url":"file:///films/Harbour%20Wide.mov","available_range":`+span(50, 500, 23.976)+`}`),
			item("Gap.1", "", `,"source_range":`+span(0, 24, 23.976)),
			item("Stack.1", "nest", `,"children":[`+item("Clip.1", "x", `,"source_range":`+span(0, 24, 23.976))+`]`),
			item("Hologram.9", "odd", `,"source_range":`+span(0, 24, 23.976)),
			item("Clip.1", "warped", `,"source_range":`+span(0, 24, 23.976)+`,"effects":[{"OTIO_SCHEMA":"LinearTimeWarp.1","time_scalar":2}]`),
			item("Clip.1", "off", `,"enabled":false,"source_range":`+span(0, 24, 23.976)),
			item("Clip.1", "last", `,"source_range":`+span(0, 24, 23.976)),
			item("Clip.1", "back", `,"source_range":`+span(0, 24, 23.976)+`,"effects":[{"OTIO_SCHEMA":"LinearTimeWarp.1","time_scalar":-1}]`),
			item("Clip.1", "still", `,"source_range":`+span(0, 24, 23.976)+`,"effects":[{"OTIO_SCHEMA":"FreezeFrame.1","time_scalar":0}]`),
		}, ",") + `]}]}}`
	l, err := Read([]byte(text), 48000)
	if err != nil {
		t.Fatal(err)
	}
	if l.Rate != timecode.Rate23976 || l.StartFrame != 86400 {
		t.Errorf("%s from %d", l.Rate, l.StartFrame)
	}
	e := l.Tracks[0].Events
	var at []string
	for _, one := range e {
		at = append(at, fmt.Sprint(one.Name, " ", l.Rate.Nearest(one.Record, 48000), "+", l.Rate.Nearest(one.Length, 48000)))
	}
	if fmt.Sprint(at) != "[a 0+48 nest 72+24 warped 120+24 last 168+24 back 192+24 still 216+24]" {
		t.Error(at)
	}
	if e[0].File != "Harbour Wide.mov" || l.Rate.Nearest(e[0].SourceIn, 48000) != 100 || l.Rate.Nearest(e[0].Zero, 48000) != 50 {
		t.Errorf("%+v", e[0])
	}
	// Twice as fast and standing still are read; what runs backwards is told.
	if e[2].Pace != (reel.Pace{Own: 48, Over: 24}) || e[4].Pace != (reel.Pace{}) || e[5].Pace != (reel.Pace{Held: 1}) {
		t.Errorf("%+v, %+v, %+v", e[2].Pace, e[4].Pace, e[5].Pace)
	}
	notes := strings.Join(l.Notes, " ")
	if strings.Contains(notes, "warped") || strings.Contains(notes, "still") || !strings.Contains(notes, "“back” has a speed change") {
		t.Error(notes)
	}
	for _, want := range []string{"nested", "Hologram", "speed change", "disabled"} {
		if !strings.Contains(notes, want) {
			t.Errorf("nothing is said of %s: %v", want, l.Notes)
		}
	}
}

// Hostile text is refused in words and harms nothing.
func TestHostileJSON(t *testing.T) {
	deep := strings.Repeat(`{"OTIO_SCHEMA":"Stack.1","children":[`, 20000)
	nested := `{"OTIO_SCHEMA":"Timeline.1","tracks":{"OTIO_SCHEMA":"Stack.1","children":[{"OTIO_SCHEMA":"Track.1","kind":"Audio","children":[` +
		strings.Repeat(`{"OTIO_SCHEMA":"Stack.1","children":[`, 3000) + strings.Repeat("]}", 3000) + `]}]}}`
	for _, c := range []struct{ text, why string }{
		{"", "not JSON"}, {"[1,2]", "cannot"}, {`{"OTIO_SCHEMA":"SerializableCollection.1"}`, "where a Timeline"}, {deep, "depth"}, {nested, "no clips"},
		{`{"OTIO_SCHEMA":"Timeline.1","tracks":{"OTIO_SCHEMA":"Stack.1","children":[]}}`, "no clips"},
		{`{"OTIO_SCHEMA":"Timeline.1","global_start_time":{"rate":25,"value":NaN}}`, "NaN"},
		{`{"OTIO_SCHEMA":"Timeline.1","global_start_time":{"rate":25,"value":1e999}}`, "cannot unmarshal number 1e999"},
	} {
		_, err := Read([]byte(c.text), 48000)
		var trouble *conform.Problem
		if !errors.As(err, &trouble) || !strings.Contains(trouble.Detail, c.why) {
			t.Errorf("%.60q: %v", c.text, err)
		}
	}
	// Times that cannot be are left out, the rest is taken.
	l, err := Read([]byte(`{"OTIO_SCHEMA":"Timeline.1","tracks":{"OTIO_SCHEMA":"Stack.1","children":[{"OTIO_SCHEMA":"Track.1","kind":"Audio","children":[
		{"OTIO_SCHEMA":"Clip.2","name":"long","source_range":{"start_time":{"rate":25,"value":0},"duration":{"rate":25,"value":1e300}}},
		{"OTIO_SCHEMA":"Clip.2","name":"back","source_range":{"start_time":{"rate":25,"value":0},"duration":{"rate":25,"value":-5}}},
		{"OTIO_SCHEMA":"Clip.2","name":"still","source_range":{"start_time":{"rate":0,"value":3},"duration":{"rate":0,"value":3}}},
		{"OTIO_SCHEMA":"Clip.2","name":"good","source_range":{"start_time":{"rate":25,"value":-3},"duration":{"rate":25,"value":50}}}]}]}}`), 48000)
	if err != nil || len(l.Tracks) != 1 || len(l.Tracks[0].Events) != 1 || l.Tracks[0].Events[0].Name != "good" || len(l.Notes) < 3 {
		t.Errorf("%+v %v", l, err)
	}
}

func FuzzRead(f *testing.F) {
	b, _ := Write(sample())
	f.Add(b)
	f.Add([]byte(`{"OTIO_SCHEMA":"Timeline.1","tracks":{"OTIO_SCHEMA":"Stack.1","children":[{"OTIO_SCHEMA":"Track.1","children":[{"OTIO_SCHEMA":"Clip.2","source_range":{"start_time":{"rate":24,"value":1.5},"duration":{"rate":30,"value":7}}}]}]}}`))
	f.Fuzz(func(t *testing.T, text []byte) {
		l, err := Read(text, 48000)
		if err != nil {
			return
		}
		for _, tr := range l.Tracks {
			for _, e := range tr.Events {
				if e.Length < 1 || e.Record < 0 || e.SourceIn < 0 {
					t.Fatalf("an event of %d from %d, source %d", e.Length, e.Record, e.SourceIn)
				}
			}
		}
		out, err := Write(l)
		if err == nil {
			_, err = Read(out, 48000)
		}
		if err != nil {
			t.Fatal(err)
		}
	})
}
