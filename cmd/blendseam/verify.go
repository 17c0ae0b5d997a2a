package main

import (
	"context"
	"errors"
	"fmt"
	"io"

	"github.com/spf13/cobra"

	"blendseam/media"
	"blendseam/store"
)

// verifyCommand looks whether everything that is kept is as it was kept.
func verifyCommand() *cobra.Command {
	var data string
	var repair bool
	c := &cobra.Command{
		Use: "verify", Short: "Check all reels against their journal, and all recordings against their checksums", Args: cobra.NoArgs,
		Long: "Check all reels and recordings.\n\nEach reel is made again from nothing by its journal and compared with the tables; its rules, its line of undo and\n" +
			"redo and its versions are checked. Each recording is read whole and compared with its checksum. With --repair, reels\n" +
			"are brought to what their journal says and recordings are made again from their originals.\n\nIt can run beside the server. It ends with status 1 when something is wrong that was not repaired.",
		RunE: func(c *cobra.Command, _ []string) error {
			k, err := openKept(c.Context(), data)
			if err != nil {
				return err
			}
			defer k.close()
			wrong, err := verify(c.Context(), c.OutOrStdout(), k, repair)
			if err == nil && wrong > 0 {
				err = fmt.Errorf("%s found that is not repaired", count(wrong, "fault"))
			}
			return err
		},
	}
	c.Flags().StringVar(&data, "data", defaultData(), "data folder")
	c.Flags().BoolVar(&repair, "repair", false, "repair what can be")
	return c
}

func count(n int, one string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %ss", n, one)
}

// verify tells what is wrong and gives how much of it was not repaired.
func verify(ctx context.Context, out io.Writer, k *kept, repair bool) (wrong int, err error) {
	ids, err := k.store.Reels(ctx)
	if err != nil {
		return 0, err
	}
	named := map[string]bool{}
	err = k.store.Verify(ctx, repair, func(f store.Finding) {
		end := ""
		if f.Mended {
			end = " Repaired."
		} else {
			wrong++
		}
		fmt.Fprintf(out, "Reel %d “%s”: %s.%s\n", f.Reel, f.Name, f.What, end)
	})
	if err != nil {
		return wrong, err
	}
	parts, err := k.library.Parts()
	if err != nil {
		return wrong, err
	}
	there := map[string]bool{}
	for _, p := range parts {
		there[p.Hash] = true
		kind := fmt.Sprintf("working copy at %d Hz", p.Rate)
		if p.Rate == 0 {
			kind = "frames"
		}
		err := k.library.Check(ctx, p)
		var d *media.Damaged
		if !errors.As(err, &d) {
			if err != nil {
				return wrong, err
			}
			continue
		}
		fmt.Fprintf(out, "Recording %s, %s: %s.", p.Hash[:12], kind, d.What)
		if repair {
			if err := k.library.Remake(ctx, p, p.Hash[:12]); err == nil {
				fmt.Fprintln(out, " Made again from its original.")
				continue
			} else if ctx.Err() != nil {
				return wrong, ctx.Err()
			}
			fmt.Fprint(out, " Its original is damaged too: import the file again.")
		}
		fmt.Fprintln(out)
		wrong++
	}
	for hash := range there {
		if err := k.library.CheckOriginal(ctx, hash); err != nil {
			if ctx.Err() != nil {
				return wrong, ctx.Err()
			}
			fmt.Fprintf(out, "Recording %s: %v. Import the file again to have it whole.\n", hash[:12], err)
			wrong++
		}
	}
	for _, id := range ids {
		v, err := k.store.Anew(ctx, id)
		if err != nil {
			continue
		}
		for _, src := range v.Reel.Sources {
			if src.Recording != "" && !there[src.Recording] && media.IsHash(src.Recording) && !named[src.Recording] && len(v.Reel.UsedBy(src.ID)) > 0 {
				named[src.Recording] = true
				fmt.Fprintf(out, "Reel %d “%s”: the recording of “%s” is not in the library. Import the file again.\n", id, v.Reel.Props.Name, src.Name)
				wrong++
			}
		}
	}
	fmt.Fprintf(out, "%s and %s were checked.\n", count(len(ids), "reel"), count(len(there), "recording"))
	return wrong, nil
}
