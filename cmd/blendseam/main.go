// Command blendseam is Blend Seam: a bench for the sound seams of a reel.
package main

import (
	"context"
	"fmt"
	"os"
	"os/signal"
	"syscall"

	"github.com/spf13/cobra"
)

func main() {
	// The first Ctrl-C ends the work in good order, a second one at once.
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM, syscall.SIGHUP)
	context.AfterFunc(ctx, stop)
	root := &cobra.Command{Use: "blendseam", Short: "A bench for the sound seams of a reel", SilenceUsage: true, SilenceErrors: true}
	root.AddCommand(serveCommand(), demoCommand(), databaseCommand(), renderCommand(), verifyCommand(), storageCommand())
	if err := root.ExecuteContext(ctx); err != nil {
		fmt.Fprintln(os.Stderr, "blendseam:", err)
		os.Exit(1)
	}
}
