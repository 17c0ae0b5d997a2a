// Command blendseam is Blend Seam: a bench for the sound seams of a reel.
package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"runtime/debug"
	"strings"
	"syscall"

	"github.com/spf13/cobra"
)

func main() {
	// The first Ctrl-C ends the work in good order, a second one at once.
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM, syscall.SIGHUP)
	context.AfterFunc(ctx, stop)
	root := &cobra.Command{Use: "blendseam", Short: "A bench for the sound seams of a reel", SilenceUsage: true, SilenceErrors: true, Version: version()}
	root.AddCommand(serveCommand(), demoCommand(), databaseCommand(), renderCommand(), workCommand(), verifyCommand(), storageCommand(), describeCommand(), checkCommand(), mendCommand(), backupCommand(), loudnessCommand(), quietCommand(), toneCommand(), convertCommand(), manCommand())
	if err := root.ExecuteContext(ctx); err != nil {
		var end ended
		if !errors.As(err, &end) {
			end = ended{1, err}
		}
		if end.why != nil {
			fmt.Fprintln(os.Stderr, "blendseam:", end.why)
		}
		os.Exit(end.status)
	}
}

// ended is how a command ends that has more to tell than whether it failed.
type ended struct {
	status int
	why    error // nil where all is said
}

func (e ended) Error() string {
	if e.why == nil {
		return fmt.Sprint("status ", e.status)
	}
	return e.why.Error()
}

// version is what the binary was built from: the module's version, or the
// revision of the sources and whether they were changed since.
func version() string {
	info, ok := debug.ReadBuildInfo()
	if !ok {
		return "unknown"
	}
	out := info.Main.Version
	if out == "" || out == "(devel)" {
		out = "unreleased"
	}
	for _, s := range info.Settings {
		switch {
		case s.Key == "vcs.revision" && out == "unreleased":
			out += " " + s.Value[:min(len(s.Value), 12)]
		case s.Key == "vcs.modified" && s.Value == "true" && !strings.Contains(out, "dirty"):
			out += ", changed since"
		}
	}
	return out + " (" + info.GoVersion + ")"
}
