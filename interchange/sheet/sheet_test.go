package sheet

import (
	"bytes"
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"blendseam/core/reel"
	"blendseam/core/timecode"
	"blendseam/outside"
)

// marked is a reel with markers whose texts try what CSV has to quote.
func marked(t testing.TB, rate timecode.Rate) *reel.Reel {
	t.Helper()
	start, _ := rate.Parse("01:00:00:00")
	r := &reel.Reel{NextID: 1, Props: reel.Props{Name: "t", SampleRate: 48000, FrameRate: rate, StartFrame: start}}
	for i, text := range []string{"plain", `say "no", then`, "line; with ; semicolons", "=1+1", "größer, ≥ 3", "-3 dB"} {
		done, err := (&reel.AddMarker{At: int64(i)*50_001 + 7, Text: text}).Apply(r)
		if err != nil {
			t.Fatal(err)
		}
		r = done.Reel
	}
	return r
}

// What is written is read by another reader of RFC 4180, Python's, cell by cell; and
// markers come back to the sample.
func TestMarkersThereAndBack(t *testing.T) {
	for _, rate := range timecode.Rates {
		r := marked(t, rate)
		table := Markers(r)
		var b bytes.Buffer
		if err := table.Write(&b); err != nil {
			t.Fatal(err)
		}
		got := outside.Run(t, b.Bytes(), "python3", "-c", "import csv,json,sys,io; print(json.dumps(list(csv.reader(io.TextIOWrapper(sys.stdin.buffer, 'utf-8', newline=''), strict=True))))")
		var cells [][]string
		if err := json.Unmarshal(got, &cells); err != nil {
			t.Fatal(err)
		}
		want := append([][]string{table.Head}, table.Rows...)
		want[4] = []string{want[4][0], want[4][1], "'=1+1"} // no formula
		if fmt.Sprint(cells) != fmt.Sprint(want) {
			t.Errorf("%s: %q, not %q", rate, cells, want)
		}
		back, err := ReadMarkers(b.Bytes(), r.Props)
		if err != nil {
			t.Fatal(err)
		}
		for i, m := range back {
			if m.At != r.Markers[i].At || m.Text != r.Markers[i].Text {
				t.Errorf("%s: %+v, was %+v", rate, m, r.Markers[i])
			}
		}
	}
}

func TestMarkersOfOthers(t *testing.T) {
	p := marked(t, timecode.Rate25).Props
	for what, c := range map[string]struct {
		text, says string
		at         []int64
	}{
		"commas":     {"01:00:01:00,door\n01:00:02:12,steps", "door steps", []int64{48000, 96000 + 12*1920}},
		"semicolons": {"Zeit;Text\r\n01:00:01:00;Tür\r\n", "Tür", []int64{48000}},
		"tabs":       {"name\ttime\ndoor\t01.00.01.00", "door", []int64{48000}},
		"seconds":    {"12,5;door", "door", []int64{600_000}},
		"points":     {"0.25,a,b", "a · b", []int64{12000}},
		"Latin-1":    {"01:00:01:00,caf\xe9", "café", []int64{48000}},
	} {
		got, err := ReadMarkers([]byte(c.text), p)
		if err != nil || len(got) != len(c.at) {
			t.Errorf("%s: %+v %v", what, got, err)
			continue
		}
		var texts []string
		for i, m := range got {
			texts = append(texts, m.Text)
			if m.At != c.at[i] {
				t.Errorf("%s: at %d, not %d", what, m.At, c.at[i])
			}
		}
		if strings.Join(texts, " ") != c.says {
			t.Errorf("%s: %q", what, texts)
		}
	}
	for text, says := range map[string]string{"": "no marker", "hello": "no marker", "01:00:01:00,a\nnowhere,b": "line 2", "00:10:00:00,early": "before the start", strings.Repeat("1,a\n", MostMarkers+1): "more than"} {
		if _, err := ReadMarkers([]byte(text), p); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%.20q: %v", text, err)
		}
	}
}

// FuzzReadMarkers: whatever comes is refused, or lies in the reel.
func FuzzReadMarkers(f *testing.F) {
	f.Add([]byte("01:00:01:00,door"))
	f.Add([]byte("Timecode,Sample,Text\r\n01:00:00:00,7,\"a, b\""))
	p := reel.Props{SampleRate: 48000, FrameRate: timecode.Rate2997Drop}
	f.Fuzz(func(t *testing.T, b []byte) {
		got, err := ReadMarkers(b, p)
		for _, m := range got {
			if err != nil || m.At < 0 || m.Text == "" {
				t.Fatalf("%+v %v", m, err)
			}
		}
	})
}
