package media

import (
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"blendseam/core/floor"
	"blendseam/core/sound"
	"blendseam/media/disk"
)

// Imported is what an import led to.
type Imported struct {
	Hash       string
	Rate       int    // of the working copy
	Format     string // of the original, in words
	Title      string // name inside the file, or its file name without ending
	Bytes      int64
	NativeRate int
	Channels   int
	Length     int64 // samples at Rate
	Missing    int64 // samples at NativeRate that the file promised and lacked
	Bad        int64 // samples that were not finite numbers and are silent now
	StartTC    int64 // samples at Rate from midnight, −1 when not known
}

const blockLen = 1 << 15

func blocks(channels int) [][]float32 {
	out := make([][]float32, channels)
	for ch := range out {
		out[ch] = make([]float32, blockLen)
	}
	return out
}

// Import makes the working copy of an upload at a rate, and keeps the original
// as it is. Progress runs from 0 to 1, or stays below 0 while the length is
// not known. When it fails or is cancelled, nothing is left behind.
func (l *Library) Import(ctx context.Context, u *Upload, rate int, progress func(float64)) (Imported, error) {
	out, work, err := l.decodeTo(ctx, u, rate, progress)
	if work != "" {
		defer func() { _ = l.fs.RemoveAll(work) }() // what stays is swept later
	}
	if err != nil {
		return out, err
	}
	return out, l.install(u, work, rate)
}

// decodeTo makes a working copy on the desk.
func (l *Library) decodeTo(ctx context.Context, u *Upload, rate int, progress func(float64)) (out Imported, work string, err error) {
	if !slices.Contains(sound.Rates, rate) {
		return out, "", fmt.Errorf("no working copies are made at %d Hz", rate)
	}
	out = Imported{Hash: u.Hash, Rate: rate, Bytes: u.Bytes, StartTC: -1}
	f, err := os.Open(u.path)
	if err != nil {
		return out, work, err
	}
	defer f.Close()
	// The original goes to the disk for good while it is decoded.
	synced := make(chan error, 1)
	go func() { synced <- l.sync(u.path) }()
	d, desc, err := decode(f, u.Name)
	foreign := errors.Is(err, errForeign)
	if foreign {
		desc, err = probe(ctx, u.path, u.Name)
	}
	if err != nil {
		return out, work, err
	}
	if desc.channels > sound.MaxChannels {
		return out, work, &Problem{"tooManyChannels", fmt.Sprintf("“%s” has %d channels; up to %d can be taken in. Split it into smaller files; nothing was kept.", u.Name, desc.channels, sound.MaxChannels)}
	}
	if desc.rate < 1000 || desc.rate > 768000 {
		return out, work, &Problem{"notSound", fmt.Sprintf("“%s” says it was recorded at %d Hz, which cannot be right. Convert it to WAV at 48 kHz and drop that in; nothing was kept.", u.Name, desc.rate)}
	}
	// Samples that are no numbers are silenced where they are first seen, so
	// that a resampler never smears them.
	count := &counter{d: d}
	in := decoder(count)
	var c *child
	switch {
	case foreign:
		c, err = fromFile(ctx, u.path, u.Name, rate, desc.late)
		count.d = c
	case desc.rate != rate:
		c, err = fromSamples(ctx, count, u.Name, desc.channels, desc.rate, rate)
		in = c
	}
	if err != nil {
		return out, work, err
	}
	if c != nil {
		defer c.close()
	}
	work = l.onDesk("copy")
	if err := l.fs.Mkdir(work); err != nil {
		return out, work, l.diskProblem(u.Name, err)
	}
	expect := (float64(desc.length)/float64(desc.rate) + desc.late) * float64(rate)
	out.Length, err = writeCopy(ctx, l.fs, work, u, in, desc.channels, rate, func(n int64) {
		if expect > 0 {
			progress(min(float64(n)/expect, 1))
		} else {
			progress(-1)
		}
	})
	if err != nil {
		if ctx.Err() != nil {
			return out, work, ctx.Err()
		}
		return out, work, l.diskProblem(u.Name, err)
	}
	if out.Length == 0 {
		return out, work, &Problem{"noData", fmt.Sprintf("“%s” holds no whole sample of sound. Look for another copy of the file; nothing was kept.", u.Name)}
	}
	out.Bad = count.bad
	if fl, ok := d.(*flacDecoder); ok && desc.length > 0 {
		whole := int64(math.Round(float64(out.Length) * float64(desc.rate) / float64(rate)))
		if fl.lost || whole < desc.length-1 {
			desc.missing = max(desc.length-whole, 0)
		}
	}
	if foreign {
		whole := int64(math.Round((float64(out.Length)/float64(rate) - desc.late) * float64(desc.rate)))
		lacking := desc.length - whole
		switch {
		case c.gaveUp && desc.length == 0:
			return out, work, &Problem{"cutOff", fmt.Sprintf("ffmpeg gave up while it read “%s” (%s), and the file does not say how long it is. Convert it to WAV or FLAC and import that; nothing was kept.", u.Name, firstLine(c.stderr.String()))}
		// A length that was only estimated is believed when ffmpeg complained too.
		case lacking > int64(desc.rate/10) && (c.broke || desc.stated):
			desc.missing = lacking
		}
	}
	out.Format, out.Title, out.NativeRate, out.Channels, out.Missing = desc.format, desc.title, desc.rate, desc.channels, desc.missing
	if desc.startTC >= 0 {
		out.StartTC = int64(math.Round(float64(desc.startTC) * float64(rate) / float64(desc.rate)))
	}
	if out.Title == "" {
		out.Title = strings.TrimSuffix(u.Name, filepath.Ext(u.Name))
	}
	if err := <-synced; err != nil {
		return out, work, l.diskProblem(u.Name, err)
	}
	return out, work, nil
}

