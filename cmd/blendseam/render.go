package main

import (
	"fmt"
	"io"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/delivery"
	"blendseam/media/wav"
	"blendseam/offline"
)

// renderCommand writes a reel as a sound file without a browser.
func renderCommand() *cobra.Command {
	var data, folder string
	var bits int
	c := &cobra.Command{
		Use: "render REEL OUT", Short: "Write a reel as WAV, or as FLAC when OUT ends so; REEL is a bundle, an edit list or a number", Args: cobra.ExactArgs(2),
		Long: "REEL is a bundle (.zip), an edit list whose recordings --media names, or the number of a reel in the database, which\n" +
			"BLENDSEAM_DSN or --data names. OUT - writes WAV down a pipe.",
		RunE: func(c *cobra.Command, args []string) error {
			if _, err := strconv.ParseInt(args[0], 10, 64); err == nil {
				return renderKept(c, args, data, bits)
			}
			told := progress(c, args[0])
			defer told.end()
			d, err := offline.Open(c.Context(), args[0], folder, told.at)
			if err != nil {
				return ended{unreadable, err}
			}
			defer d.Close()
			told.end()
			for _, n := range d.Notes {
				fmt.Fprintln(c.ErrOrStderr(), n)
			}
			return renderTo(c, args[1], d.Reel, d.Sound(), bits)
		},
	}
	c.Flags().StringVar(&data, "data", defaultData(), "data folder")
	c.Flags().StringVar(&folder, "media", "", "folder with the recordings of an edit list")
	c.Flags().IntVar(&bits, "bits", 24, "16, 24 or 32 (float)")
	return c
}

// renderKept writes a reel of the database.
func renderKept(c *cobra.Command, args []string, data string, bits int) error {
	id, err := strconv.ParseInt(args[0], 10, 64)
	if err != nil {
		return fmt.Errorf("%q is not the number of a reel", args[0])
	}
	k, err := openKept(c.Context(), data)
	if err != nil {
		return err
	}
	defer k.close()
	v, err := k.store.Load(c.Context(), id)
	if err != nil {
		return err
	}
	return renderTo(c, args[1], v.Reel, func(src reel.Source) (sound.Reader, error) { return k.library.Sound(src, v.Reel.Props.SampleRate) }, bits)
}

// renderTo writes a reel to where out names.
func renderTo(c *cobra.Command, out string, r *reel.Reel, open mix.Open, bits int) error {
	p := r.Props
	m, err := mix.New(r, open, mix.Options{})
	if err != nil {
		return err
	}
	file := delivery.WAV
	if strings.EqualFold(filepath.Ext(out), ".flac") {
		file = delivery.FLAC
	}
	spec := delivery.Spec{To: r.Length(), Rate: p.SampleRate, Channels: 2, Bits: bits, File: file, Markers: r.Markers, Meta: wav.Meta{TimeReference: p.FrameRate.Sample(p.StartFrame, p.SampleRate), Description: p.Name}}
	if err := spec.Check(); err != nil {
		return err
	}
	exact, err := delivery.Exact(c.Context(), m, spec)
	if err != nil {
		return err
	}
	told := progress(c, filepath.Base(out))
	defer told.end()
	spec = spec.Telling(func(n int64) { told.at(float64(n) / float64(spec.To)) })
	return writeOut(c, out, func(w io.Writer) error { return delivery.Write(c.Context(), w, m, spec, exact) })
}
