package edl

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"blendseam/core/conform"
	"blendseam/core/reel"
	"blendseam/core/timecode"
)

// mostSound is how many channels of sound a list holds: two in the events'
// lines and two more by AUD lines.
const mostSound = 4

// Cannot says what of an edit the format does not hold, in words.
func Cannot(l conform.List) []string {
	var out []string
	say := func(n int, one, more string) {
		if n == 1 {
			out = append(out, one)
		} else if n > 1 {
			out = append(out, fmt.Sprintf(more, n))
		}
	}
	var parts, fades, gains, laws, pictures, sounds, paced int
	for _, t := range l.Tracks {
		if t.Picture && t.Number > 1 {
			pictures += len(t.Events)
			continue
		}
		if !t.Picture && t.Number > mostSound {
			sounds++
			continue
		}
		for _, e := range t.Events {
			for _, at := range []int64{e.Record, e.End()} {
				if l.Rate.Sample(l.Rate.Nearest(at, l.Hz), l.Hz) != at {
					parts++
				}
			}
			if e.Fades[0].Length > 0 || e.Fades[1].Length > 0 {
				fades++
			}
			if e.Pace != (reel.Pace{}) {
				paced++
			}
			if e.GainDB != 0 {
				gains++
			}
			if e.Blend != nil && !t.Picture {
				laws++
			}
		}
		if t.GainDB != 0 || t.Pan != 0 {
			gains++
		}
	}
	say(parts, "One sound edge is between frames; it is written to the nearest.", "%d sound edges are between frames; they are written to the nearest.")
	say(fades, "The fades of one clip are left out.", "The fades of %d clips are left out.")
	say(paced, "A shot that runs slower or faster, or stands still, is written as if it ran as recorded.", "%d shots that run slower or faster, or stand still, are written as if they ran as recorded.")
	say(gains, "One gain or pan is left out.", "%d gains and pans are left out.")
	say(laws, "The law of one blend is left out; its length is written.", "The laws of %d blends are left out; their lengths are written.")
	say(pictures, "One shot on a second track of pictures is left out.", "%d shots on further tracks of pictures are left out.")
	if sounds > 0 {
		out = append(out, fmt.Sprintf("The format has %d sound channels. The %d tracks below are left out.", mostSound, sounds))
	}
	return out
}

// row is an event ready to be written.
type row struct {
	in, out, src int64 // frames
	picture      bool
	channel      int
	event        conform.Event
	before       *row  // the event that a dissolve comes from
	length, into int64 // of the dissolve
	group        int
}

// Write gives the list as text, with CRLF at line ends as is common practice.
func Write(l conform.List) []byte {
	rate := l.Rate
	frame := func(at int64) int64 { return rate.Nearest(at, l.Hz) }
	var rows []*row
	for _, t := range l.Tracks {
		if t.Picture && t.Number > 1 || !t.Picture && t.Number > mostSound {
			continue
		}
		var prev *row
		for _, e := range t.Events {
			w := &row{in: frame(e.Record), out: frame(e.End()), picture: t.Picture, channel: t.Number, event: e, group: e.Group}
			// The source goes with the frame that the head was brought to.
			w.src = w.in + frame(e.SourceIn-e.Record)
			if b := e.Blend; b != nil && prev != nil && prev.out == w.in {
				w.into = min(frame(b.Before), w.src)
				w.length = w.into + frame(b.After)
				if w.length > 0 {
					w.before = prev
					prev.out -= w.into
					w.in, w.src = w.in-w.into, w.src-w.into
				}
			}
			rows = append(rows, w)
			prev = w
		}
	}
	slices.SortStableFunc(rows, func(a, b *row) int { return cmp.Compare(a.in, b.in) })
	tapes := tapeNames(rows)
	var b strings.Builder
	line := func(format string, a ...any) { fmt.Fprintf(&b, format+"\r\n", a...) }
	line("TITLE:   %s", oneLine(l.Title, 70))
	if rate.Nominal() == 30 || rate.Nominal() == 60 {
		line("FCM: %s", map[bool]string{true: "DROP FRAME", false: "NON-DROP FRAME"}[rate.Drop])
	}
	line("")
	code := func(n int64) string {
		n %= rate.DayFrames()
		if n < 0 {
			n += rate.DayFrames()
		}
		return rate.Format(n)
	}
	number, used := 0, map[int]int{}
	for _, w := range rows {
		// What belongs together has one number: picture and sound of a split edit.
		n, again := used[w.group]
		if again = again && w.group != 0; !again {
			number++
			n = number
			if w.group != 0 {
				used[w.group] = n
			}
		}
		ch := "V"
		if !w.picture {
			ch = []string{"A", "A2", "NONE", "NONE"}[w.channel-1]
		}
		rec := w.in + l.StartFrame
		if w.before != nil {
			p := w.before
			end := p.src + p.out - p.in
			line("%03d  %-8s %-5s %-4s %3s %s %s %s %s", n, tapes[key(p)], ch, "C", "", code(end), code(end), code(rec), code(rec))
			aud(line, w)
			line("%03d  %-8s %-5s %-4s %03d %s %s %s %s", n, tapes[key(w)], ch, "D", w.length, code(w.src), code(w.src+w.out-w.in), code(rec), code(w.out+l.StartFrame))
			aud(line, w)
			line("* FROM CLIP NAME: %s", oneLine(p.event.Name, 200))
			line("* TO CLIP NAME: %s", oneLine(w.event.Name, 200))
			if w.into > 0 {
				line("* CUT %d FRAMES INTO THE DISSOLVE", w.into)
			}
		} else {
			line("%03d  %-8s %-5s %-4s %3s %s %s %s %s", n, tapes[key(w)], ch, "C", "", code(w.src), code(w.src+w.out-w.in), code(rec), code(w.out+l.StartFrame))
			aud(line, w)
			line("* FROM CLIP NAME: %s", oneLine(w.event.Name, 200))
		}
		if w.event.File != "" {
			line("* SOURCE FILE: %s", oneLine(w.event.File, 200))
		}
	}
	for _, m := range l.Markers {
		line("* MARKER: %s %s", code(frame(m.At)+l.StartFrame), oneLine(m.Text, 200))
	}
	return []byte(b.String())
}

