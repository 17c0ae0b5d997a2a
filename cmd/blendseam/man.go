package main

import (
	"errors"
	"fmt"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/cobra/doc"
)

// manCommand prints what the commands say of themselves as manual pages.
func manCommand() *cobra.Command {
	var dir string
	cmd := &cobra.Command{
		Use: "man [command]", Short: "Print the manual page of a command, or of all", Args: cobra.MaximumNArgs(1),
		Long:    "Prints the manual page of a command, or of blendseam itself, made from the same text as --help. With --to all of them are written into a folder, for man to find.",
		Example: "  blendseam man check | man -l -\n  blendseam man --to ~/.local/share/man/man1",
		RunE: func(cmd *cobra.Command, args []string) error {
			root := cmd.Root()
			root.DisableAutoGenTag = true
			now := time.Now()
			head := func(of *cobra.Command) *doc.GenManHeader {
				return &doc.GenManHeader{Title: strings.ToUpper(strings.ReplaceAll(of.CommandPath(), " ", "-")), Section: "1", Source: "Blend Seam", Manual: "Blend Seam", Date: &now}
			}
			if dir != "" {
				if len(args) > 0 {
					return errors.New("either a command is named or a folder for all; leave one out")
				}
				if err := os.MkdirAll(dir, 0o755); err != nil {
					return err
				}
				return doc.GenManTreeFromOpts(root, doc.GenManTreeOptions{Header: &doc.GenManHeader{Section: "1", Source: "Blend Seam", Manual: "Blend Seam", Date: &now}, Path: dir, CommandSeparator: "-"})
			}
			of := root
			if len(args) > 0 {
				found, _, err := root.Find(args)
				if err != nil || found == root {
					return fmt.Errorf("there is no command %q; blendseam --help lists them", args[0])
				}
				of = found
			}
			return doc.GenMan(of, head(of), cmd.OutOrStdout())
		},
	}
	cmd.Flags().StringVar(&dir, "to", "", "folder that all pages are written into")
	return cmd
}
