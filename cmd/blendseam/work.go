package main

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"sync"
	"time"

	"github.com/spf13/cobra"

	"blendseam/store"
	"blendseam/work"
)

// silent tells nobody: servers tell of what the database holds.
type silent struct{}

func (silent) Tell(int64, string, any) {}
func (silent) TellAll(string, any)     {}

// workCommand works at jobs beside a server, or while none runs.
func workCommand() *cobra.Command {
	var data string
	var n int
	var lease time.Duration
	c := &cobra.Command{
		Use: "work", Short: "Work at jobs, such as exports, on the database and recordings of a server", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if n < 1 || n > 64 {
				return fmt.Errorf("--workers is a number from 1 to 64")
			}
			k, err := openKept(c.Context(), data)
			if err != nil {
				return err
			}
			defer k.close()
			if lease < 100*time.Millisecond || lease > time.Hour {
				return fmt.Errorf("--lease is from 100ms to 1h")
			}
			log := slog.New(slog.NewTextHandler(os.Stderr, nil))
			jobs := work.NewJobs(k.store, k.library, k.files, log, nil)
			crew := work.NewCrew()
			defer crew.Close()
			jobs.Imports(work.NewImports(crew, k.store, k.library, silent{}, log, func(store.Result) {}, func(string) {}))
			jobs.Lease = lease
			watch, end := context.WithCancel(c.Context())
			defer end()
			go k.store.Watch(watch, func(away bool) { log.Warn("the database", "away", away) })
			var all sync.WaitGroup
			for range n {
				all.Go(func() { jobs.Keep(c.Context()) })
			}
			fmt.Println("Working at jobs. Press Ctrl-C to stop.")
			all.Wait()
			return nil
		},
	}
	c.Flags().StringVar(&data, "data", defaultData(), "data folder")
	c.Flags().IntVar(&n, "workers", 2, "jobs that are worked at at a time")
	c.Flags().DurationVar(&lease, "lease", work.JobLease, "how long a worker that shows no sign keeps its job from others")
	return c
}
