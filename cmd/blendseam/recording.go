package main

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"text/tabwriter"
	"time"

	"github.com/spf13/cobra"

	"blendseam/offline"
)

// loudnessCommand measures sound files.
func loudnessCommand() *cobra.Command {
	var asJSON bool
	c := &cobra.Command{
		Use: "loudness FILE…", Short: "Measure the loudness and true peak of sound files; - reads one from a pipe", Args: cobra.MinimumNArgs(1),
		Long:    "Measures after ITU-R BS.1770-5, EBU Tech 3341 and 3342. It ends with status 2 where a file cannot be read.",
		Example: "  blendseam loudness mix.wav\n  blendseam render reel.bundle.zip - | blendseam loudness --json -",
		RunE: func(c *cobra.Command, files []string) error {
			type measured struct {
				File  string        `json:"file"`
				Error string        `json:"error,omitempty"`
				Loud  *offline.Loud `json:"loudness,omitempty"`
			}
			var all []measured
			status := 0
			for _, file := range files {
				one := measured{File: file}
				err := recorded(c, file, func(r *offline.Recording, told *teller) error {
					l, err := r.Loudness(c.Context(), told.at)
					one.Loud = &l
					return err
				})
				if c.Context().Err() != nil {
					return c.Context().Err()
				}
				if err != nil {
					one.Error, one.Loud, status = err.Error(), nil, unreadable
				}
				all = append(all, one)
			}
			out := c.OutOrStdout()
			if asJSON {
				if err := writeJSON(out, map[string]any{"files": all}); err != nil {
					return err
				}
			} else {
				w := tabwriter.NewWriter(out, 0, 0, 2, ' ', 0)
				for _, m := range all {
					if m.Loud == nil {
						fmt.Fprintf(w, "%s\t%s\n", m.File, m.Error)
						continue
					}
					l := m.Loud
					fmt.Fprintf(w, "%s\t%.1f LUFS\t%.1f LU\tmomentary %.1f\tshort-term %.1f\t%.1f dBTP\t%.1f s\n", m.File, l.Integrated, l.Range, l.Momentary, l.ShortTerm, l.TruePeak, l.Seconds)
				}
				if err := w.Flush(); err != nil {
					return err
				}
			}
			if status != 0 {
				return ended{status, nil}
			}
			return nil
		},
	}
	c.Flags().BoolVar(&asJSON, "json", false, "all as JSON")
	return c
}

// recorded opens a sound file and does something with it; progress is told meanwhile.
func recorded(c *cobra.Command, file string, do func(*offline.Recording, *teller) error) error {
	told := progress(c, file)
	defer told.end()
	r, err := offline.OpenRecording(c.Context(), file, c.InOrStdin())
	if err != nil {
		var u *offline.Unreadable
		if errors.As(err, &u) {
			return u.Why
		}
		return err
	}
	defer r.Close()
	return do(r, told)
}

// quietCommand finds stretches for room tone.
func quietCommand() *cobra.Command {
	var asJSON bool
	c := &cobra.Command{
		Use: "quiet FILE", Short: "List the stretches of a recording in which the room alone is heard, the best first", Args: cobra.ExactArgs(1),
		Long: "It ends with status 1 where there is none, 2 where the file cannot be read.",
		RunE: func(c *cobra.Command, args []string) error {
			type stretch struct {
				From  float64 `json:"from"` // seconds
				To    float64 `json:"to"`
				Level float64 `json:"level"` // dBFS
				Even  float64 `json:"even"`  // dB, spread of its level
			}
			all, floor := []stretch{}, 0.0
			err := recorded(c, args[0], func(r *offline.Recording, told *teller) error {
				found, err := r.Quiet(c.Context(), told.at)
				floor = found.Floor
				for _, q := range found.Quiet {
					all = append(all, stretch{float64(q.From) / float64(r.Rate), float64(q.To) / float64(r.Rate), q.Level, q.Even})
				}
				return err
			})
			if err != nil {
				return ended{unreadable, fmt.Errorf("%s: %w", args[0], err)}
			}
			if asJSON {
				err = writeJSON(c.OutOrStdout(), map[string]any{"file": args[0], "floor": floor, "quiet": all})
			} else {
				w := tabwriter.NewWriter(c.OutOrStdout(), 0, 0, 2, ' ', 0)
				for _, q := range all {
					fmt.Fprintf(w, "%.2f s\t%.2f s\t%.2f s long\t%.1f dBFS\teven to %.1f dB\n", q.From, q.To, q.To-q.From, q.Level, q.Even)
				}
				err = w.Flush()
			}
			if err == nil && len(all) == 0 {
				err = ended{toMend, nil}
			}
			return err
		},
	}
	c.Flags().BoolVar(&asJSON, "json", false, "all as JSON")
	return c
}

// toneCommand grows room tone.
func toneCommand() *cobra.Command {
	var from, to float64
	var seed int64
	c := &cobra.Command{
		Use: "tone FILE LENGTH OUT", Short: "Grow room tone of a length from a recording, such as 30s or 2m; OUT - writes it down a pipe", Args: cobra.ExactArgs(3),
		Example: "  blendseam tone take3.wav 45s tone.wav\n  blendseam tone take3.wav 2m tone.wav --from 12.5 --to 14.1",
		RunE: func(c *cobra.Command, args []string) error {
			seconds, err := lengthOf(args[1])
			if err != nil {
				return err
			}
			return recorded(c, args[0], func(r *offline.Recording, _ *teller) error {
				return writeOut(c, args[2], func(w io.Writer) error { return r.Grow(c.Context(), w, from, to, seconds, seed) })
			})
		},
	}
	c.Flags().Float64Var(&from, "from", 0, "second at which the stretch begins that it is grown of")
	c.Flags().Float64Var(&to, "to", 0, "second at which that ends; 0 takes the best quiet stretch")
	c.Flags().Int64Var(&seed, "seed", 1, "another number grows another")
	return c
}

// lengthOf reads a length: a number of seconds, or one with units.
func lengthOf(text string) (float64, error) {
	seconds, err := strconv.ParseFloat(text, 64)
	if err != nil {
		var d time.Duration
		if d, err = time.ParseDuration(text); err == nil {
			seconds = d.Seconds()
		}
	}
	if err != nil || !(seconds > 0 && seconds <= 24*3600) {
		return 0, fmt.Errorf("%q is no length; type seconds, or 45s, 2m30s, up to 24h", text)
	}
	return seconds, nil
}

// writeOut writes a file that appears once it is whole, or down a pipe.
func writeOut(c *cobra.Command, path string, write func(io.Writer) error) (err error) {
	if path == "-" {
		w := bufio.NewWriterSize(c.OutOrStdout(), 1<<20)
		if err := write(w); err != nil {
			return err
		}
		return w.Flush()
	}
	f, err := os.CreateTemp(filepath.Dir(path), "."+strings.TrimPrefix(filepath.Base(path), ".")+"-*.part")
	if err != nil {
		return err
	}
	defer func() {
		_ = f.Close()
		if err != nil {
			_ = os.Remove(f.Name())
		}
	}()
	w := bufio.NewWriterSize(f, 1<<20)
	if err = write(w); err == nil {
		err = w.Flush()
	}
	if err == nil {
		err = f.Sync()
	}
	if err == nil {
		err = os.Chmod(f.Name(), 0o644)
	}
	if err == nil {
		err = os.Rename(f.Name(), path)
	}
	return err
}
