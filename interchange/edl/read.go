// Package edl reads and writes the 80-column edit decision list of SMPTE 258M
// and its common practice.
//
// An event is a line of a number, a source reel, its channels, a transition and
// four timecodes: source in and out, record in and out. A dissolve is two lines
// of one number: the outgoing scene, and the incoming one with the dissolve's
// length. Split edits are lines of one number with times of their own. FCM
// lines say how timecode is counted from there on; lines that begin with an
// asterisk are comments, of which some are common practice.
package edl

import (
	"bufio"
	"bytes"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"blendseam/core/conform"
	"blendseam/core/timecode"
)

// MostBytes and MostEvents bound what is read.
const (
	MostBytes  = 16 << 20
	MostEvents = 50000
)

// line is an event as it is written, in frames.
type line struct {
	number                 int
	at                     int // line of the file
	tape                   string
	picture                bool
	sound                  []int // channels
	kind                   byte  // C, D, W or K
	length                 int64 // of the transition
	srcIn, srcOut          int64
	recIn, recOut          int64
	from, to, file         string // clip names and file of the comments
	into                   int64  // frames of the dissolve before its cut, by a comment of ours; −1 when not told
	name                   string
	delaySound, delayVideo int64
	speed                  float64
}

// reader keeps what lines before have said.
type reader struct {
	rate  timecode.Rate
	drop  bool
	list  conform.List
	lines []line
	conform.Remarks
	fcm map[bool]bool
}

var (
	eventLine = regexp.MustCompile(`^\s*(\d{1,6})[A-Z]?\s+(\S+(?: \S+)*?)\s+((?:NONE|B|[AV][AV0-9/]*))\s+([CDWK][0-9]*|KB|K B|KO|K O)\s+(?:([0-9]{1,5})F?\s+)?([0-9]{1,2}[:;.,][0-9]{2}[:;.,][0-9]{2}[:;.,][0-9]{2})\s+([0-9]{1,2}[:;.,][0-9]{2}[:;.,][0-9]{2}[:;.,][0-9]{2})\s+([0-9]{1,2}[:;.,][0-9]{2}[:;.,][0-9]{2}[:;.,][0-9]{2})\s+([0-9]{1,2}[:;.,][0-9]{2}[:;.,][0-9]{2}[:;.,][0-9]{2})\s*$`)
	numbered  = regexp.MustCompile(`^\s*\d{1,6}[A-Z]?\s+\S`)
	comment   = regexp.MustCompile(`^\*+\s*(.*)$`)
	splitLine = regexp.MustCompile(`^SPLIT:\s*(AUDIO|VIDEO)\s+DELAY=?\s*([0-9:;.,]+)`)
	audLine   = regexp.MustCompile(`^AUD\s+([0-9 ]+)$`)
	speedLine = regexp.MustCompile(`^M2\s+(\S+(?: \S+)*?)\s+(-?[0-9]+(?:\.[0-9]+)?)\s`)
	ourCut    = regexp.MustCompile(`^CUT ([0-9]{1,5}) FRAMES INTO THE DISSOLVE$`)
)

// Read reads a list whose timecode counts at a rate, for sound of hz samples a
// second. What cannot be taken as it stands is told in the list's notes, with
// the line it is in.
func Read(text []byte, rate timecode.Rate, hz int) (conform.List, error) {
	if len(text) > MostBytes {
		return conform.List{}, &conform.Problem{Detail: fmt.Sprintf("The list is larger than %d MB, the most that is read.", MostBytes>>20)}
	}
	r := reader{rate: rate, drop: rate.Drop, fcm: map[bool]bool{}, list: conform.List{Rate: rate, Hz: hz}}
	lines := bufio.NewScanner(strings.NewReader(decode(text)))
	lines.Buffer(make([]byte, 1<<16), 1<<20)
	lines.Split(anyBreak)
	at := 0
	for lines.Scan() {
		at++
		if err := r.line(strings.TrimRight(lines.Text(), " \t\x00\x1a"), at); err != nil {
			return r.list, err
		}
		if len(r.lines) > MostEvents {
			return r.list, &conform.Problem{Detail: fmt.Sprintf("The list has more than %d events, the most that is read.", MostEvents)}
		}
	}
	if err := lines.Err(); err != nil {
		return r.list, &conform.Problem{Detail: fmt.Sprintf("Line %d of the list is too long to be one: %v.", at+1, err)}
	}
	if len(r.lines) == 0 {
		return r.list, &conform.Problem{Detail: "No event can be found in it. An edit decision list has lines of a number, a reel, channels, a transition and four timecodes."}
	}
	if r.fcm[true] && r.fcm[false] {
		r.Note("The list switches between drop-frame and non-drop. Each timecode was read as marked there.")
	}
	r.lay()
	r.list.Notes = append(r.list.Notes, r.All()...)
	return r.list, nil
}

