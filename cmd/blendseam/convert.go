package main

import (
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"blendseam/core/conform"
	"blendseam/interchange/adl"
	"blendseam/interchange/edl"
	"blendseam/interchange/otio"
	"blendseam/offline"
)

// convertCommand writes an edit in another format.
func convertCommand() *cobra.Command {
	var folder string
	c := &cobra.Command{
		Use: "convert IN OUT", Short: "Write an edit in another format, by the ending of OUT: .edl, .otio, .adl or .bundle.zip", Args: cobra.ExactArgs(2),
		Long: "IN is a bundle or an edit list. What the format does not hold is told, one line each. A bundle made of a list holds the\n" +
			"recordings that --media names.\n\nIt ends with status 2 where IN cannot be read.",
		RunE: func(c *cobra.Command, args []string) error {
			told := progress(c, args[0])
			defer told.end()
			ending := strings.ToLower(filepath.Ext(args[1]))
			if ending != ".edl" && ending != ".otio" && ending != ".adl" && ending != ".zip" {
				return ended{unreadable, fmt.Errorf("%s: edits are written as .edl, .otio, .adl or .bundle.zip", args[1])}
			}
			l, lost, d, err := readEdit(c, args[0], folder, ending, told)
			if d != nil {
				defer d.Close()
			}
			if err != nil {
				return ended{unreadable, err}
			}
			told.end()
			if ending == ".zip" {
				return writeOut(c, args[1], func(w io.Writer) error { return d.Save(c.Context(), w, d.Reel) })
			}
			text, cannot := edl.Write(l), edl.Cannot(l)
			if ending == ".adl" {
				text, cannot = adl.Write(l), adl.Cannot(l)
			}
			if ending == ".otio" {
				if text, err = otio.Write(l); err != nil {
					return err
				}
				cannot = otio.Cannot(l)
			}
			for _, n := range append(lost, cannot...) {
				fmt.Fprintln(c.ErrOrStderr(), n)
			}
			return writeOut(c, args[1], func(w io.Writer) error {
				_, err := w.Write(text)
				return err
			})
		},
	}
	c.Flags().StringVar(&folder, "media", "", "folder with the recordings of an edit list")
	return c
}

// readEdit reads a list as it is, or a document where there is one.
func readEdit(c *cobra.Command, in, folder, ending string, told *teller) (l conform.List, lost []string, d *offline.Document, err error) {
	if strings.EqualFold(filepath.Ext(in), ".zip") || ending == ".zip" {
		if d, err = offline.Open(c.Context(), in, folder, told.at); err != nil {
			return l, nil, nil, err
		}
		l, lost = d.List()
		return l, append(d.Notes, lost...), d, nil
	}
	text, err := os.ReadFile(in)
	if err != nil {
		return l, nil, nil, err
	}
	l, err = offline.ReadList(text, 48000)
	return l, nil, nil, err
}