// aud names the channels that have no letter of their own.
func aud(line func(string, ...any), w *row) {
	if !w.picture && w.channel > 2 {
		line("AUD   %d", w.channel)
	}
}

func key(w *row) string { return w.event.Tape + "\x00" + w.event.File }

// tapeNames gives every source a reel name of at most eight letters and digits,
// which is what the columns hold.
func tapeNames(rows []*row) map[string]string {
	out, taken := map[string]string{}, map[string]bool{"BL": true, "AX": true}
	for _, w := range rows {
		k := key(w)
		if out[k] != "" {
			continue
		}
		name := w.event.Tape
		if name == "" {
			name = w.event.File
		}
		name = strings.Map(func(c rune) rune {
			switch {
			case c >= 'a' && c <= 'z':
				return c - 'a' + 'A'
			case c >= 'A' && c <= 'Z', c >= '0' && c <= '9':
				return c
			}
			return -1
		}, name)
		if len(name) > 8 {
			name = name[:8]
		}
		if name == "" {
			name = "REEL"
		}
		for n := 2; taken[name]; n++ {
			tail := fmt.Sprint(n)
			name = name[:min(len(name), 8-len(tail))] + tail
		}
		taken[name], out[k] = true, name
	}
	return out
}

func oneLine(s string, most int) string {
	s = strings.Join(strings.FieldsFunc(s, func(c rune) bool { return c < ' ' || c == ' ' }), " ")
	if r := []rune(s); len(r) > most {
		s = string(r[:most])
	}
	return s
}

// Rates are the frame rates that a list can count at, by the frame numbers in
// it and what it says of drop-frame, the likeliest first.
func Rates(text []byte) []timecode.Rate {
	most, drop := 0, false
	for _, l := range strings.FieldsFunc(decode(text[:min(len(text), MostBytes)]), func(c rune) bool { return c == '\n' || c == '\r' }) {
		l = strings.ToUpper(l)
		if strings.HasPrefix(strings.TrimSpace(l), "FCM:") && !strings.Contains(l, "NON") && strings.Contains(l, "DROP") {
			drop = true
		}
		if m := eventLine.FindStringSubmatch(strings.TrimRight(l, " \t")); m != nil {
			for _, c := range m[6:] {
				f, _ := strconv.Atoi(c[len(c)-2:]) // the pattern has digits there
				most = max(most, f)
				drop = drop || strings.Contains(c, ";")
			}
		}
	}
	var out []timecode.Rate
	order := []timecode.Rate{timecode.Rate25, timecode.Rate24, timecode.Rate23976, timecode.Rate2997, timecode.Rate30, timecode.Rate2997Drop, timecode.Rate50, timecode.Rate48, timecode.Rate5994, timecode.Rate60, timecode.Rate5994Drop}
	if drop {
		order = append([]timecode.Rate{timecode.Rate2997Drop, timecode.Rate5994Drop}, order...)
	} else if most < 24 {
		order = append([]timecode.Rate{timecode.Rate24, timecode.Rate23976}, order...)
	}
	for _, r := range order {
		if int64(most) < r.Nominal() && !slices.Contains(out, r) {
			out = append(out, r)
		}
	}
	return out
}
