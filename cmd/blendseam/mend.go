package main

import (
	"fmt"
	"io"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"blendseam/core/seam"
	"blendseam/offline"
)

// mendCommand does what the sweep does, without a browser.
func mendCommand() *cobra.Command {
	var asJSON, dry bool
	var folder, out string
	c := &cobra.Command{
		Use: "mend FILE", Short: "Mend what can be: what the sweep of the bench proposes, into a new bundle", Args: cobra.ExactArgs(1),
		Long: "Does to every seam that asks for something what the sweep of the bench proposes, and writes the reel as a new bundle.\n" +
			"The file itself stays as it is. With --dry-run nothing is written.\n\nIt ends with status 1 where something is still to be mended, 2 where the file cannot be read.",
		Example: "  blendseam mend reel.bundle.zip --out mended.bundle.zip\n  blendseam mend scene.edl --media recordings/ --dry-run",
		RunE: func(c *cobra.Command, args []string) error {
			if out == "" && !dry {
				return ended{unreadable, fmt.Errorf("name the new bundle with --out, or look first with --dry-run")}
			}
			told := progress(c, args[0])
			defer told.end()
			d, err := offline.Open(c.Context(), args[0], folder, func(p float64) { told.at(p / 3) })
			if err != nil {
				return ended{unreadable, err}
			}
			defer d.Close()
			got, err := d.Mend(c.Context(), func(p float64) { told.at((1 + 2*p) / 3) })
			if err != nil {
				return err
			}
			told.end()
			if !dry {
				if err := writeOut(c, out, func(w io.Writer) error { return d.Save(c.Context(), w, got.Reel) }); err != nil {
					return err
				}
			}
			if asJSON {
				err = writeJSON(c.OutOrStdout(), map[string]any{"file": args[0], "out": out, "notes": d.Notes, "seams": got.Rows})
			} else {
				err = writeMended(c, got, d.Notes)
			}
			if err == nil && got.Left() > 0 {
				err = ended{toMend, nil}
			}
			return err
		},
	}
	c.Flags().BoolVar(&asJSON, "json", false, "all as JSON")
	c.Flags().BoolVar(&dry, "dry-run", false, "tell what would be done, and write nothing")
	c.Flags().StringVarP(&out, "out", "o", "", "the new bundle")
	c.Flags().StringVar(&folder, "media", "", "folder with the recordings of an edit list")
	return c
}

func writeMended(c *cobra.Command, got offline.Mended, notes []string) error {
	out := c.OutOrStdout()
	done := 0
	for _, r := range got.Rows {
		if r.Does != "" {
			done++
		}
	}
	fmt.Fprintf(out, "%s of %d mended, %d still to mend\n", count(done, "seam"), len(got.Rows), got.Left())
	for _, n := range notes {
		fmt.Fprintln(out, "  "+n)
	}
	w := tabwriter.NewWriter(out, 0, 0, 2, ' ', 0)
	for _, r := range got.Rows {
		after := seam.Verdict("–")
		if r.After != nil {
			after = *r.After
		}
		fmt.Fprintf(w, "  %s\t%s\t%s\t%s\t%s%s\n", r.Before, after, r.Timecode, r.Title, r.Does, r.Why)
	}
	return w.Flush()
}
