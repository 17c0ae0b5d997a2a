package edl

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	"blendseam/core/conform"
	"blendseam/core/timecode"
)

// read reads a list that has to be readable.
func read(t *testing.T, text string, rate timecode.Rate) conform.List {
	t.Helper()
	l, err := Read([]byte(text), rate, 48000)
	if err != nil {
		t.Fatal(err)
	}
	return l
}

// told writes a list's events as timecodes, so that they can be held against
// the lines they came from.
func told(l conform.List) []string {
	var out []string
	code := func(at int64) string { return l.Rate.Format(l.Rate.Nearest(at, l.Hz)) }
	for _, tr := range l.Tracks {
		for _, e := range tr.Events {
			s := fmt.Sprintf("%s %s in %s rec %s - %s", tr.Name, e.Tape, code(e.SourceIn), l.Rate.Format(l.StartFrame+l.Rate.Nearest(e.Record, l.Hz)), l.Rate.Format(l.StartFrame+l.Rate.Nearest(e.End(), l.Hz)))
			if e.Blend != nil {
				s += fmt.Sprintf(" dissolve %d", l.Rate.Nearest(e.Blend.Before+e.Blend.After, l.Hz))
			}
			if e.Name != "" {
				s += " “" + e.Name + "”"
			}
			out = append(out, s)
		}
	}
	return out
}

func hold(t *testing.T, got, want []string) {
	t.Helper()
	for i := range max(len(got), len(want)) {
		g, w := "nothing", "nothing"
		if i < len(got) {
			g = got[i]
		}
		if i < len(want) {
			w = want[i]
		}
		if g != w {
			t.Errorf("event %d: %s, want %s", i+1, g, w)
		}
	}
}

// Worked examples after the published description of the format (SMPTE 258M,
// sections on the event line, the two lines of a dissolve, the channel codes
// V, A, A2, AA, B and AA/V, and FCM; from memory of it): a cut, a dissolve of a
// second, and sound that is cut apart from its picture.
func TestWorkedExamples(t *testing.T) {
	l := read(t, `TITLE: EXAMPLE REEL 1
FCM: NON-DROP FRAME

001  TAPE01   V     C        01:00:10:00 01:00:15:00 01:00:00:00 01:00:05:00
* FROM CLIP NAME:  HARBOUR WIDE
002  TAPE01   V     C        01:00:15:00 01:00:15:00 01:00:05:00 01:00:05:00
002  TAPE02   V     D    030 02:00:00:00 02:00:06:00 01:00:05:00 01:00:11:00
* FROM CLIP NAME:  HARBOUR WIDE
* TO CLIP NAME:  QUAY
003  TAPE03   AA    C        03:00:00:00 03:00:11:00 01:00:00:00 01:00:11:00
004  TAPE02   B     C        02:10:00:00 02:10:01:00 01:00:11:00 01:00:12:00
005  BL       V     C        00:00:00:00 00:00:01:00 01:00:12:00 01:00:13:00
006  TAPE04   AA/V  C        04:00:00:10 04:00:02:10 01:00:13:00 01:00:15:00
`, timecode.Rate30)
	hold(t, told(l), []string{
		"Picture TAPE01 in 01:00:10:00 rec 01:00:00:00 - 01:00:05:00 “HARBOUR WIDE”",
		"Picture TAPE02 in 02:00:00:00 rec 01:00:05:00 - 01:00:11:00 dissolve 30 “QUAY”",
		"Picture TAPE02 in 02:10:00:00 rec 01:00:11:00 - 01:00:12:00",
		"Picture TAPE04 in 04:00:00:10 rec 01:00:13:00 - 01:00:15:00",
		"Sound 1 TAPE03 in 03:00:00:00 rec 01:00:00:00 - 01:00:11:00",
		"Sound 1 TAPE02 in 02:10:00:00 rec 01:00:11:00 - 01:00:12:00",
		"Sound 1 TAPE04 in 04:00:00:10 rec 01:00:13:00 - 01:00:15:00",
		"Sound 2 TAPE03 in 03:00:00:00 rec 01:00:00:00 - 01:00:11:00",
		"Sound 2 TAPE04 in 04:00:00:10 rec 01:00:13:00 - 01:00:15:00",
	})
	if l.Title != "EXAMPLE REEL 1" || len(l.Notes) > 0 {
		t.Errorf("title %q, notes %v", l.Title, l.Notes)
	}
}

