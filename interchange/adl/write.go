// Package adl reads and writes audio decision lists after AES31-3, the simple project
// interchange of the Audio Engineering Society: a text of sections, each with entries of
// a keyword in parentheses and its values. It is written from memory of the published
// description, and says so where readers may differ.
//
// A time is HH.MM.SS.FF/SSSS: frames as timecode counts them, and the samples beyond the
// frame. The mark between its fields tells the frame rate: a point for 25, a colon for 30
// and 29.97, a semicolon for drop-frame, an equals sign for 24 and 23.976 (from memory).
package adl

import (
	"fmt"
	"math"
	"net/url"
	"strings"

	"blendseam/core/conform"
	"blendseam/core/gain"
	"blendseam/core/reel"
	"blendseam/core/timecode"
)

// MostBytes and MostEvents bound what is read.
const (
	MostBytes  = 64 << 20
	MostEvents = 50000
)

// mark is what stands between the fields of a time.
func mark(r timecode.Rate) string {
	switch {
	case r.Drop:
		return ";"
	case r.Nominal()%25 == 0:
		return "."
	case r.Nominal()%24 == 0:
		return "="
	}
	return ":"
}

// stamp is a time from midnight.
func stamp(r timecode.Rate, hz int, at int64) string {
	n := r.Frame(at, hz)
	code := strings.NewReplacer(":", mark(r), ";", mark(r)).Replace(r.Format(n))
	return fmt.Sprintf("%s/%04d", code, at-r.Sample(n, hz))
}

// text is a value in quotes; those inside are made single.
func text(s string) string {
	return `"` + strings.Map(func(c rune) rune {
		switch {
		case c == '"':
			return '\''
		case c < ' ':
			return ' '
		}
		return c
	}, s) + `"`
}

// silent is how low a point of a curve is written at the most, in dB.
const silent = -144.0

// curve tells a fade by its levels at the quarters of its length, in dB, as it rises.
func curve(at func(x float64) float64) string {
	out := "CURVE"
	for _, x := range []float64{0.25, 0.5, 0.75} {
		db := silent
		if v := at(x); v > 0 {
			db = max(20*math.Log10(v), silent)
		}
		out += fmt.Sprintf("\t%.3f", db)
	}
	return out
}

// shaped is a curve of a shape, or LIN for a straight one.
func shaped(s gain.Shape, bend float64) string {
	if bend == 0 {
		bend = gain.Even
	}
	if s == gain.Linear && bend == gain.Even {
		return "LIN\t_\t_\t_"
	}
	return curve(func(x float64) float64 { return s.At(x, bend) })
}

// sides are how both sides of a blend are shaped, each as it rises from its silent end.
func sides(b *conform.Blend) (out, in string) {
	side := func(s reel.Side, c gain.Curve) string {
		if s != (reel.Side{}) && c.Fall { // told backwards
			return shaped(s.Shape, 1-s.Bend)
		}
		if s != (reel.Side{}) {
			return shaped(s.Shape, s.Bend)
		}
		shape := c.Shape
		if shape.Check() != nil { // one that waits for the likeness of its sides
			shape = gain.QuarterSine
		}
		return shaped(shape, c.Warp)
	}
	n := max(b.Before+b.After, 1)
	return side(b.Out, b.Law.Out(n, b.Lean)), side(b.In, b.Law.In(n, b.Lean))
}

// Cannot says what of an edit a list does not hold, in words.
func Cannot(l conform.List) (out []string) {
	say := func(n int, one, many string) {
		if n == 1 {
			out = append(out, one)
		} else if n > 1 {
			out = append(out, fmt.Sprintf(many, n))
		}
	}
	pictures, levels, alike, leaning := 0, 0, 0, 0
	for _, t := range l.Tracks {
		if t.Picture {
			pictures++
			continue
		}
		if t.GainDB != 0 || t.Pan != 0 {
			levels++
		}
		for _, e := range t.Events {
			if e.Blend != nil && e.Blend.Matched() {
				alike++
			}
			for _, leans := range []bool{e.Blend != nil && e.Blend.Leans(), conform.Leans(e.Fades[0]), conform.Leans(e.Fades[1])} {
				if leans {
					leaning++
				}
			}
		}
	}
	say(pictures, "The track of pictures is left out: this list is of sound.", "%d tracks of pictures are left out: this list is of sound.")
	say(levels, "Gain and pan of a track are left out.", "Gain and pan of %d tracks are left out.")
	say(alike, "A matched blend is written at constant power.", "%d matched blends are written at constant power.")
	say(leaning, "A fade or blend with lean or bend is told by three points of its curve.", "%d fades and blends with lean or bend are told by three points of their curves.")
	return out
}

