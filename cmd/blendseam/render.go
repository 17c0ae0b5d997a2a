package main

import (
	"bufio"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/delivery"
	"blendseam/media/wav"
)

// renderCommand writes a reel as WAV without a browser.
func renderCommand() *cobra.Command {
	var data string
	var bits int
	c := &cobra.Command{
		Use: "render REEL OUT", Short: "Write a reel as WAV, or as FLAC when OUT ends so; REEL is its number, BLENDSEAM_DSN names the database", Args: cobra.ExactArgs(2),
		RunE: func(c *cobra.Command, args []string) (err error) {
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
			p := v.Reel.Props
			m, err := mix.New(v.Reel, func(src reel.Source) (sound.Reader, error) { return k.library.Sound(src, p.SampleRate) }, mix.Options{})
			if err != nil {
				return err
			}
			file := delivery.WAV
			if strings.EqualFold(filepath.Ext(args[1]), ".flac") {
				file = delivery.FLAC
			}
			spec := delivery.Spec{To: v.Reel.Length(), Rate: p.SampleRate, Channels: 2, Bits: bits, File: file, Meta: wav.Meta{TimeReference: p.FrameRate.Sample(p.StartFrame, p.SampleRate), Description: p.Name}}
			if err := spec.Check(); err != nil {
				return err
			}
			exact, err := delivery.Exact(c.Context(), m, spec)
			if err != nil {
				return err
			}
			f, err := os.Create(args[1])
			if err != nil {
				return err
			}
			defer func() {
				if cerr := f.Close(); err == nil {
					err = cerr
				}
			}()
			w := bufio.NewWriterSize(f, 1<<20)
			if err := delivery.Write(c.Context(), w, m, spec, exact); err != nil {
				return err
			}
			return w.Flush()
		},
	}
	c.Flags().StringVar(&data, "data", defaultData(), "data folder")
	c.Flags().IntVar(&bits, "bits", 24, "16, 24 or 32 (float)")
	return c
}