// sync brings a file's content to the disk.
func (l *Library) sync(path string) error {
	f, err := l.fs.Open(path)
	if err != nil {
		return err
	}
	err = f.Sync()
	return errors.Join(err, f.Close())
}

// install moves a finished working copy and the original to their places. When
// it returns, all of it is on the disk for good.
func (l *Library) install(u *Upload, work string, rate int) error {
	dir := l.copyFolder(u.Hash, rate)
	err := l.keepOriginal(u)
	if err == nil {
		err = l.replace(work, dir)
	}
	if err != nil {
		return l.diskProblem(u.Name, err)
	}
	l.whole(u.Hash, dir)
	return nil
}

// Keep puts a file that has come whole into the library as it is, so that it can be taken
// in later, also by another process. What nothing needs goes after a while.
func (l *Library) Keep(u *Upload) error { return l.diskProblem(u.Name, l.keepOriginal(u)) }

// Unkeep lets a file go that was kept and of which nothing was made.
func (l *Library) Unkeep(hash string) {
	if !IsHash(hash) {
		return
	}
	in, err := os.ReadDir(l.folder(hash))
	if err != nil || len(in) != 1 || in[0].Name() != "original" {
		return
	}
	away := l.onDesk("unkept")
	if l.fs.Rename(l.folder(hash), away) == nil {
		_ = l.fs.RemoveAll(away)
	}
}

// keepOriginal keeps the file itself, in the place of one that may be damaged.

func (l *Library) keepOriginal(u *Upload) error {
	if err := disk.MkdirAll(l.fs, l.dir, l.folder(u.Hash)); err != nil {
		return err
	}
	if err := l.sync(u.path); err != nil {
		return err
	}
	fresh := l.onDesk("original")
	if err := l.fs.Link(u.path, fresh); err != nil {
		return err
	}
	if err := l.fs.Rename(fresh, l.original(u.Hash)); err != nil {
		return err
	}
	_ = l.fs.RemoveAll(fresh) // a rename onto the very same file leaves both names
	return l.fs.SyncDir(l.folder(u.Hash))
}

// replace puts a folder that is whole and synced in a place, where another may
// lie.
func (l *Library) replace(work, dir string) error {
	for range 3 {
		err := l.fs.Rename(work, dir)
		if err == nil {
			return l.fs.SyncDir(filepath.Dir(dir))
		}
		if _, gone := os.Stat(dir); gone != nil {
			return err
		}
		old := l.onDesk("old")
		if err := l.fs.Rename(dir, old); err != nil && !errors.Is(err, os.ErrNotExist) {
			return err
		}
		defer func() { _ = l.fs.RemoveAll(old) }()
	}
	return fmt.Errorf("%s is written by another", dir)
}

// Reuse makes an upload of a recording that is in the library, to get its
// working copy at another rate.
func (l *Library) Reuse(hash, name string) (*Upload, error) {
	if !IsHash(hash) {
		return nil, ErrNoCopy
	}
	path := l.onDesk("again")
	if err := l.fs.Link(l.original(hash), path); err != nil {
		return nil, ErrNoCopy
	}
	info, err := os.Stat(path)
	if err != nil {
		return nil, err
	}
	return &Upload{Name: name, Hash: hash, Bytes: info.Size(), path: path}, nil
}

