package otio

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"net/url"
	"path"
	"slices"
	"strings"

	"blendseam/core/conform"
	"blendseam/core/gain"
	"blendseam/core/reel"
	"blendseam/core/timecode"
)

// reader gathers tracks and remarks.
type reader struct {
	hz   int
	list conform.List
	conform.Remarks
	total int
}

func bad(format string, a ...any) error {
	return &conform.Problem{Detail: fmt.Sprintf(format, a...)}
}

// Read reads a timeline for sound of hz samples a second.
func Read(text []byte, hz int) (conform.List, error) {
	r := reader{hz: hz, list: conform.List{Hz: hz}}
	if len(text) > MostBytes {
		return r.list, bad("The timeline is larger than %d MB, the most that is read.", MostBytes>>20)
	}
	var top thing
	d := json.NewDecoder(bytes.NewReader(text))
	if err := d.Decode(&top); err != nil {
		var at *json.SyntaxError
		if errors.As(err, &at) {
			if word := near(text, at.Offset); word != "" {
				return r.list, bad("It is not JSON: near byte %d stands “%s”, which is no number or word of JSON.", at.Offset, word)
			}
			return r.list, bad("It is not JSON: %v, at byte %d.", err, at.Offset)
		}
		if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
			return r.list, bad("It is not JSON: it is empty, or breaks off.")
		}
		return r.list, bad("It is not a timeline that can be read: %v.", err)
	}
	stack := top
	if is(top.Schema, "Timeline") {
		if len(top.Tracks) == 0 {
			return r.list, bad("The timeline has no tracks.")
		}
		if err := json.Unmarshal(top.Tracks, &stack); err != nil {
			return r.list, bad("The tracks of the timeline cannot be read: %v.", err)
		}
		r.list.Title = top.Name
	}
	if !is(stack.Schema, "Stack") {
		return r.list, bad("It holds a “%s” where a Timeline is looked for.", clip(top.Schema, 60))
	}
	tracks, err := r.children(stack)
	if err != nil {
		return r.list, err
	}
	r.rate(top.Start, tracks)
	var own timelineNote
	if unpack(top.Metadata, &own) { // the schema does not tell drop-frame counting
		for _, rate := range timecode.Rates {
			if rate.String() == own.Rate && rate.Num == r.list.Rate.Num && rate.Den == r.list.Rate.Den {
				r.list.Rate = rate
			}
		}
	}
	if top.Start != nil {
		if at, ok := top.Start.samples(hz); ok && at >= 0 {
			r.list.StartFrame = r.list.Rate.Nearest(at, hz)
		}
	}
	numbers := map[bool]int{}
	for _, t := range tracks {
		if !is(t.Schema, "Track") {
			r.Note("A “%s” beside the tracks was left out.", clip(t.Schema, 60))
			continue
		}
		picture := !strings.EqualFold(t.Kind, "Audio")
		numbers[picture]++
		lt, err := r.track(t, picture, numbers[picture])
		if err != nil {
			return r.list, err
		}
		if len(lt.Events) > 0 {
			r.list.Tracks = append(r.list.Tracks, lt)
		}
	}
	r.markers(stack, 0)
	if r.total == 0 {
		return r.list, bad("The timeline has no clips.")
	}
	r.list.Notes = append(r.list.Notes, r.All()...)
	return r.list, nil
}

// near is the word at a place of the text.
func near(text []byte, at int64) string {
	from := max(at-1, 0)
	rest := text[min(from, int64(len(text))):]
	n := 0
	for n < len(rest) && n < 12 && (rest[n] >= 'A' && rest[n] <= 'Z' || rest[n] >= 'a' && rest[n] <= 'z') {
		n++
	}
	return string(rest[:n])
}

func clip(s string, n int) string {
	if r := []rune(s); len(r) > n {
		return string(r[:n]) + "…"
	}
	return s
}

func (r *reader) children(t thing) ([]thing, error) {
	var out []thing
	if len(t.Children) == 0 {
		return nil, nil
	}
	if err := json.Unmarshal(t.Children, &out); err != nil {
		return nil, bad("“%s” cannot be read: %v.", clip(t.Name, 60), err)
	}
	return out, nil
}