// A split edit: lines of one number, of which the sound begins a second ahead
// of its picture; and the same as a delay of the picture in one event with a
// SPLIT line (common practice; from memory).
func TestSplitEdits(t *testing.T) {
	want := []string{
		"Picture A in 01:00:00:00 rec 10:00:00:00 - 10:00:05:00", "Picture B in 02:00:01:00 rec 10:00:05:00 - 10:00:09:00",
		"Sound 1 A in 01:00:00:00 rec 10:00:00:00 - 10:00:04:00", "Sound 1 B in 02:00:00:00 rec 10:00:04:00 - 10:00:09:00",
	}
	two := read(t, `001  A  V  C  01:00:00:00 01:00:05:00 10:00:00:00 10:00:05:00
001  A  A  C  01:00:00:00 01:00:04:00 10:00:00:00 10:00:04:00
002  B  A  C  02:00:00:00 02:00:05:00 10:00:04:00 10:00:09:00
002  B  V  C  02:00:01:00 02:00:05:00 10:00:05:00 10:00:09:00`, timecode.Rate25)
	hold(t, told(two), want)
	for _, e := range two.Tracks[0].Events {
		if e.Group != e.Number {
			t.Errorf("event %d is held together by %d", e.Number, e.Group)
		}
	}
	one := read(t, `001  A  V  C  01:00:00:00 01:00:05:00 10:00:00:00 10:00:05:00
001  A  A  C  01:00:00:00 01:00:04:00 10:00:00:00 10:00:04:00
002  B  B  C  02:00:00:00 02:00:05:00 10:00:04:00 10:00:09:00
SPLIT:    VIDEO DELAY=  00:00:01:00`, timecode.Rate25)
	hold(t, told(one), want)
}

// Drop-frame counting (SMPTE ST 12-1): a minute at 29.97 has 1798 frames, ten
// of them 17982, and the length of an event is counted so.
func TestDropFrame(t *testing.T) {
	l := read(t, `TITLE: DROP
FCM: DROP FRAME
001  T1  V  C  00:00:59;28 00:01:00;04 01:00:59;28 01:01:00;04
002  T1  V  C  00:10:00;00 00:20:00;00 01:01:00;04 01:11:00;04`, timecode.Rate2997Drop)
	p := l.Tracks[0].Events
	if n := l.Rate.Nearest(p[0].Length, 48000); n != 4 {
		t.Errorf("from ;28 over the minute to ;04 are 4 frames, not %d", n)
	}
	// From 01:01:00;04 to 01:11:00;04 nine minutes drop two numbers: 17982.
	if n := l.Rate.Nearest(p[1].End(), 48000) - l.Rate.Nearest(p[1].Record, 48000); n != 17982 {
		t.Errorf("ten minutes are 17982 frames, not %d", n)
	}
	if len(l.Notes) > 0 {
		t.Error(l.Notes)
	}
	// A number that drop-frame leaves out means the next that is there.
	l = read(t, "FCM: DROP FRAME\n001  T  V  C  00:01:00:00 00:01:02:00 01:01:00:00 01:01:02:00", timecode.Rate2997Drop)
	hold(t, told(l), []string{"Picture T in 00:01:00;02 rec 01:01:00;02 - 01:01:02;00"})
	if len(l.Notes) == 0 {
		t.Error("nothing is said of a timecode that is not there")
	}
}