// decode is the text as UTF-8; what is none is Latin-1 (ISO 8859-1).
func decode(b []byte) string {
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

// anyBreak splits at CR, LF or both.
func anyBreak(data []byte, eof bool) (int, []byte, error) {
	i := bytes.IndexAny(data, "\r\n")
	switch {
	case i < 0 && eof && len(data) > 0:
		return len(data), data, nil
	case i < 0 || i+1 == len(data) && data[i] == '\r' && !eof:
		return 0, nil, nil
	case data[i] == '\r' && i+1 < len(data) && data[i+1] == '\n':
		return i + 2, data[:i], nil
	}
	return i + 1, data[:i], nil
}

func (r *reader) line(text string, at int) error {
	upper := strings.ToUpper(strings.TrimSpace(text))
	switch {
	case upper == "":
	case strings.HasPrefix(upper, "TITLE:"):
		r.list.Title = strings.TrimSpace(strings.TrimSpace(text)[len("TITLE:"):])
	case strings.HasPrefix(upper, "FCM:"):
		r.counting(upper)
	case comment.MatchString(upper):
		r.comment(strings.TrimSpace(comment.FindStringSubmatch(strings.TrimSpace(text))[1]))
	case splitLine.MatchString(upper):
		m := splitLine.FindStringSubmatch(upper)
		n, err := r.code(m[2])
		if err != nil || len(r.lines) == 0 {
			r.Note("Line %d: the delay of a split edit is not readable.", at)
			break
		}
		if m[1] == "AUDIO" {
			r.last().delaySound = n
		} else {
			r.last().delayVideo = n
		}
	case audLine.MatchString(upper) && len(r.lines) > 0:
		for _, f := range strings.Fields(audLine.FindStringSubmatch(upper)[1]) {
			if n, err := strconv.Atoi(f); err == nil && n >= 1 && n <= 64 && !slices.Contains(r.last().sound, n) {
				r.last().sound = append(r.last().sound, n)
			}
		}
	case speedLine.MatchString(upper+" ") && len(r.lines) > 0:
		m := speedLine.FindStringSubmatch(upper + " ")
		if v, err := strconv.ParseFloat(m[2], 64); err == nil {
			r.last().speed = v
		}
	case eventLine.MatchString(upper):
		return r.event(eventLine.FindStringSubmatch(upper), text, at)
	case numbered.MatchString(upper):
		r.Note("Line %d is not an event that can be read: “%s”.", at, short(text))
	}
	return nil
}

func short(s string) string {
	s = strings.Join(strings.Fields(s), " ")
	if r := []rune(s); len(r) > 60 {
		return string(r[:60]) + "…"
	}
	return s
}

func (r *reader) last() *line { return &r.lines[len(r.lines)-1] }

// counting is how timecode is counted from here on.
func (r *reader) counting(upper string) {
	drop := strings.Contains(upper, "DROP") && !strings.Contains(upper, "NON")
	if dropRate := (timecode.Rate{Num: r.rate.Num, Den: r.rate.Den, Drop: true}); drop && dropRate.Check() != nil {
		r.Note("The list says drop-frame. Drop-frame exists at 29.97 and 59.94 fps only, not at %s.", r.rate)
		return
	}
	r.drop = drop
	r.fcm[drop] = true
}

// code reads a timecode, by its own mark or by what holds here.
func (r *reader) code(text string) (int64, error) {
	rate := timecode.Rate{Num: r.rate.Num, Den: r.rate.Den, Drop: r.drop}
	text = strings.ReplaceAll(text, ",", ".")
	if dropRate := (timecode.Rate{Num: r.rate.Num, Den: r.rate.Den, Drop: true}); strings.Contains(text, ";") && dropRate.Check() == nil {
		rate = dropRate
	}
	text = strings.NewReplacer(";", ":", ".", ":").Replace(text)
	n, err := rate.Parse(text)
	if err != nil && rate.Drop {
		// A number that drop-frame leaves out means the first that is there.
		if parts := strings.Split(text, ":"); len(parts) == 4 && parts[2] == "00" {
			if n, again := rate.Parse(fmt.Sprintf("%s:%s:00:%02d", parts[0], parts[1], rate.Nominal()/15)); again == nil {
				r.Note("Drop-frame skips timecode %s. The next timecode was used.", text)
				return n, nil
			}
		}
	}
	return n, err
}

func (r *reader) event(m []string, text string, at int) error {
	e := line{at: at, kind: m[4][0], into: -1, speed: 100}
	e.number, _ = strconv.Atoi(m[1])
	// As it is written: the pattern saw it in capitals, of the same length.
	e.tape = m[2]
	if i := strings.Index(strings.ToUpper(text), m[2]); i >= 0 && len(strings.ToUpper(text)) == len(text) {
		e.tape = text[i : i+len(m[2])]
	}
	e.picture, e.sound = channels(m[3])
	if m[5] != "" {
		e.length, _ = strconv.ParseInt(m[5], 10, 64)
	}
	for i, into := range []*int64{&e.srcIn, &e.srcOut, &e.recIn, &e.recOut} {
		n, err := r.code(m[6+i])
		if err != nil {
			return &conform.Problem{Detail: fmt.Sprintf("Line %d: %v. If the list counts at another rate, choose that.", at, err)}
		}
		*into = n
	}
	if e.kind == 'W' || e.kind == 'K' {
		r.Note("Line %d: a wipe or key was imported as a %s.", at, map[bool]string{true: "dissolve", false: "cut"}[e.kind == 'W' && e.length > 0])
		if e.kind = 'D'; m[4][0] == 'K' || e.length == 0 {
			e.kind = 'C'
		}
	}
	// Beyond midnight the count begins anew.
	day := r.rate.DayFrames()
	if e.recOut < e.recIn {
		e.recOut += day
	}
	if e.srcOut < e.srcIn {
		e.srcOut += day
	}
	if n := len(r.lines); n > 0 && e.number < r.lines[n-1].number {
		r.Note("Event numbers do not rise; the order of the lines was kept.")
	}
	r.lines = append(r.lines, e)
	return nil
}

// channels are what an event records: V for picture, A and A2 for sound, AA for
// both, B for picture and the first sound; also several with strokes between.
func channels(text string) (picture bool, sound []int) {
	if text == "B" {
		return true, []int{1}
	}
	add := func(n int) {
		if n >= 1 && n <= 64 && !slices.Contains(sound, n) {
			sound = append(sound, n)
		}
	}
	if text == "NONE" {
		return false, nil
	}
	for _, part := range strings.Split(text, "/") {
		for i := 0; i < len(part); {
			kind := part[i]
			k := i + 1
			for k < len(part) && part[k] >= '0' && part[k] <= '9' {
				k++
			}
			n, _ := strconv.Atoi(part[i+1 : k])
			switch {
			case kind == 'V':
				picture = true
			case n > 0:
				add(n)
			case slices.Contains(sound, 1):
				add(2) // AA
			default:
				add(1)
			}
			i = k
		}
	}
	return picture, sound
}

// comment takes what is common practice among comments, and leaves the rest.
func (r *reader) comment(text string) {
	if len(r.lines) == 0 {
		return
	}
	e, upper := r.last(), strings.ToUpper(text)
	value := func(key string) (string, bool) {
		if strings.HasPrefix(upper, key) {
			return strings.TrimSpace(strings.TrimPrefix(strings.TrimSpace(text[len(key):]), ":")), true
		}
		return "", false
	}
	if v, ok := value("FROM CLIP NAME"); ok {
		e.from = v
	} else if v, ok := value("TO CLIP NAME"); ok {
		e.to = v
	} else if v, ok := value("CLIP NAME"); ok {
		e.from = v
	} else if v, ok := value("SOURCE FILE"); ok {
		e.file = v
	} else if m := ourCut.FindStringSubmatch(upper); m != nil {
		e.into, _ = strconv.ParseInt(m[1], 10, 64)
	} else if v, ok := value("MARKER"); ok {
		if code, rest, found := strings.Cut(v, " "); found {
			if n, err := r.code(code); err == nil {
				r.list.Markers = append(r.list.Markers, conform.Marker{At: n, Text: strings.TrimSpace(rest)})
			}
		}
	}
}