// rate is the frame rate of the timeline: that of its start, or of the first
// picture that has one.
func (r *reader) rate(start *rationalTime, tracks []thing) {
	r.list.Rate = timecode.Rate25
	if own := frameRateOf(start); own.Num != 0 {
		r.list.Rate = own
		return
	}
	for _, t := range tracks {
		items, _ := r.children(t)
		for _, i := range items {
			if i.Range != nil {
				if own := frameRateOf(&i.Range.Duration); own.Num != 0 {
					r.list.Rate = own
					return
				}
			}
		}
	}
	r.Note("The timeline does not state its frame rate. 25 fps was assumed.")
}

func frameRateOf(t *rationalTime) timecode.Rate {
	if t == nil {
		return timecode.Rate{}
	}
	rate, _ := frameRate(t.Rate)
	return rate
}

// track reads the items of a track one after the other.
func (r *reader) track(t thing, picture bool, number int) (conform.Track, error) {
	out := conform.Track{Name: t.Name, Picture: picture, Number: number}
	if strings.TrimSpace(out.Name) == "" {
		out.Name = map[bool]string{true: "Picture", false: "Sound"}[picture] + fmt.Sprint(" ", number)
	}
	var own trackNote
	if unpack(t.Metadata, &own) && slices.Contains(reel.Roles, own.Role) && !picture {
		out.Role, out.GainDB, out.Pan = own.Role, own.GainDB, own.Pan
		if gain.CheckDB(own.GainDB) != nil || !(own.Pan >= -1 && own.Pan <= 1) {
			out.GainDB, out.Pan = 0, 0
		}
	}
	items, err := r.children(t)
	if err != nil {
		return out, err
	}
	at := int64(0)
	var pending *thing
	for _, i := range items {
		if is(i.Schema, "Transition") {
			one := i
			pending = &one
			continue
		}
		length, begins := r.extent(i)
		switch {
		case is(i.Schema, "Gap"):
		case i.Enabled != nil && !*i.Enabled:
			r.Note("“%s” is disabled and was left out.", clip(i.Name, 60))
		case is(i.Schema, "Clip"), is(i.Schema, "Stack"), is(i.Schema, "Track"):
			if length < 1 {
				r.Note("“%s” has no length and was left out.", clip(i.Name, 60))
				break
			}
			if r.total++; r.total > MostEvents {
				return out, bad("The timeline has more than %d clips, the most that is read.", MostEvents)
			}
			if !is(i.Schema, "Clip") {
				r.Note("“%s” is a nested edit. It was inserted as one clip.", clip(i.Name, 60))
			}
			e := r.clip(i, at, length, begins, picture)
			if pending != nil {
				r.transition(*pending, &out, &e)
			}
			out.Events = append(out.Events, e)
		default:
			r.Note("A “%s” is unknown and was left out. Its time was kept.", clip(i.Schema, 60))
		}
		r.markers(i, at-begins)
		pending = nil
		at += length
	}
	if pending != nil {
		r.Note("The transition at the end of “%s” has no next clip and was left out.", out.Name)
	}
	return out, nil
}

// extent is how long an item lasts in its track, and where it begins in its
// source.
func (r *reader) extent(t thing) (length, begins int64) {
	rng := t.Range
	if rng == nil {
		if m := t.media(); m != nil {
			rng = m.Available
		}
	}
	if rng == nil {
		if is(t.Schema, "Stack") || is(t.Schema, "Track") {
			return r.inside(t, 0), 0
		}
		r.Note("“%s” has no length and was left out.", clip(t.Name, 60))
		return 0, 0
	}
	length, okL := rng.Duration.samples(r.hz)
	begins, okB := rng.Start.samples(r.hz)
	if !okL || !okB || length < 0 {
		r.Note("“%s” has an invalid time and was left out.", clip(t.Name, 60))
		return 0, 0
	}
	return length, begins
}

// inside is how long a nested edit is.
func (r *reader) inside(t thing, depth int) int64 {
	if depth > mostDepth {
		r.Note("Edits are nested deeper than %d levels. Deeper ones were left out.", mostDepth)
		return 0
	}
	items, err := r.children(t)
	if err != nil {
		return 0
	}
	var total int64
	for _, i := range items {
		var n int64
		if i.Range != nil {
			n, _ = i.Range.Duration.samples(r.hz)
		} else {
			n = r.inside(i, depth+1)
		}
		if is(t.Schema, "Stack") {
			total = max(total, n)
		} else if !is(i.Schema, "Transition") {
			total += max(n, 0)
		}
	}
	return total
}

func (t thing) media() *reference {
	if t.Media != nil {
		return t.Media
	}
	key := t.Active
	if key == "" {
		key = "DEFAULT_MEDIA"
	}
	return t.Medias[key]
}

