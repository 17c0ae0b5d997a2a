package adl

import (
	"bytes"
	"fmt"
	"math"
	"net/url"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf16"
	"unicode/utf8"

	"blendseam/core/conform"
	"blendseam/core/gain"
	"blendseam/core/reel"
	"blendseam/core/timecode"
)

// Is reports whether a text begins like an audio decision list.
func Is(b []byte) bool {
	head := strings.ToUpper(plain(b[:min(len(b), 4096)]))
	return strings.HasPrefix(strings.TrimLeft(head, " \t\r\n"), "<ADL>")
}

// plain is a text as UTF-8: of UTF-16 by its mark, of Latin-1 where it is no UTF-8.
func plain(b []byte) string {
	for _, mark := range []struct {
		bom []byte
		hi  int
	}{{[]byte{0xfe, 0xff}, 0}, {[]byte{0xff, 0xfe}, 1}} {
		if rest, ok := bytes.CutPrefix(b, mark.bom); ok {
			units := make([]uint16, len(rest)/2)
			for i := range units {
				units[i] = uint16(rest[2*i+mark.hi])<<8 | uint16(rest[2*i+1-mark.hi])
			}
			return string(utf16.Decode(units))
		}
	}
	b = bytes.TrimPrefix(b, []byte("\xef\xbb\xbf"))
	if utf8.Valid(b) {
		return string(b)
	}
	out := make([]rune, len(b))
	for i, c := range b {
		out[i] = rune(c)
	}
	return string(out)
}

// entry is a keyword and its values, in capitals, and the line that it stands on.
type entry struct {
	word   string
	values []string
	line   int
}

var (
	wordy  = regexp.MustCompile(`^\(([A-Za-z_]+)\)\s*`)
	valued = regexp.MustCompile(`^("[^"]*"?|[^\s"]+)\s*`)
	timed  = regexp.MustCompile(`^(\d{1,2})[:.=;,|](\d{1,2})[:.=;,|](\d{1,2})([:.=;,|])(\d{1,3})(?:[/\\](\d{1,6}))?$`)
)

// entries are those of a text. An entry goes on to the next keyword in its line.
func entries(text string) (out []entry) {
	for n, line := range strings.Split(text, "\n") {
		line = strings.TrimSpace(line)
		if line == "" || line[0] != '(' {
			continue
		}
		m := wordy.FindStringSubmatch(line)
		if m == nil {
			continue
		}
		e := entry{word: strings.ToUpper(m[1]), line: n + 1}
		for line = line[len(m[0]):]; line != ""; {
			v := valued.FindString(line)
			if v == "" {
				break
			}
			line = line[len(v):]
			e.values = append(e.values, strings.TrimSpace(v))
		}
		out = append(out, e)
	}
	return out
}

// value is one of an entry without its quotes; "" where there is none.
func (e entry) value(i int) string {
	if i >= len(e.values) || e.values[i] == "_" {
		return ""
	}
	return strings.Trim(e.values[i], `"`)
}

// heard is an event as it is written, in samples from midnight.
type heard struct {
	conform.Event
	line      int
	to        int // channel of the list, from 1
	cut       int64
	cutKnown  bool
	in, out   fade
	begin, by int64 // record in and out
}

type fade struct {
	length int64
	side   reel.Side
}

// reader keeps what lines before have said.
type reader struct {
	rate    timecode.Rate
	hz      int // of the list
	asHz    int // that is wanted
	list    conform.List
	sources map[string]conform.Event // tape, file and zero of an index
	names   map[int]string           // of tracks by channel
	start   int64
	timed   bool // the start is told
	events  []*heard
	conform.Remarks
}

func problem(line int, format string, a ...any) error {
	return &conform.Problem{Detail: fmt.Sprintf("Line %d: ", line) + fmt.Sprintf(format, a...)}
}