// counter silences samples that are no numbers and counts them.
type counter struct {
	d   decoder
	bad int64
}

func (c *counter) Read(dst [][]float32) (int, error) {
	n, err := c.d.Read(dst)
	for ch := range dst {
		c.bad += int64(sound.Cleanse(dst[ch][:n]))
	}
	return n, err
}

// writeCopy writes each channel's samples, overview and floor into dir, and the list
// of their sums. Decoding goes on while the block before it is written and
// summed up. When it returns, all of it is on the disk.
func writeCopy(ctx context.Context, fs disk.FS, dir string, of *Upload, d decoder, channels, rate int, progress func(int64)) (int64, error) {
	outs := make([]*channelWriter, channels)
	for ch := range outs {
		w, err := newChannelWriter(fs, dir, ch, rate)
		if w != nil {
			defer w.close()
		}
		if err != nil {
			return 0, err
		}
		outs[ch] = w
	}
	bufs := [2][][]float32{blocks(channels), blocks(channels)}
	var total int64
	var pending sync.WaitGroup
	errs := make([]error, 2*channels)
	for turn := 0; ; turn++ {
		if err := ctx.Err(); err != nil {
			pending.Wait()
			return 0, err
		}
		part := bufs[turn%2]
		n, err := d.Read(part)
		pending.Wait()
		if werr := errors.Join(errs...); werr != nil {
			return 0, werr
		}
		if err == io.EOF {
			break
		}
		if err != nil {
			return 0, err
		}
		for ch, w := range outs {
			pending.Add(2)
			go func() {
				defer pending.Done()
				errs[2*ch] = w.store(part[ch][:n])
			}()
			go func() {
				defer pending.Done()
				errs[2*ch+1] = w.sum(part[ch][:n])
			}()
		}
		total += int64(n)
		progress(total)
	}
	list := sums{Files: map[string]fileSum{}}
	if of.crc != "" {
		list.Original = &fileSum{of.Bytes, of.crc}
	}
	for _, w := range outs {
		if err := w.finish(list); err != nil {
			return 0, err
		}
	}
	return total, list.write(fs, dir)
}

// summed is a file whose sum is counted as it is written.
type summed struct {
	disk.File
	tally
}

func createSummed(fs disk.FS, name string) (*summed, error) {
	f, err := fs.Create(name)
	return &summed{f, newTally()}, err
}

func (s *summed) append(b []byte) error {
	n, err := s.File.Write(b)
	s.add(b[:n])
	return err
}

// channelWriter writes one channel of a working copy.
type channelWriter struct {
	samples  *summed
	levels   [sound.Levels]*summed
	overview sound.Overview
	floor    *floor.Analyser
	floors   *summed
}

func newChannelWriter(fs disk.FS, dir string, ch, rate int) (*channelWriter, error) {
	w := &channelWriter{floor: floor.NewAnalyser(rate)}
	var err error
	if w.samples, err = createSummed(fs, channelFile(dir, ch)); err != nil {
		return nil, err
	}
	for level := range w.levels {
		f, err := createSummed(fs, overviewFile(dir, ch, level))
		if err != nil {
			return w, err
		}
		w.levels[level] = f
	}
	if w.floors, err = createSummed(fs, floorFile(dir, ch)); err != nil {
		w.floors = nil
	}
	return w, err
}

func (w *channelWriter) store(v []float32) error { return w.samples.append(Bytes(v)) }

func (w *channelWriter) sum(v []float32) error {
	w.overview.Add(v)
	w.floor.Add(v)
	return w.flush()
}

func (w *channelWriter) flush() error {
	for level, f := range w.levels {
		if b := w.overview.Take(level); len(b) > 0 {
			if err := f.append(b); err != nil {
				return err
			}
		}
	}
	if f := w.floor.Take(); len(f) > 0 {
		return w.floors.append(floor.Encode(f))
	}
	return nil
}

// finish brings the channel to the disk and lists its files.
func (w *channelWriter) finish(list sums) error {
	w.overview.Finish()
	if err := w.flush(); err != nil {
		return err
	}
	for _, f := range append([]*summed{w.samples, w.floors}, w.levels[:]...) {
		if err := f.Sync(); err != nil {
			return err
		}
		list.Files[filepath.Base(f.Name())] = f.tally.sum()
	}
	return nil
}

func (w *channelWriter) close() {
	for _, f := range append([]*summed{w.samples, w.floors}, w.levels[:]...) {
		if f != nil {
			_ = f.Close()
		}
	}
}
