package edl

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"blendseam/core/conform"
	"blendseam/core/gain"
	"blendseam/core/timecode"
)

// lay makes tracks of the lines.
func (r *reader) lay() {
	first := r.lines[0].recIn
	for _, e := range r.lines {
		first = min(first, e.recIn)
	}
	// Record time counts from the hour that the list begins in.
	hour := r.rate.Nominal() * 3600
	if r.rate.Drop {
		hour = timecodeHour(r.rate)
	}
	r.list.StartFrame = first / hour * hour
	tracks := map[int]*conform.Track{} // 0 is picture
	sample := func(frame int64) int64 { return r.rate.Sample(frame, r.list.Hz) }
	for i := range r.lines {
		e := &r.lines[i]
		e.name = e.from
		// The scene that a dissolve comes from is the line before it.
		if e.kind == 'D' && e.to != "" {
			e.name = e.to
		}
		if e.name == "" && i > 0 && e.kind == 'D' && r.lines[i-1].number == e.number {
			e.name = r.lines[i-1].to
		}
	}
	for i, e := range r.lines {
		if up := strings.ToUpper(e.tape); up == "BL" || up == "BLK" || up == "BLACK" {
			continue // nothing is seen or heard
		}
		if e.recOut == e.recIn {
			if i+1 == len(r.lines) || r.lines[i+1].number != e.number || r.lines[i+1].kind != 'D' {
				r.Note("Line %d has no length and was left out.", e.at)
			}
			continue // the outgoing side of a dissolve lies in the event before it
		}
		if !e.picture && len(e.sound) == 0 {
			r.Note("Line %d records neither picture nor sound; it was left out.", e.at)
			continue
		}
		if e.speed != 100 && !r.normal(e) {
			r.Note("Line %d has a speed change. It was inserted at normal speed, with its length kept.", e.at)
		} else if d := (e.srcOut - e.srcIn) - (e.recOut - e.recIn); d != 0 {
			r.Note("Line %d: source and record differ in length by %d frames; the record's length was taken.", e.at, max(d, -d))
		}
		one := func(track int, delay int64) {
			t := tracks[track]
			if t == nil {
				t = &conform.Track{Picture: track == 0, Number: max(track, 1), Name: fmt.Sprintf("Sound %d", track)}
				if track == 0 {
					t.Name = "Picture"
				}
				tracks[track] = t
			}
			in := min(e.recIn+delay, e.recOut-1)
			rec := sample(in - r.list.StartFrame)
			ev := conform.Event{
				Number: e.number, Name: e.name, Tape: e.tape, File: e.file, Zero: -1, Group: e.number,
				Record: rec, Length: sample(e.recOut-r.list.StartFrame) - rec, SourceIn: sample(e.srcIn + delay),
			}
			if e.kind == 'D' && e.length > 0 {
				r.blend(t, &ev, e, sample)
			}
			t.Events = append(t.Events, ev)
		}
		if e.picture {
			one(0, e.delayVideo)
		}
		for _, ch := range e.sound {
			one(ch, e.delaySound)
		}
	}
	// A group with no picture, or with several shots, ties nothing.
	r.ungroup(tracks)
	for _, t := range tracks {
		r.list.Tracks = append(r.list.Tracks, *t)
	}
	slices.SortFunc(r.list.Tracks, func(a, b conform.Track) int {
		if a.Picture != b.Picture {
			return map[bool]int{true: -1, false: 1}[a.Picture]
		}
		return cmp.Compare(a.Number, b.Number)
	})
	for i := range r.list.Markers {
		r.list.Markers[i].At = max(sample(r.list.Markers[i].At-r.list.StartFrame), 0)
	}
}

// normal reports whether a speed line states the list's own rate.
func (r *reader) normal(e line) bool {
	own := float64(r.rate.Num) / float64(r.rate.Den)
	d := e.speed - own
	return d > -0.06 && d < 0.06
}

func timecodeHour(r timecode.Rate) int64 {
	n, _ := r.Parse("01:00:00:00")
	return n
}

// blend puts a dissolve on the cut at an event's head. It begins where the
// event does in the list; where the cut lies in it, a comment of ours may say.
func (r *reader) blend(t *conform.Track, ev *conform.Event, e line, sample func(int64) int64) {
	length := min(e.length, e.recOut-e.recIn)
	into := min(max(e.into, 0), length)
	n := len(t.Events)
	if n == 0 || t.Events[n-1].End() != ev.Record {
		ev.Fades[0].Length = sample(length) // from nothing: it fades in
		ev.Fades[0].Shape, ev.Fades[0].Bend = gain.QuarterSine, gain.Even
		return
	}
	// The cut lies later than the list has it by what is before it.
	before := sample(e.recIn+into-r.list.StartFrame) - ev.Record
	t.Events[n-1].Length += before
	ev.Record, ev.SourceIn, ev.Length = ev.Record+before, ev.SourceIn+before, ev.Length-before
	after := sample(e.recIn+length-r.list.StartFrame) - ev.Record
	ev.Blend = conform.Plain(before, after)
}

// ungroup takes the groups away that hold nothing together.
func (r *reader) ungroup(tracks map[int]*conform.Track) {
	shots, sounds := map[int]int{}, map[int]int{}
	for n, t := range tracks {
		for _, e := range t.Events {
			if n == 0 {
				shots[e.Group]++
			} else {
				sounds[e.Group]++
			}
		}
	}
	for _, t := range tracks {
		for i, e := range t.Events {
			if shots[e.Group] != 1 || sounds[e.Group] == 0 {
				t.Events[i].Group = 0
			}
		}
	}
}