// Read reads a list for sound of hz samples a second. What cannot be taken as it stands
// is told in the list's notes, with how often; what cannot be read at all is a
// *conform.Problem.
func Read(b []byte, hz int) (conform.List, error) {
	if len(b) > MostBytes {
		return conform.List{}, &conform.Problem{Detail: fmt.Sprintf("It is larger than %d MB.", MostBytes>>20)}
	}
	if !Is(b) {
		return conform.List{}, &conform.Problem{Detail: "It is no audio decision list: it does not begin with <ADL>."}
	}
	all := entries(plain(b))
	r := &reader{asHz: hz, hz: hz, sources: map[string]conform.Event{}, names: map[int]string{}}
	r.head(all)
	if r.rate.Num == 0 {
		return conform.List{}, &conform.Problem{Detail: "It tells no frame rate that is known (SEQ_FRAME_RATE)."}
	}
	for _, e := range all {
		if err := r.take(e); err != nil {
			return conform.List{}, err
		}
	}
	if len(r.events) == 0 {
		return conform.List{}, &conform.Problem{Detail: "No event can be found in it. An audio decision list has lines that begin with (Entry)."}
	}
	r.lay()
	r.list.Notes = append(r.list.Notes, r.All()...)
	return r.list, nil
}

// head finds the rates, by which all times are read.
func (r *reader) head(all []entry) {
	for _, e := range all {
		switch e.word {
		case "SEQ_SAMPLE_RATE":
			if n, err := strconv.Atoi(strings.TrimLeft(e.value(0), "Ss")); err == nil && n >= 8000 && n <= 768000 {
				r.hz = n
			}
		case "SEQ_FRAME_RATE":
			name := strings.ToUpper(e.value(0))
			for _, rate := range timecode.Rates {
				own := strings.ToUpper(rateName(rate))
				if name == own || strings.TrimSuffix(name, "NDF") == own || name == strings.TrimSuffix(own, "DF")+" DF" {
					r.rate = rate
				}
			}
		}
	}
	if r.rate.Num != 0 {
		return
	}
	for _, e := range all { // by the mark of a time
		for i := range e.values {
			if m := timed.FindStringSubmatch(e.value(i)); m != nil {
				switch m[4] {
				case ".":
					r.rate = timecode.Rate25
				case "=":
					r.rate = timecode.Rate24
				case ":":
					r.rate = timecode.Rate30
				case ";", ",":
					r.rate = timecode.Rate2997Drop
				}
				return
			}
		}
	}
}

// time reads a time as samples at the rate that is wanted.
func (r *reader) time(e entry, i int) (int64, error) {
	m := timed.FindStringSubmatch(e.value(i))
	if m == nil {
		return 0, problem(e.line, "“%.40s” is no time, such as 01.00.00.00/0000.", e.value(i))
	}
	sep := ":"
	if r.rate.Drop {
		sep = ";"
	}
	n, err := r.rate.Parse(fmt.Sprintf("%02s:%02s:%02s%s%02s", m[1], m[2], m[3], sep, m[5]))
	if err != nil {
		return 0, problem(e.line, "“%.40s” is no time at %s frames a second.", e.value(i), r.rate)
	}
	at := r.rate.Sample(n, r.asHz)
	if m[6] != "" {
		rest, _ := strconv.ParseInt(m[6], 10, 64)
		if r.hz != r.asHz {
			rest = int64(math.Round(float64(rest) * float64(r.asHz) / float64(r.hz)))
		}
		at += rest
	}
	return at, nil
}

