package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"blendseam/core/reel"
	"blendseam/core/seam"
	"blendseam/offline"
)

// Statuses that check ends with.
const (
	toMend     = 1
	unreadable = 2
)

// checkedFile is a file with what was found of it.
type checkedFile struct {
	File     string            `json:"file"`
	Reel     string            `json:"reel,omitempty"`
	Revision int64             `json:"revision,omitempty"`
	Error    string            `json:"error,omitempty"` // why it cannot be read
	Notes    []string          `json:"notes,omitempty"`
	Counts   map[string]int    `json:"counts,omitempty"` // of seams by verdict; accepted apart
	Seams    []offline.Checked `json:"seams,omitempty"`
}

// checkCommand judges the seams of files.
func checkCommand() *cobra.Command {
	var asJSON, asSARIF, all bool
	var folder, limitsFile string
	c := &cobra.Command{
		Use: "check FILE…", Short: "Judge every seam of bundles and edit lists", Args: cobra.MinimumNArgs(1),
		Long: "Judge every seam of bundles (.zip) and edit lists (EDL, OpenTimelineIO, AES31-3), as the bench does. No database is needed.\n\n" +
			"It ends with status 0 where nothing is to be mended, 1 where something is or media is missing, 2 where a file cannot be read.",
		Example: "  blendseam check reel.bundle.zip\n  blendseam check --json backups/*.zip | jq '.files[].counts'\n  blendseam check scene.edl --media recordings/",
		RunE: func(c *cobra.Command, files []string) error {
			limits, err := readLimits(limitsFile)
			if err != nil {
				return ended{unreadable, err}
			}
			status := 0
			var found []checkedFile
			for _, file := range files {
				one := checkedFile{File: file}
				if err := one.check(c, folder, limits); err != nil {
					if c.Context().Err() != nil {
						return c.Context().Err()
					}
					one.Error, status = err.Error(), unreadable
				} else if status == 0 && (one.Counts["mend"] > 0 || one.lacks()) {
					status = toMend
				}
				found = append(found, one)
			}
			out := c.OutOrStdout()
			switch {
			case asJSON:
				err = writeJSON(out, map[string]any{"files": found})
			case asSARIF:
				err = writeJSON(out, sarif(found))
			default:
				err = writeTable(out, found, all)
			}
			if err == nil && status != 0 {
				err = ended{status, nil}
			}
			return err
		},
	}
	c.Flags().BoolVar(&asJSON, "json", false, "all as JSON")
	c.Flags().BoolVar(&asSARIF, "sarif", false, "what asks for something as SARIF 2.1.0, for a checker of reports")
	c.Flags().BoolVar(&all, "all", false, "list seams that are fine as well")
	c.Flags().StringVar(&folder, "media", "", "folder with the recordings of an edit list")
	c.Flags().StringVar(&limitsFile, "limits", "", `JSON file of limits to hold against, such as {"room": {"hear": 3, "mend": 6}}`)
	c.MarkFlagsMutuallyExclusive("json", "sarif")
	return c
}

// lacks reports whether a seam could not be judged as its media is missing.
func (f *checkedFile) lacks() bool {
	return slices.ContainsFunc(f.Seams, func(s offline.Checked) bool { return s.What == "material" })
}

// check fills in what is found of a file.
func (f *checkedFile) check(c *cobra.Command, folder string, limits *reel.Tolerances) error {
	told := progress(c, f.File)
	defer told.end()
	d, err := offline.Open(c.Context(), f.File, folder, func(p float64) { told.at(p / 2) })
	if err != nil {
		var u *offline.Unreadable
		if errors.As(err, &u) {
			err = u.Why
		}
		return err
	}
	defer d.Close()
	f.Reel, f.Revision, f.Notes, f.Counts = d.Reel.Props.Name, d.Revision, d.Notes, map[string]int{}
	if f.Seams, err = d.Check(c.Context(), limits, func(p float64) { told.at(0.5 + p/2) }); err != nil {
		return err
	}
	for _, s := range f.Seams {
		if s.Accepted && s.Verdict != seam.Fine {
			f.Counts["accepted"]++
		} else {
			f.Counts[string(s.Verdict)]++
		}
	}
	return nil
}

// readLimits reads limits from a file; nil where none is named.
func readLimits(file string) (*reel.Tolerances, error) {
	if file == "" {
		return nil, nil
	}
	text, err := os.ReadFile(file)
	if err != nil {
		return nil, err
	}
	var out reel.Tolerances
	if err := json.Unmarshal(text, &out); err != nil {
		return nil, fmt.Errorf("%s: %w", file, err)
	}
	if err := out.Check(); err != nil {
		return nil, fmt.Errorf("%s: %w", file, err)
	}
	return &out, nil
}

func writeJSON(out io.Writer, what any) error {
	e := json.NewEncoder(out)
	e.SetIndent("", "  ")
	e.SetEscapeHTML(false)
	return e.Encode(what)
}

// writeTable writes what was found for people.
func writeTable(out io.Writer, found []checkedFile, all bool) error {
	for i, f := range found {
		if i > 0 {
			fmt.Fprintln(out)
		}
		if f.Error != "" {
			fmt.Fprintf(out, "%s: %s\n", f.File, f.Error)
			continue
		}
		fmt.Fprintf(out, "%s: %s, %s: %d to mend, %d to check, %d not known, %d accepted, %d fine\n", f.File, f.Reel, count(len(f.Seams), "seam"),
			f.Counts["mend"], f.Counts["check"], f.Counts["unknown"], f.Counts["accepted"], f.Counts["fine"])
		for _, n := range f.Notes {
			fmt.Fprintln(out, "  "+n)
		}
		w := tabwriter.NewWriter(out, 0, 0, 2, ' ', 0)
		for _, s := range f.Seams {
			if fine := s.Verdict == seam.Fine || s.Verdict == seam.Silent || s.Accepted; fine && !all {
				continue
			}
			verdict := string(s.Verdict)
			if s.Accepted {
				verdict = "accepted"
			}
			fmt.Fprintf(w, "  %s\t%s\t%s\t%s\t%s\n", verdict, s.Timecode, s.Track, s.Title, s.Why)
		}
		if err := w.Flush(); err != nil {
			return err
		}
	}
	return nil
}
