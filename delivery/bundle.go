package delivery

import (
	"archive/zip"
	"bufio"
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"sync"

	"blendseam/core/mix"
)

// Telling is a spec whose writing tells how many samples are written so far.
func (s Spec) Telling(told func(int64)) Spec {
	s.told = told
	return s
}

// Bundle writes parts as the files of a ZIP archive, one after the other, without
// packing them: sound does not get smaller so.
func Bundle(ctx context.Context, w io.Writer, open mix.Open, parts []Part, s Spec) error {
	z, sum := zip.NewWriter(w), counter{told: s.told}
	for _, p := range parts {
		own := s.of(p, &sum)
		m, exact, err := own.ready(ctx, open, p)
		if err != nil {
			return err
		}
		f, err := z.CreateHeader(own.header(p))
		if err != nil {
			return err
		}
		if err := Write(ctx, f, m, own, exact); err != nil {
			return fmt.Errorf("%s: %w", p.Name, err)
		}
	}
	return z.Close()
}

// mostBeside is how many parts are written side by side, each into a file of its own.
const mostBeside = 4

// BundleFile is Bundle into a file. Its parts are written side by side. Those that add up
// to the mix tell no loudness: a program that brings files to a loudness by what they tell
// would undo their sum. So they are known in length and need not be gone back in.
func BundleFile(ctx context.Context, f *os.File, open mix.Open, parts []Part, s Spec) error {
	if s.File == WAV && !slices.ContainsFunc(parts, func(p Part) bool { return !p.adds }) {
		return placeParts(ctx, f, open, parts, s)
	}
	return gatherParts(ctx, f, open, parts, s)
}

// gatherParts writes parts each into a file of its own that is gone back in, and puts these
// together in their order.
func gatherParts(ctx context.Context, f *os.File, open mix.Open, parts []Part, s Spec) error {
	ctx, cancel := context.WithCancel(ctx)
	var under sync.WaitGroup
	defer under.Wait()
	defer cancel()
	type done struct {
		f   *os.File
		err error
	}
	drop := func(d done) {
		if d.f != nil {
			_ = d.f.Close()
			_ = os.Remove(d.f.Name())
		}
	}
	sum := counter{told: s.told}
	beside := max(min(runtime.GOMAXPROCS(0), mostBeside), 1)
	coming := make(chan chan done, beside-1) // with the one that is put in: so many files at a time
	under.Go(func() {
		defer close(coming)
		for _, p := range parts {
			one := make(chan done, 1)
			select {
			case coming <- one:
			case <-ctx.Done():
				return
			}
			under.Go(func() {
				part, err := partFile(ctx, f.Name(), open, p, s.of(p, &sum))
				one <- done{part, err}
			})
		}
	})
	defer func() { // what was written and is not wanted
		cancel()
		for one := range coming {
			drop(<-one)
		}
	}()
	w := bufio.NewWriterSize(f, 1<<20)
	z := zip.NewWriter(w)
	for _, p := range parts {
		one, ok := <-coming
		if !ok {
			return ctx.Err()
		}
		d := <-one
		err := d.err
		if err == nil {
			err = put(z, s.header(p), d.f)
		}
		drop(d)
		if err != nil {
			return fmt.Errorf("%s: %w", p.Name, err)
		}
	}
	if err := z.Close(); err != nil {
		return err
	}
	return w.Flush()
}

// partFile writes a part into a file beside another.
func partFile(ctx context.Context, beside string, open mix.Open, p Part, s Spec) (*os.File, error) {
	m, exact, err := s.ready(ctx, open, p)
	if err != nil {
		return nil, err
	}
	f, err := os.CreateTemp(filepath.Dir(beside), filepath.Base(beside)+"-*.part")
	if err != nil {
		return nil, err
	}
	return f, writeFile(ctx, f, m, s, exact)
}

// put copies a file into an archive.
func put(z *zip.Writer, h *zip.FileHeader, f *os.File) error {
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		return err
	}
	w, err := z.CreateHeader(h)
	if err == nil {
		_, err = io.Copy(w, f)
	}
	return err
}

// of is how one part is written.
func (s Spec) of(p Part, sum *counter) Spec {
	own := s
	own.told = sum.part()
	own.Meta.TimeReference += p.From - s.From
	if p.timed {
		own.Meta.TimeReference = p.time
	}
	own.Meta.Description += ", " + p.Name
	own.From, own.To = p.From, p.To
	if own.Tags.Title == "" && own.Tags != (Tags{}) {
		own.Tags.Title = p.Name
	}
	return own
}

// ready is the renderer of a part, and whether it is written without dither.
func (s Spec) ready(ctx context.Context, open mix.Open, p Part) (*mix.Mix, bool, error) {
	m, err := mix.New(p.reel, open, p.options)
	if err != nil || !s.File.whole() || s.Bits == 32 {
		return m, false, err
	}
	exact, err := Exact(ctx, m, s)
	return m, exact, err
}

func (s Spec) header(p Part) *zip.FileHeader {
	return &zip.FileHeader{Name: p.Name + "." + s.File.Ending(), Method: zip.Store, Modified: s.Made}
}

// counter adds up how far parts are that are written side by side.
type counter struct {
	mu   sync.Mutex
	all  int64
	told func(int64)
}

// part is what one of them tells it; nil where nobody asks.
func (c *counter) part() func(int64) {
	if c.told == nil {
		return nil
	}
	last := int64(0)
	return func(n int64) {
		c.mu.Lock()
		defer c.mu.Unlock()
		c.all += n - last
		last = n
		c.told(c.all)
	}
}