// What is wrong with a list is said, and the rest is taken.
func TestCrookedLists(t *testing.T) {
	for _, c := range []struct{ name, text, note string }{
		{"numbers that fall", "003  A  V  C  01:00:00:00 01:00:01:00 01:00:00:00 01:00:01:00\n001  A  V  C  01:00:01:00 01:00:02:00 01:00:01:00 01:00:02:00", "numbers do not rise"},
		{"no length", "001  A  V  C  01:00:00:00 01:00:00:00 01:00:00:00 01:00:00:00\n002  A  V  C  01:00:00:00 01:00:02:00 01:00:00:00 01:00:02:00", "no length"},
		{"another length in the source", "001  A  V  C  01:00:00:00 01:00:03:00 01:00:00:00 01:00:02:00", "differ in length by 25 frames"},
		{"another speed", "001  A  V  C  01:00:00:00 01:00:04:00 01:00:00:00 01:00:02:00\nM2   A       050.0                01:00:00:00", "speed change"},
		{"a wipe", "001  A  V  C  01:00:00:00 01:00:02:00 01:00:00:00 01:00:02:00\n002  B  V  W001  025  01:00:00:00 01:00:02:00 01:00:02:00 01:00:04:00", "wipe"},
		{"nothing recorded", "001  A  NONE  C  01:00:00:00 01:00:02:00 01:00:00:00 01:00:02:00\n002  A  V  C  01:00:00:00 01:00:02:00 01:00:00:00 01:00:02:00", "neither picture nor sound"},
		{"half a line", "001  A  V  C  01:00:00:00 01:00:02:00 01:00:00:00 01:00:02:00\n002  A  V  C  01:00:00:00 01:00", "Line 2 is not an event"},
		{"drop-frame at 25", "FCM: DROP FRAME\n001  A  V  C  01:00:00:00 01:00:02:00 01:00:00:00 01:00:02:00", "exists at 29.97"},
	} {
		l := read(t, c.text, timecode.Rate25)
		if len(l.Notes) == 0 || !strings.Contains(strings.Join(l.Notes, " "), c.note) {
			t.Errorf("%s: %v", c.name, l.Notes)
		}
		if len(l.Tracks) == 0 || len(l.Tracks[0].Events) == 0 {
			t.Errorf("%s: nothing was taken", c.name)
		}
	}
	// Mixed counting: each timecode as it stands.
	l := read(t, "FCM: NON-DROP FRAME\n001  A  V  C  01:00:00:00 01:00:02:00 01:00:00:00 01:00:02:00\nFCM: DROP FRAME\n002  A  V  C  01:00:00;00 01:00:02;00 01:00:02;00 01:00:04;00", timecode.Rate2997)
	if !strings.Contains(strings.Join(l.Notes, " "), "switches between drop-frame and non-drop") {
		t.Error(l.Notes)
	}
	// Line ends, marks before the text, Latin-1, tabs, blanks behind.
	l = read(t, "\xef\xbb\xbfTITLE: A\r\n\r\n001\tA\tV\tC\t01:00:00:00\t01:00:01:00\t01:00:00:00\t01:00:01:00  \r* FROM CLIP NAME: Fl\xfcgel\r\n", timecode.Rate25)
	if e := l.Tracks[0].Events[0]; e.Name != "Flügel" {
		t.Errorf("read as %q", e.Name)
	}
	// What is no list, or of another rate, is refused in words.
	for _, c := range []struct{ text, why string }{
		{"", "No event"}, {"hello\nworld", "No event"}, {strings.Repeat("x", 2<<20), "too long"},
		{"001  A  V  C  01:00:00:29 01:00:02:00 01:00:00:00 01:00:02:00", "choose that"},
		{"001  A  V  C  01:00:00:00 01:61:02:00 01:00:00:00 01:00:02:00", "Line 1"},
	} {
		_, err := Read([]byte(c.text), timecode.Rate25, 48000)
		var trouble *conform.Problem
		if !errors.As(err, &trouble) || !strings.Contains(trouble.Detail, c.why) {
			t.Errorf("%.20q: %v", c.text, err)
		}
	}
	if got := Rates([]byte("001  A  V  C  01:00:00:29 01:00:02:00 01:00:00:00 01:00:02:00"))[0]; got != timecode.Rate2997 {
		t.Errorf("frame 29 is first thought of as %s", got)
	}
}

func FuzzRead(f *testing.F) {
	f.Add("001  A  V  C  01:00:00:00 01:00:02:00 01:00:00:00 01:00:02:00\n* FROM CLIP NAME: X\nAUD 3 4", 2)
	f.Add("FCM: DROP FRAME\n002  B  AA/V  D 012 02:00:00;00 02:00:05;00 10:00:04;00 10:00:09;00\nSPLIT: AUDIO DELAY= 00:00:00;10\nM2 B 000.0 01:00:00:00", 4)
	f.Add("001  BL  B  C  23:59:59:24 00:00:01:00 23:59:59:00 00:00:01:00\r\r\n", 2)
	f.Fuzz(func(t *testing.T, text string, i int) {
		rate := timecode.Rates[((i%len(timecode.Rates))+len(timecode.Rates))%len(timecode.Rates)]
		Rates([]byte(text))
		l, err := Read([]byte(text), rate, 48000)
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
		again, err := Read(Write(l), rate, 48000)
		if err != nil && len(l.Tracks) > 0 && !allBeyond(l) {
			t.Fatalf("what was written cannot be read: %v\n%s", err, Write(l))
		}
		_ = again
	})
}

// allBeyond reports whether a list has only what the format does not hold.
func allBeyond(l conform.List) bool {
	for _, tr := range l.Tracks {
		if tr.Picture || tr.Number <= mostSound {
			return false
		}
	}
	return true
}
