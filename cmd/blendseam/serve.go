package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"blendseam/dbserver"
	"blendseam/demo"
	"blendseam/media"
	"blendseam/server"
	"blendseam/store"
	"blendseam/web"
	"blendseam/work"
)

// options say where a server keeps its things and where it listens.
type options struct {
	dsn    string
	data   string
	listen string
	hosts  []string
	limit  int64
	demo   bool
	open   bool // to the network, without a login
	keep   int  // days that removed reels are kept
	jobs   int  // that are worked at here at a time
	lease  time.Duration
	log    string
	dev    bool // read pages, styles and scripts from web/ as they are asked for
}

func (o *options) flags(c *cobra.Command) {
	c.Flags().StringVar(&o.data, "data", defaultData(), "folder for recordings, and for the database when a private one is used")
	c.Flags().StringVar(&o.listen, "listen", "127.0.0.1:0", "address to listen on; port 0 is any free one")
	c.Flags().StringSliceVar(&o.hosts, "host", nil, "names, besides those of loopback, that requests may be for")
	c.Flags().Int64Var(&o.limit, "upload-limit", media.DefaultLimit, "bytes of the largest file imported")
	c.Flags().BoolVar(&o.open, "open-to-network", false, "listen on other addresses than loopback although there is no login: anyone who reaches it can read and change everything")
	c.Flags().IntVar(&o.keep, "keep-removed", keepRemoved, "days that removed reels, and recordings that nothing needs, are kept; 0 keeps them for ever")
	c.Flags().IntVar(&o.jobs, "workers", 2, "jobs, such as exports, that are worked at here at a time; 0 leaves them to blendseam work")
	c.Flags().DurationVar(&o.lease, "lease", work.JobLease, "how long a worker that shows no sign keeps its job from others")
	c.Flags().StringVar(&o.log, "log", "info", "what is written down: debug has every request, info what changes something, warn what went wrong")
	c.Flags().BoolVar(&o.dev, "dev", false, "for developers: read web/ from the current folder, so that a change is seen by reloading")
}

// keepRemoved is how many days removed reels are kept unless set otherwise.
const keepRemoved = 30

// defaultData is a folder for each user, so that root and others can run beside
// each other.
func defaultData() string { return filepath.Join("var", fmt.Sprintf("user%d", os.Getuid())) }

func serveCommand() *cobra.Command {
	var o options
	c := &cobra.Command{
		Use: "serve", Short: "Serve the application",
		Long: "Serve the application.\n\nBLENDSEAM_DSN names the MariaDB to use, as user:password@tcp(host:port)/database.\nWithout it a private one is started on loopback in the data folder.",
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error { return serve(c.Context(), o) },
	}
	o.flags(c)
	return c
}

func demoCommand() *cobra.Command {
	o := options{demo: true}
	c := &cobra.Command{
		Use: "demo", Short: "Serve the application with the demo reel on the shelf", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error { return serve(c.Context(), o) },
	}
	o.flags(c)
	return c
}

// exposed reports whether an address can be reached from other machines.
func exposed(listen string) (bool, error) {
	host, _, err := net.SplitHostPort(listen)
	if err != nil {
		return false, fmt.Errorf("%q is not an address to listen on: %w", listen, err)
	}
	if host == "localhost" {
		return false, nil
	}
	ip := net.ParseIP(host)
	return ip == nil || !ip.IsLoopback(), nil
}

