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

	"blendseam/core/sound"
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
	if !slices.Contains(sound.Rates, rate) {
		return Imported{}, fmt.Errorf("no working copies are made at %d Hz", rate)
	}
	out := Imported{Hash: u.Hash, Rate: rate, Bytes: u.Bytes, StartTC: -1}
	f, err := os.Open(u.path)
	if err != nil {
		return out, err
	}
	defer f.Close()
	// The original goes to the disk for good while it is decoded.
	synced := make(chan error, 1)
	go func() { synced <- f.Sync() }()
	d, desc, err := decode(f, u.Name)
	foreign := errors.Is(err, errForeign)
	if foreign {
		desc, err = probe(ctx, u.path, u.Name)
	}
	if err != nil {
		return out, err
	}
	if desc.channels > sound.MaxChannels {
		return out, &Problem{"tooManyChannels", fmt.Sprintf("“%s” has %d channels; up to %d can be taken in. Split it into smaller files; nothing was kept.", u.Name, desc.channels, sound.MaxChannels)}
	}
	if desc.rate < 1000 || desc.rate > 768000 {
		return out, &Problem{"notSound", fmt.Sprintf("“%s” says it was recorded at %d Hz, which cannot be right. Convert it to WAV at 48 kHz and drop that in; nothing was kept.", u.Name, desc.rate)}
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
		return out, err
	}
	if c != nil {
		defer c.close()
	}
	work, err := os.MkdirTemp(l.desk, "copy-*")
	if err != nil {
		return out, l.diskProblem(u.Name, err)
	}
	defer os.RemoveAll(work)
	expect := (float64(desc.length)/float64(desc.rate) + desc.late) * float64(rate)
	out.Length, err = writeCopy(ctx, work, in, desc.channels, func(n int64) {
		if expect > 0 {
			progress(min(float64(n)/expect, 1))
		} else {
			progress(-1)
		}
	})
	if err != nil {
		if ctx.Err() != nil {
			return out, ctx.Err()
		}
		return out, l.diskProblem(u.Name, err)
	}
	if out.Length == 0 {
		return out, &Problem{"noData", fmt.Sprintf("“%s” holds no whole sample of sound. Look for another copy of the file; nothing was kept.", u.Name)}
	}
	out.Bad = count.bad
	if fl, ok := d.(*flacDecoder); ok && desc.length > 0 {
		whole := int64(math.Round(float64(out.Length) * float64(desc.rate) / float64(rate)))
		if fl.lost || whole < desc.length-1 {
			desc.missing = max(desc.length-whole, 0)
		}
	}
	// A length that ffmpeg only estimated is believed when it also complained.
	if foreign && c.broke {
		whole := int64(math.Round((float64(out.Length)/float64(rate) - desc.late) * float64(desc.rate)))
		if lacking := desc.length - whole; lacking > int64(desc.rate/10) {
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
		return out, l.diskProblem(u.Name, err)
	}
	return out, l.install(u, work, rate)
}

// install moves a finished working copy and the original to their places.
func (l *Library) install(u *Upload, work string, rate int) error {
	dir := l.copyFolder(u.Hash, rate)
	if err := os.MkdirAll(l.folder(u.Hash), 0o700); err != nil {
		return l.diskProblem(u.Name, err)
	}
	if _, err := os.Stat(l.original(u.Hash)); errors.Is(err, os.ErrNotExist) {
		if err := os.Link(u.path, l.original(u.Hash)); err != nil && !errors.Is(err, os.ErrExist) {
			return l.diskProblem(u.Name, err)
		}
	}
	err := os.Rename(work, dir)
	if _, gone := os.Stat(dir); err != nil && gone == nil {
		return nil // another import of the same file was there first
	}
	return err
}

// Reuse makes an upload of a recording that is in the library, to get its
// working copy at another rate.
func (l *Library) Reuse(hash, name string) (*Upload, error) {
	if !IsHash(hash) {
		return nil, ErrNoCopy
	}
	path := filepath.Join(l.desk, "again-"+hash)
	_ = os.Remove(path)
	if err := os.Link(l.original(hash), path); err != nil {
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

// writeCopy writes each channel's samples and overview into dir. Decoding goes
// on while the block before it is written and summed up.
func writeCopy(ctx context.Context, dir string, d decoder, channels int, progress func(int64)) (int64, error) {
	outs := make([]*channelWriter, channels)
	for ch := range outs {
		w, err := newChannelWriter(dir, ch)
		if err != nil {
			return 0, err
		}
		defer w.close()
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
	for _, w := range outs {
		if err := w.finish(); err != nil {
			return 0, err
		}
	}
	return total, nil
}

// channelWriter writes one channel of a working copy.
type channelWriter struct {
	samples  *os.File
	levels   [sound.Levels]*os.File
	overview sound.Overview
}

func newChannelWriter(dir string, ch int) (*channelWriter, error) {
	w := &channelWriter{}
	var err error
	if w.samples, err = os.Create(channelFile(dir, ch)); err != nil {
		return nil, err
	}
	for level := range w.levels {
		if w.levels[level], err = os.Create(overviewFile(dir, ch, level)); err != nil {
			return nil, err
		}
	}
	return w, nil
}

func (w *channelWriter) store(v []float32) error {
	_, err := w.samples.Write(Bytes(v))
	return err
}

func (w *channelWriter) sum(v []float32) error {
	w.overview.Add(v)
	return w.flush()
}

func (w *channelWriter) flush() error {
	for level, f := range w.levels {
		if b := w.overview.Take(level); len(b) > 0 {
			if _, err := f.Write(b); err != nil {
				return err
			}
		}
	}
	return nil
}

func (w *channelWriter) finish() error {
	w.overview.Finish()
	if err := w.flush(); err != nil {
		return err
	}
	return w.samples.Sync()
}

func (w *channelWriter) close() {
	_ = w.samples.Close()
	for _, f := range w.levels {
		if f != nil {
			_ = f.Close()
		}
	}
}
