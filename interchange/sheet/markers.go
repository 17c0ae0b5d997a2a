package sheet

import (
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"regexp"
	"strconv"
	"strings"
	"unicode/utf8"

	"blendseam/core/reel"
)

// MostMarkers and MostBytes bound what is read.
const (
	MostMarkers = 2000
	MostBytes   = 4 << 20
)

var timecoded = regexp.MustCompile(`^\d{1,2}[:.;,]\d{1,2}[:.;,]\d{1,2}[:.;,]\d{1,3}$`)

// ReadMarkers reads markers from CSV, whatever its separator: comma, semicolon or tab. A
// row has its place as a timecode of the reel, or in a column called Sample, or as
// seconds from the start, and its text. A first row without a place names the columns.
func ReadMarkers(text []byte, p reel.Props) ([]reel.Marker, error) {
	if len(text) > MostBytes {
		return nil, errors.New("it is larger than 4 MB")
	}
	s := strings.TrimPrefix(string(text), "\ufeff")
	if !utf8.ValidString(s) { // Latin-1
		out := make([]rune, 0, len(text))
		for _, c := range text {
			out = append(out, rune(c))
		}
		s = string(out)
	}
	in := csv.NewReader(strings.NewReader(s))
	in.Comma, in.FieldsPerRecord, in.LazyQuotes, in.TrimLeadingSpace = separator(s), -1, true, true
	var out []reel.Marker
	sample := -1 // column
	for {
		row, err := in.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, fmt.Errorf("it is no CSV that can be read: %w", err)
		}
		line, _ := in.FieldPos(0)
		at, used, ok := placeOf(row, sample, p)
		if !ok {
			if line == 1 || len(out) == 0 && sample < 0 {
				for i, cell := range row {
					if strings.EqualFold(strings.TrimSpace(cell), "sample") {
						sample = i
					}
				}
				continue
			}
			if strings.TrimSpace(strings.Join(row, "")) == "" {
				continue
			}
			return nil, fmt.Errorf("line %d has no place: a timecode such as 01:00:05:12, or seconds from the start", line)
		}
		if at < 0 || at > reel.MaxHours*3600*int64(p.SampleRate) {
			return nil, fmt.Errorf("line %d lies before the start of the reel, which is %s", line, code(p, 0))
		}
		if len(out) == MostMarkers {
			return nil, fmt.Errorf("it has more than %d markers", MostMarkers)
		}
		out = append(out, reel.Marker{At: at, Text: textOf(row, used)})
	}
	if len(out) == 0 {
		return nil, errors.New("no marker can be found in it. Each line has a place and a text, such as 01:00:05:12,Door")
	}
	return out, nil
}

// separator is what stands between the cells: what is most often in the first lines.
func separator(s string) rune {
	head := s[:min(len(s), 4096)]
	best, most := ',', 0
	for _, c := range []rune{';', '\t', ','} {
		if n := strings.Count(head, string(c)); n > most {
			best, most = c, n
		}
	}
	return best
}

// placeOf finds the place of a row, and the cells that tell it.
func placeOf(row []string, sample int, p reel.Props) (at int64, used map[int]bool, ok bool) {
	used = map[int]bool{}
	exact := false
	if sample >= 0 && sample < len(row) {
		if n, err := strconv.ParseInt(strings.TrimSpace(row[sample]), 10, 64); err == nil {
			at, exact, ok = n, true, true
			used[sample] = true
		}
	}
	for i, cell := range row {
		cell = strings.TrimSpace(cell)
		if !timecoded.MatchString(cell) {
			continue
		}
		sep := regexp.MustCompile(`[:.;,]`).Split(cell, 4)
		n, err := p.FrameRate.Parse(fmt.Sprintf("%02s:%02s:%02s:%02s", sep[0], sep[1], sep[2], sep[3]))
		if err != nil {
			continue
		}
		used[i] = true
		if !exact {
			at, ok = p.FrameRate.Sample(n-p.StartFrame, p.SampleRate), true
		}
		return at, used, true
	}
	if ok {
		return at, used, true
	}
	// Seconds, with a point or the comma of other countries.
	if len(row) > 0 {
		v, err := strconv.ParseFloat(strings.ReplaceAll(strings.TrimSpace(row[0]), ",", "."), 64)
		if err == nil && v >= 0 && v < reel.MaxHours*3600 {
			return int64(v*float64(p.SampleRate) + 0.5), map[int]bool{0: true}, true
		}
	}
	return 0, nil, false
}

// textOf is what a row says beside its place.
func textOf(row []string, used map[int]bool) string {
	var out []string
	for i, cell := range row {
		if cell = strings.TrimSpace(strings.TrimPrefix(cell, "'")); !used[i] && cell != "" {
			out = append(out, cell)
		}
	}
	if len(out) == 0 {
		return "marker"
	}
	return strings.Join(out, " · ")
}
