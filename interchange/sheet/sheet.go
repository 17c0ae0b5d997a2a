// Package sheet writes what is told of a reel as tables: for paper, and as CSV (RFC
// 4180) for spreadsheets; and reads markers from CSV.
package sheet

import (
	"encoding/csv"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"
	"time"

	"blendseam/core/reel"
)

// Table is a sheet: its columns by name, and its rows.
type Table struct {
	Title string
	Head  []string
	Rows  [][]string
}

// Write writes a table as CSV. A cell that a spreadsheet would take as a formula begins
// with an apostrophe.
func (t Table) Write(w io.Writer) error {
	out := csv.NewWriter(w)
	out.UseCRLF = true
	for _, row := range append([][]string{t.Head}, t.Rows...) {
		own := slices.Clone(row)
		for i, cell := range own {
			if cell != "" && strings.ContainsAny(cell[:1], "=@\t\r") || len(cell) > 1 && strings.ContainsAny(cell[:1], "+-") && strings.ContainsAny(cell, "(!|") {
				own[i] = "'" + cell
			}
		}
		if err := out.Write(own); err != nil {
			return err
		}
	}
	out.Flush()
	return out.Error()
}

// code is the timecode of a place in the reel.
func code(p reel.Props, at int64) string {
	return p.FrameRate.Format(p.StartFrame + p.FrameRate.Frame(at, p.SampleRate))
}

// seconds writes a length.
func seconds(p reel.Props, n int64) string {
	return fmt.Sprintf("%.3f", float64(n)/float64(p.SampleRate))
}

// Cues is the cue sheet: one row a clip, by track and time.
func Cues(r *reel.Reel) Table {
	p := r.Props
	t := Table{Title: "Cue sheet", Head: []string{"Track", "No", "Clip", "Source", "In", "Out", "Length, s", "Source in", "Gain, dB", "Begins", "Ends"}}
	for _, track := range r.Order() {
		for i, c := range r.OnTrack(track.ID) {
			src, _ := r.Source(c.Source)
			in := seconds(p, c.Offset) + " s"
			if src.StartTC >= 0 {
				in = p.FrameRate.Format(p.FrameRate.Frame(src.StartTC+c.Offset, p.SampleRate))
			}
			t.Rows = append(t.Rows, []string{
				track.Name, fmt.Sprint(i + 1), c.Name, src.Name, code(p, c.Start), code(p, c.End()), seconds(p, c.Length), in, decibels(c.GainDB), begins(r, c), ends(r, c),
			})
		}
	}
	return t
}

func decibels(db float64) string {
	if db == 0 {
		return "0"
	}
	if math.IsInf(db, -1) {
		return "−∞"
	}
	return fmt.Sprintf("%+.1f", db)
}

// begins tells how a clip begins.
func begins(r *reel.Reel, c reel.Clip) string {
	head, _ := r.BlendAt(c.ID)
	switch {
	case head.ID != 0:
		return fmt.Sprintf("blend %s s", seconds(r.Props, head.Length()))
	case c.FadeIn.Length > 0:
		return fmt.Sprintf("fade %s s", seconds(r.Props, c.FadeIn.Length))
	}
	return "cut"
}

func ends(r *reel.Reel, c reel.Clip) string {
	_, tail := r.BlendAt(c.ID)
	switch {
	case tail.ID != 0:
		return fmt.Sprintf("blend %s s", seconds(r.Props, tail.Length()))
	case c.FadeOut.Length > 0:
		return fmt.Sprintf("fade %s s", seconds(r.Props, c.FadeOut.Length))
	}
	return "cut"
}

// Seam is a seam as the report tells it.
type Seam struct {
	At                   int64
	Track, Clips         string
	Verdict, Brief, Says string
	Blend                string
	Done                 string    // the last edit of its clips, in words
	When                 time.Time // that was made
}

// Seams is the seam report: every seam with its verdict, by time.
func Seams(p reel.Props, seams []Seam) Table {
	t := Table{Title: "Seam report", Head: []string{"Timecode", "Track", "Seam", "Verdict", "In brief", "Why", "Blend", "Last edit", "When (UTC)"}}
	for _, s := range seams {
		when := ""
		if !s.When.IsZero() {
			when = s.When.UTC().Format("2006-01-02 15:04")
		}
		t.Rows = append(t.Rows, []string{code(p, s.At), s.Track, s.Clips, s.Verdict, s.Brief, s.Says, s.Blend, s.Done, when})
	}
	return t
}

// Markers are the markers of a reel.
func Markers(r *reel.Reel) Table {
	t := Table{Title: "Markers", Head: []string{"Timecode", "Sample", "Text"}}
	sorted := slices.Clone(r.Markers)
	slices.SortStableFunc(sorted, func(a, b reel.Marker) int { return int(min(max(a.At-b.At, -1), 1)) })
	for _, m := range sorted {
		t.Rows = append(t.Rows, []string{code(r.Props, m.At), fmt.Sprint(m.At), m.Text})
	}
	return t
}

// Swatches are the stretches that room tone is grown of.
func Swatches(r *reel.Reel) Table {
	t := Table{Title: "Swatches", Head: []string{"Name", "Source", "From, s", "To, s"}}
	for _, w := range r.Swatches {
		src, _ := r.Source(w.Source)
		t.Rows = append(t.Rows, []string{w.Name, src.Name, seconds(r.Props, w.From), seconds(r.Props, w.To)})
	}
	return t
}