// Write gives the list as an audio decision list. Crossfades are events that overlap,
// the one with a fade out and the other with a fade in.
func Write(l conform.List) []byte {
	var b strings.Builder
	put := func(tabs int, fields ...string) {
		b.WriteString(strings.Repeat("\t", tabs) + strings.Join(fields, "\t") + "\r\n")
	}
	begin := l.Rate.Sample(l.StartFrame, l.Hz)
	at := func(n int64) string { return stamp(l.Rate, l.Hz, n) }
	put(0, "<ADL>")
	put(1, "<VERSION>")
	put(2, "(ADL_ID)", `"06,64,43,52,01,01,01,04,01,02,03,04"`)
	put(2, "(VER_ADL_VERSION)", "01")
	put(2, "(VER_CREATOR)", `"Blend Seam"`)
	put(1, "</VERSION>")
	put(1, "<PROJECT>")
	put(2, "(PROJ_TITLE)", text(l.Title))
	put(1, "</PROJECT>")
	put(1, "<SYSTEM>")
	put(2, "(SYS_SRC_OFFSET)", at(0))
	put(1, "</SYSTEM>")
	put(1, "<SEQUENCE>")
	put(2, "(SEQ_SAMPLE_RATE)", fmt.Sprintf("S%d", l.Hz))
	put(2, "(SEQ_FRAME_RATE)", rateName(l.Rate))
	put(2, "(SEQ_ADL_LEVEL)", "1")
	put(2, "(SEQ_CLEAN)", "FALSE")
	put(2, "(SEQ_DEST_START)", at(begin))
	put(1, "</SEQUENCE>")
	writeTracks(l, put)
	index := writeSources(l, put, at)
	writeEvents(l, put, at, index, begin)
	if len(l.Markers) > 0 {
		put(1, "<MARK_LIST>")
		for i, m := range l.Markers {
			put(2, "(Mark)", fmt.Sprintf("%04d", i+1), at(begin+m.At), text(m.Text))
		}
		put(1, "</MARK_LIST>")
	}
	put(0, "</ADL>")
	return []byte(b.String())
}

// rateName is a frame rate as a list tells it.
func rateName(r timecode.Rate) string {
	name := strings.ReplaceAll(r.String(), " drop", "DF")
	return strings.ReplaceAll(name, " ", "")
}

// wide is how many channels an event takes: 1 or 2.
func wide(e conform.Event) int {
	if e.Right > 0 {
		return 2
	}
	return 1
}

// lane is how many channels a track takes.
func lane(t conform.Track) int {
	n := 1
	for _, e := range t.Events {
		n = max(n, wide(e))
	}
	return n
}

func writeTracks(l conform.List, put func(int, ...string)) {
	put(1, "<TRACKLIST>")
	n := 0
	for _, t := range l.Tracks {
		for range lane(t) {
			if !t.Picture {
				n++
				put(2, "(Track)", fmt.Sprint(n), text(t.Name))
			}
		}
	}
	put(1, "</TRACKLIST>")
}

// source is a recording as a list indexes it.
type source struct {
	file string
	zero int64
	name string
}

func sourceOf(e conform.Event) source {
	name := e.Tape
	if name == "" {
		name = e.File
	}
	return source{e.File, max(e.Zero, 0), name}
}

func writeSources(l conform.List, put func(int, ...string), at func(int64) string) map[source]int {
	put(1, "<SOURCE_INDEX>")
	index := map[source]int{}
	for _, t := range l.Tracks {
		if t.Picture {
			continue
		}
		for _, e := range t.Events {
			s := sourceOf(e)
			if index[s] != 0 {
				continue
			}
			index[s] = len(index) + 1
			place := url.URL{Scheme: "file", Host: "localhost", Path: "/" + s.file}
			put(2, "(Index)", fmt.Sprintf("%04d", index[s]), "(F)", text("URL:"+place.String()), "_", at(s.zero), "_", text(s.name), "N")
		}
	}
	put(1, "</SOURCE_INDEX>")
	return index
}

func writeEvents(l conform.List, put func(int, ...string), at func(int64) string, index map[source]int, begin int64) {
	put(1, "<EVENT_LIST>")
	n, first := 0, 1
	for _, t := range l.Tracks {
		if t.Picture {
			continue
		}
		for i, e := range t.Events {
			var after int64
			if i+1 < len(t.Events) && t.Events[i+1].Blend != nil {
				after = t.Events[i+1].Blend.After
			}
			before := int64(0)
			if e.Blend != nil {
				before = e.Blend.Before
			}
			n++
			from, to := fmt.Sprint(max(e.Left, 1)), fmt.Sprint(first)
			if wide(e) == 2 {
				from, to = fmt.Sprintf("%d~%d", max(e.Left, 1), e.Right), fmt.Sprintf("%d~%d", first, first+1)
			}
			put(2, "(Entry)", fmt.Sprintf("%04d", n), "(Cut)", "I", fmt.Sprintf("%04d", index[sourceOf(e)]), from, to, at(e.SourceIn-before), at(begin+e.Record-before), at(begin+e.End()+after), "R")
			put(3, "(Rem)", "NAME", text(e.Name))
			if e.Blend != nil {
				put(3, "(Rem)", "CUT", at(begin+e.Record))
			}
			if e.GainDB != 0 {
				put(3, "(Gain)", "_", fmt.Sprintf("%.3f", max(e.GainDB, silent)))
			}
			writeFades(t, i, put, at)
		}
		first += lane(t)
	}
	put(1, "</EVENT_LIST>")
}

// writeFades tells how an event begins and ends.
func writeFades(t conform.Track, i int, put func(int, ...string), at func(int64) string) {
	e := t.Events[i]
	if b := e.Blend; b != nil {
		_, in := sides(b)
		put(3, "(Infade)", at(b.Before+b.After), in)
	} else if f := e.Fades[0]; f.Length > 0 {
		put(3, "(Infade)", at(f.Length), shaped(f.Shape, f.Bend))
	}
	if i+1 < len(t.Events) && t.Events[i+1].Blend != nil {
		b := t.Events[i+1].Blend
		out, _ := sides(b)
		put(3, "(Outfade)", at(b.Before+b.After), out)
	} else if f := e.Fades[1]; f.Length > 0 {
		put(3, "(Outfade)", at(f.Length), shaped(f.Shape, f.Bend))
	}
}