// take takes one entry.
func (r *reader) take(e entry) (err error) {
	var now *heard
	if len(r.events) > 0 {
		now = r.events[len(r.events)-1]
	}
	switch e.word {
	case "PROJ_TITLE":
		r.list.Title = e.value(0)
	case "SEQ_DEST_START":
		r.start, err = r.time(e, 0)
		r.timed = err == nil
	case "TRACK":
		if n, bad := strconv.Atoi(e.value(0)); bad == nil {
			r.names[n] = e.value(1)
		}
	case "INDEX":
		r.index(e)
	case "ENTRY":
		err = r.event(e)
	case "REM":
		if now != nil && strings.EqualFold(e.value(0), "NAME") && e.value(1) != "" {
			now.Name = e.value(1)
		}
		if now != nil && strings.EqualFold(e.value(0), "CUT") {
			if at, bad := r.time(e, 1); bad == nil {
				now.cut, now.cutKnown = at, true
			}
		}
	case "GAIN":
		if now != nil {
			for i := range e.values {
				if v, bad := strconv.ParseFloat(e.value(i), 64); bad == nil && v >= -200 && v <= 60 {
					now.GainDB = v
				}
			}
		}
	case "INFADE", "OUTFADE":
		if now == nil {
			return nil
		}
		var f fade
		if f.length, err = r.time(e, 0); err != nil {
			return err
		}
		f.side = side(e)
		if e.word == "INFADE" {
			now.in = f
		} else {
			now.out = f
		}
	case "MARK":
		at, bad := r.time(e, 1)
		if bad == nil {
			r.list.Markers = append(r.list.Markers, conform.Marker{At: at, Text: e.value(2)})
		}
	}
	return err
}

