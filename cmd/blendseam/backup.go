package main

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"blendseam/delivery"
	"blendseam/interchange/bundle"
	"blendseam/store"
	"blendseam/work"
)

// backupCommand writes all reels as bundles.
func backupCommand() *cobra.Command {
	var data string
	c := &cobra.Command{
		Use: "backup FOLDER", Short: "Write every reel with its sound, history and versions as a bundle into a folder", Args: cobra.ExactArgs(1),
		Long: "Writes every reel as a bundle into a folder, each at one revision, while they may be worked on. A bundle takes the place of\n" +
			"the one that an earlier backup wrote only once it is whole. Open one on the shelf, or with blendseam check.",
		RunE: func(c *cobra.Command, args []string) error {
			if err := os.MkdirAll(args[0], 0o755); err != nil {
				return err
			}
			k, err := openKept(c.Context(), data)
			if err != nil {
				return err
			}
			defer k.close()
			reels, err := k.store.Shelf(c.Context(), false)
			if err != nil {
				return err
			}
			x := &work.Bundles{Store: k.store, Library: k.library, Files: k.files}
			for _, r := range reels {
				name := fmt.Sprintf("%s (%d).bundle.zip", delivery.PlainName(r.Props.Name), r.ID)
				err := backUp(c, x, r.ID, filepath.Join(args[0], name))
				if errors.Is(err, store.ErrNoReel) {
					continue // it was removed meanwhile
				}
				if err != nil {
					return fmt.Errorf("%s: %w", r.Props.Name, err)
				}
			}
			return nil
		},
	}
	c.Flags().StringVar(&data, "data", defaultData(), "data folder")
	return c
}

// backUp writes one reel.
func backUp(c *cobra.Command, x *work.Bundles, id int64, path string) error {
	told := progress(c, filepath.Base(path))
	defer told.end()
	var index bundle.Index
	err := writeOut(c, path, func(w io.Writer) (err error) {
		index, err = x.Write(c.Context(), w, id, work.BundleSettings{History: true, Versions: true}, told.at)
		return err
	})
	if err != nil {
		return err
	}
	told.end()
	fmt.Fprintf(c.OutOrStdout(), "%s: revision %d, %s\n", path, index.Revision, count(len(index.Recordings), "recording"))
	for _, name := range index.Lacking {
		fmt.Fprintf(c.OutOrStdout(), "  without “%s”: it is not in the library\n", name)
	}
	return nil
}