func (r *reader) clip(t thing, at, length, begins int64, picture bool) conform.Event {
	e := conform.Event{Name: t.Name, Record: at, Length: length, SourceIn: begins, Zero: -1}
	if m := t.media(); m != nil {
		e.File = fileOf(m)
		if m.Available != nil {
			if zero, ok := m.Available.Start.samples(r.hz); ok && zero >= 0 {
				e.Zero = zero
			}
		}
		if tape, ok := m.Metadata["tape"].(string); ok {
			e.Tape = clip(tape, 100)
		}
	}
	if e.SourceIn < 0 {
		r.Note("“%s” starts before its source. It was inserted from the source's start.", clip(t.Name, 60))
		e.SourceIn = 0
	}
	for _, f := range t.Effects {
		if strings.HasSuffix(strings.SplitN(f.Schema, ".", 2)[0], "TimeWarp") || is(f.Schema, "FreezeFrame") {
			if e.Pace = r.pace(f, length, picture); e.Pace == (reel.Pace{}) {
				r.Note("“%s” has a speed change. It was inserted at normal speed, with its length kept.", clip(t.Name, 60))
			}
		}
	}
	var own clipNote
	if unpack(t.Metadata, &own) {
		if gain.CheckDB(own.GainDB) == nil {
			e.GainDB = own.GainDB
		}
		for i, f := range []reel.Fade{own.FadeIn, own.FadeOut} {
			if f.Length >= 0 && f.Length <= length && f.Shape.Check() == nil && gain.CheckWarp(f.Bend) == nil {
				e.Fades[i] = f
			}
		}
		e.Group = max(own.Group, 0)
	}
	return e
}

// pace is how a picture runs by an effect; none for sound, and for what changes on the way or
// runs backwards.
func (r *reader) pace(f effect, length int64, picture bool) reel.Pace {
	frames := r.list.Rate.Nearest(length, r.hz)
	switch {
	case !picture || frames < 1:
	case is(f.Schema, "FreezeFrame"):
		return reel.Pace{Held: 1} // whichever it begins with
	case is(f.Schema, "LinearTimeWarp") && f.Scalar > 0 && f.Scalar != 1:
		if own := math.Round(float64(frames) * f.Scalar); own >= 1 && own <= reel.MostFactor*float64(frames) && own*reel.MostFactor >= float64(frames) {
			return reel.Pace{Own: int64(own), Over: frames}
		}
	}
	return reel.Pace{}
}

// fileOf is the file's name, out of an address.
func fileOf(m *reference) string {
	if m.URL == "" {
		return m.Name
	}
	name := m.URL
	if u, err := url.Parse(m.URL); err == nil && u.Path != "" {
		name = u.Path
	}
	return clip(path.Base(strings.ReplaceAll(name, `\`, "/")), 200)
}

// transition puts a blend on the cut at an event's head: so much before it and
// after it.
func (r *reader) transition(t thing, track *conform.Track, e *conform.Event) {
	if t.In == nil || t.Out == nil {
		return
	}
	before, okB := t.In.samples(r.hz)
	after, okA := t.Out.samples(r.hz)
	if !okA || !okB || before < 0 || after < 0 || before+after == 0 {
		return
	}
	n := len(track.Events)
	if n == 0 || track.Events[n-1].End() != e.Record {
		if e.Fades[0].Length == 0 {
			e.Fades[0] = reel.Fade{Length: min(after, e.Length), Shape: gain.QuarterSine, Bend: gain.Even}
		}
		return
	}
	e.Blend = conform.Plain(before, after)
	var own blendNote
	if unpack(t.Metadata, &own) && own.Law.Check() == nil && gain.CheckWarp(own.Lean) == nil {
		e.Blend.Law, e.Blend.Lean, e.Blend.Out, e.Blend.In = own.Law, own.Lean, own.Out, own.In
	}
}

// markers keeps the markers of an item, whose time counts like its source's.
func (r *reader) markers(t thing, shift int64) {
	for _, m := range t.Markers {
		at, ok := m.Marked.Start.samples(r.hz)
		if text := strings.TrimSpace(m.Name); ok && text != "" && len(r.list.Markers) < reel.MaxMarkers {
			r.list.Markers = append(r.list.Markers, conform.Marker{At: max(at+shift, 0), Text: reel.ShortName(strings.Join(strings.Fields(text), " "))})
		}
	}
}