// index takes a recording.
func (r *reader) index(e entry) {
	var s conform.Event
	s.Zero = -1
	for i := 1; i < len(e.values); i++ {
		v := e.value(i)
		switch {
		case strings.HasPrefix(strings.ToUpper(v), "URL:"), strings.Contains(v, "://"), strings.ContainsAny(v, `/\`) && !timed.MatchString(v):
			s.File = fileOf(v)
		case timed.MatchString(v) && s.Zero < 0:
			if at, err := r.time(e, i); err == nil {
				s.Zero = at
			}
		case strings.HasPrefix(e.values[i], `"`) && s.Tape == "":
			s.Tape = v
		}
	}
	r.sources[e.value(0)] = s
}

// fileOf is the last part of a place, of whatever system.
func fileOf(v string) string {
	if len(v) >= 4 && strings.EqualFold(v[:4], "URL:") {
		v = v[4:]
	}
	if strings.Contains(v, "://") {
		if u, err := url.PathUnescape(v); err == nil {
			v = u
		}
	}
	return v[strings.LastIndexAny(v, `/\`)+1:]
}

// channels reads a channel, or a pair of them.
func channels(v string) (first, second int) {
	a, b, pair := strings.Cut(v, "~")
	first, _ = strconv.Atoi(a)
	if pair {
		second, _ = strconv.Atoi(b)
	}
	return first, second
}

// event takes an event.
func (r *reader) event(e entry) error {
	if len(r.events) == MostEvents {
		return problem(e.line, "It has more than %d events.", MostEvents)
	}
	kind := strings.ToUpper(strings.Trim(e.value(1), "()"))
	if kind == "SILENCE" {
		return nil
	}
	if kind != "CUT" {
		r.Note("An event that is no cut is left out: %.20s.", e.value(1))
		return nil
	}
	if len(e.values) < 9 {
		return problem(e.line, "An event lacks some of its fields.")
	}
	h := &heard{line: e.line}
	s, known := r.sources[e.value(3)]
	if !known {
		return problem(e.line, "The event plays recording %.20s, which is not in the index.", e.value(3))
	}
	h.Event = conform.Event{Number: len(r.events) + 1, Name: s.Tape, Tape: s.Tape, File: s.File, Zero: s.Zero}
	h.Left, h.Right = channels(e.value(4))
	h.to, _ = channels(e.value(5))
	var err error
	if h.SourceIn, err = r.time(e, 6); err == nil {
		if h.begin, err = r.time(e, 7); err == nil {
			h.by, err = r.time(e, 8)
		}
	}
	if err != nil {
		return err
	}
	if h.by <= h.begin {
		return problem(e.line, "The event ends where it begins, or before.")
	}
	r.events = append(r.events, h)
	return nil
}

// side finds the shape that a fade has, as near as its points tell.
func side(e entry) reel.Side {
	if !strings.EqualFold(e.value(1), "CURVE") {
		return reel.Side{Shape: gain.Linear, Bend: gain.Even}
	}
	var want [3]float64
	for i := range want {
		v, err := strconv.ParseFloat(e.value(2+i), 64)
		if err != nil || math.IsNaN(v) {
			return reel.Side{Shape: gain.QuarterSine, Bend: gain.Even}
		}
		want[i] = math.Pow(10, min(v, 0)/20)
	}
	best, least := reel.Side{Shape: gain.QuarterSine, Bend: gain.Even}, math.Inf(1)
	for _, s := range gain.Shapes {
		for k := 10; k <= 90; k++ {
			off, bend := 0.0, float64(k)/100
			for i, w := range want {
				d := s.At(0.25*float64(i+1), bend) - w
				off += d * d
			}
			if off < least-1e-12 {
				best, least = reel.Side{Shape: s, Bend: bend}, off
			}
		}
	}
	return best
}

// lay puts the events on tracks, those that overlap joined by blends.
func (r *reader) lay() {
	if !r.timed {
		r.start = math.MaxInt64
		for _, h := range r.events {
			r.start = min(r.start, h.begin)
		}
	}
	frame := r.rate.Frame(r.start, r.asHz)
	r.start = r.rate.Sample(frame, r.asHz)
	r.list.Rate, r.list.Hz, r.list.StartFrame = r.rate, r.asHz, frame
	for i := range r.list.Markers {
		r.list.Markers[i].At = max(r.list.Markers[i].At-r.start, 0)
	}
	lanes := map[int][]*heard{}
	for _, h := range r.events {
		lanes[h.to] = append(lanes[h.to], h)
	}
	var order []int
	for n := range lanes {
		order = append(order, n)
	}
	slices.Sort(order)
	for i, n := range order {
		t := conform.Track{Name: r.names[n], Number: i + 1}
		if t.Name == "" {
			t.Name = fmt.Sprintf("Track %d", n)
		}
		lane := lanes[n]
		slices.SortStableFunc(lane, func(a, b *heard) int { return int(min(max(a.begin-b.begin, -1), 1)) })
		t.Events = r.lane(lane)
		r.list.Tracks = append(r.list.Tracks, t)
	}
}

// lane are the events of one track, by time.
func (r *reader) lane(lane []*heard) (out []conform.Event) {
	var last *heard
	for _, h := range lane {
		h.Record, h.Length = h.begin-r.start, h.by-h.begin
		h.Fades = [2]reel.Fade{{Length: h.in.length, Shape: h.in.side.Shape, Bend: h.in.side.Bend}, {Length: h.out.length, Shape: h.out.side.Shape, Bend: h.out.side.Bend}}
		for k := range h.Fades {
			if h.Fades[k].Length == 0 {
				h.Fades[k] = reel.NoFade
			}
		}
		if h.Record < 0 {
			r.Note("An event before the start of the list is left out.")
			continue
		}
		if last != nil && last.by > h.begin {
			over := last.by - h.begin
			if h.by <= last.by || !r.cross(&out[len(out)-1], last, h, over) {
				r.Note("An event that lies over another is left out.")
				continue
			}
		}
		out = append(out, h.Event)
		last = h
	}
	return out
}

// cross joins two events that overlap by a blend; false where nothing would be left of
// either.
func (r *reader) cross(before *conform.Event, last, h *heard, over int64) bool {
	cut := h.begin + over/2
	if h.cutKnown && h.cut >= h.begin && h.cut <= last.by {
		cut = h.cut
	}
	ahead, after := cut-h.begin, last.by-cut
	if before.Length-after < 1 || h.Length-ahead < 1 {
		return false
	}
	before.Length -= after
	before.Fades[1] = reel.NoFade
	h.Record, h.SourceIn, h.Length = h.Record+ahead, h.SourceIn+ahead, h.Length-ahead
	h.Fades[0] = reel.NoFade
	h.Blend = &conform.Blend{Before: ahead, After: after, Law: gain.ConstantPower, Lean: gain.Even, Out: last.out.side, In: h.in.side}
	if h.Blend.Out == (reel.Side{}) || h.Blend.In == (reel.Side{}) { // fades that are not told
		h.Blend.Out, h.Blend.In = reel.Side{}, reel.Side{}
		return true
	}
	h.Blend.Out.Bend = 1 - h.Blend.Out.Bend // it is told backwards
	h.Blend.Settle()
	return true
}