func serve(ctx context.Context, o options) error {
	var level slog.Level
	if err := level.UnmarshalText([]byte(o.log)); err != nil {
		return fmt.Errorf("--log is debug, info, warn or error: %w", err)
	}
	log := slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: level}))
	slog.SetDefault(log)
	wide, err := exposed(o.listen)
	if err != nil {
		return err
	}
	if wide && !o.open {
		return fmt.Errorf("%s can be reached from other machines, and there is no login. Listen on 127.0.0.1, or give --open-to-network to let anyone who reaches it read and change everything", o.listen)
	}
	if o.lease < 100*time.Millisecond || o.lease > time.Hour {
		return errors.New("--lease is from 100ms to 1h")
	}
	if o.jobs < 0 || o.jobs > 64 {
		return errors.New("--workers is a number from 0 to 64")
	}
	if o.keep < 0 {
		return errors.New("--keep-removed is a number of days, 0 for ever")
	}
	o.dsn = os.Getenv("BLENDSEAM_DSN")
	if o.dsn == "" {
		db, dir, err := privateDatabase(ctx, o.data)
		if err != nil {
			return err
		}
		defer db.Stop()
		db.Watch(func(text string) { log.Warn(text) })
		o.data, o.dsn = dir, db.DSN("blendseam")
	}
	// A mark that is there although nobody serves was left by an end that was
	// none of ours: all is looked through.
	unclean, clean, err := markRunning(o.data)
	if err != nil {
		return err
	}
	defer clean()
	st, err := store.Open(ctx, o.dsn)
	if err != nil {
		return err
	}
	defer st.Close()
	library, err := media.OpenLibrary(filepath.Join(o.data, "recordings"))
	if err != nil {
		return err
	}
	defer library.Close()
	library.Limit = o.limit
	files, err := work.OpenFiles(filepath.Join(o.data, "exports"))
	if err != nil {
		return err
	}
	if o.demo {
		err := demo.Load(ctx, st, library)
		if err == nil {
			err = demo.LoadPicture(ctx, st, library)
		}
		if err == nil {
			err = demo.LoadHive(ctx, st, library)
		}
		if err != nil {
			return err
		}
	}
	site, err := openSite(o.dev)
	if err != nil {
		return err
	}
	s, err := server.New(server.Config{Site: site, Store: st, Library: library, Log: log, Hosts: o.hosts, Open: wide, RemovedDays: o.keep, Workers: o.jobs, Lease: o.lease, Files: files})
	if err != nil {
		return err
	}
	defer s.Close()
	if unclean {
		log.Info("the last run did not end in good order; reels and recordings are looked through in the background")
		s.CheckInBackground()
	}
	s.KeepHouse()
	l, err := net.Listen("tcp", o.listen)
	if err != nil {
		return fmt.Errorf("cannot listen on %s: %w", o.listen, err)
	}
	front := &http.Server{Handler: s.Handler(), ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute, MaxHeaderBytes: 1 << 16, ErrorLog: slog.NewLogLogger(log.Handler(), slog.LevelDebug)}
	done := make(chan error, 1)
	go func() { done <- front.Serve(l) }()
	fmt.Printf("Blend Seam is at http://%s\n", l.Addr())
	if o.demo {
		fmt.Println("Press Ctrl-C to stop it and all that it started.")
	}
	select {
	case err = <-done:
	case <-ctx.Done():
		s.Close() // ends event streams and imports, which would hold the shutdown up
		last, cancel := context.WithTimeout(context.Background(), 10*time.Second)
		defer cancel()
		err = front.Shutdown(last)
	}
	if errors.Is(err, http.ErrServerClosed) {
		err = nil
	}
	return err
}

// openSite is what browsers get: what ships in the binary or, for developers,
// the folder web/ as it is.
func openSite(dev bool) (*web.Site, error) {
	if !dev {
		return web.Shipped()
	}
	site, err := web.Open(os.DirFS("web"), true)
	if err != nil {
		return nil, fmt.Errorf("--dev needs the folder web/ of the sources: %w", err)
	}
	return site, nil
}

// markRunning leaves a mark in the data folder for as long as this process
// serves, and tells whether one was there that nobody holds.
func markRunning(data string) (unclean bool, clean func(), err error) {
	if err := os.MkdirAll(data, 0o700); err != nil {
		return false, nil, err
	}
	dir := filepath.Join(data, "running")
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return false, nil, err
	}
	marks, err := os.ReadDir(dir)
	if err != nil {
		return false, nil, err
	}
	for _, m := range marks {
		path := filepath.Join(dir, m.Name())
		f, err := os.OpenFile(path, os.O_RDWR, 0o600)
		if err != nil {
			continue
		}
		if syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB) == nil {
			unclean = true
			_ = os.Remove(path)
		}
		_ = f.Close()
	}
	f, err := os.CreateTemp(dir, "pid-*")
	if err != nil {
		return false, nil, err
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX); err != nil {
		return false, nil, err
	}
	return unclean, func() {
		_ = os.Remove(f.Name())
		_ = f.Close()
	}, nil
}

// privateDatabase starts MariaDB in the data folder, or, when another server
// works there, in a folder beside it.
func privateDatabase(ctx context.Context, data string) (*dbserver.Server, string, error) {
	for n := 1; n < 10; n++ {
		dir := data
		if n > 1 {
			dir = fmt.Sprintf("%s-%d", data, n)
		}
		db, err := dbserver.Start(ctx, filepath.Join(dir, "mariadb"))
		if errors.Is(err, dbserver.ErrBusy) {
			continue
		}
		return db, dir, err
	}
	return nil, "", fmt.Errorf("nine servers work beside %s already: %w", data, dbserver.ErrBusy)
}
