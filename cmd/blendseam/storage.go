package main

import (
	"fmt"
	"time"

	"github.com/spf13/cobra"

	"blendseam/work"
)

// storageCommand says what takes how much, and removes what nothing needs.
func storageCommand() *cobra.Command {
	var data string
	var clean bool
	var keep int
	c := &cobra.Command{
		Use: "storage", Short: "Show what takes how much space; --clean removes what nothing needs", Args: cobra.NoArgs,
		Long: "Show what takes how much space.\n\nWhat a reel plays or lists, what a version holds and what undo could bring back is never removed. The server removes\n" +
			"the rest by itself once it is old enough; --clean does it now.",
		RunE: func(c *cobra.Command, _ []string) error {
			k, err := openKept(c.Context(), data)
			if err != nil {
				return err
			}
			defer k.close()
			out := c.OutOrStdout()
			if clean {
				done, err := work.Clean(c.Context(), k.store, k.library, keep)
				if err != nil {
					return err
				}
				for _, name := range done.Reels {
					fmt.Fprintf(out, "Deleted for good: the removed reel “%s”\n", name)
				}
				fmt.Fprintf(out, "%s that nothing needs deleted, %s\n", count(done.Recordings, "recording"), bytesText(done.Bytes))
				files, freed, err := work.CleanFiles(c.Context(), k.store, k.files)
				if err != nil {
					return err
				}
				fmt.Fprintf(out, "%s of exports whose time was over deleted, %s\n", count(files, "file"), bytesText(freed))
			}
			needed, err := k.store.Needed(c.Context(), work.OldEnough(keep, time.Now()))
			if err != nil {
				return err
			}
			u, err := k.library.Storage(needed)
			if err != nil {
				return err
			}
			db, err := k.store.Bytes(c.Context())
			if err != nil {
				return err
			}
			removed, err := k.store.Shelf(c.Context(), true)
			if err != nil {
				return err
			}
			exported, parts, exports := k.files.Bytes()
			for _, row := range []struct {
				what  string
				bytes int64
			}{
				{"Originals", u.Originals}, {"Working copies", u.Copies}, {"Overviews", u.Overviews}, {"Frames of pictures", u.Frames},
				{"Imports under way or stopped", u.Partial}, {"Database", db},
				{"Exports, kept for " + count(int(k.files.Days), "day"), exported}, {"Exports under way or stopped", parts},
			} {
				fmt.Fprintf(out, "%-32s %10s\n", row.what, bytesText(row.bytes))
			}
			fmt.Fprintf(out, "%s; %d of them, %s, needed by no reel, version or step\n", count(u.Recordings, "recording"), u.UnusedCount, bytesText(u.Unused))
			if exports > 0 {
				fmt.Fprintf(out, "%s of exports that can be downloaded\n", count(exports, "file"))
			}
			if len(removed) > 0 {
				fmt.Fprintf(out, "%s removed and not deleted yet\n", count(len(removed), "reel"))
			}
			return nil
		},
	}
	c.Flags().StringVar(&data, "data", defaultData(), "data folder")
	c.Flags().BoolVar(&clean, "clean", false, "remove what nothing needs, now")
	c.Flags().IntVar(&keep, "keep-removed", keepRemoved, "days that removed reels, and recordings that nothing needs, are kept; 0 keeps them for ever")
	return c
}

func bytesText(n int64) string {
	switch {
	case n >= 1<<30:
		return fmt.Sprintf("%.1f GB", float64(n)/(1<<30))
	case n >= 1<<20:
		return fmt.Sprintf("%.1f MB", float64(n)/(1<<20))
	}
	return fmt.Sprintf("%.1f kB", float64(n)/(1<<10))
}
