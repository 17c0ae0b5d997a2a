package media

import (
	"context"
	"errors"
	"io"
	"io/fs"
	"os"
	"path/filepath"
)

// Original opens the file of a recording as it was imported; fs.ErrNotExist where it is
// not kept. The caller closes it.
func (l *Library) Original(hash string) (*os.File, error) {
	if !IsHash(hash) {
		return nil, fs.ErrNotExist
	}
	f, err := os.Open(l.original(hash))
	if errors.Is(err, fs.ErrNotExist) {
		return nil, fs.ErrNotExist
	}
	return f, err
}

// OriginalSum is the CRC-32C of the file of a recording, in hex, and how long it was when it
// came; not ok where that was not noted.
func (l *Library) OriginalSum(hash string) (crc string, bytes int64, ok bool) {
	if !IsHash(hash) {
		return "", 0, false
	}
	in, err := os.ReadDir(l.folder(hash))
	if err != nil {
		return "", 0, false
	}
	for _, e := range in {
		if !e.IsDir() {
			continue
		}
		if s, err := readSums(filepath.Join(l.folder(hash), e.Name())); err == nil && s.Original != nil {
			return s.Original.CRC, s.Original.Bytes, true
		}
	}
	return "", 0, false
}

// OriginalSize is how long the file of a recording is, in bytes; 0 where it is not kept.
func (l *Library) OriginalSize(hash string) int64 {
	if !IsHash(hash) {
		return 0
	}
	info, err := os.Stat(l.original(hash))
	if err != nil {
		return 0
	}
	return info.Size()
}

// ReceiveFrom is Receive of what comes from a file: what is wrong with that is told as it
// is, not as a transfer that was cut off.
func (l *Library) ReceiveFrom(ctx context.Context, name string, body io.Reader, progress func(int64)) (*Upload, error) {
	kept := &failing{r: body}
	u, err := l.Receive(ctx, name, kept, progress)
	if err != nil && kept.err != nil && ctx.Err() == nil {
		return nil, kept.err
	}
	return u, err
}

// failing remembers why a reader failed.
type failing struct {
	r   io.Reader
	err error
}

func (f *failing) Read(b []byte) (int, error) {
	n, err := f.r.Read(b)
	if err != nil && err != io.EOF {
		f.err = err
	}
	return n, err
}

// Open opens the file that was received, and tells its length.
func (u *Upload) Open() (*os.File, int64, error) {
	f, err := os.Open(u.path)
	return f, u.Bytes, err
}

// NativeRate is the sample rate of a file that was received, in hertz.
func (l *Library) NativeRate(ctx context.Context, u *Upload) (int, error) {
	f, err := os.Open(u.path)
	if err != nil {
		return 0, err
	}
	defer f.Close()
	_, d, err := decode(f, u.Name)
	if errors.Is(err, errForeign) {
		d, err = probe(ctx, u.path, u.Name)
	}
	return d.rate, err
}
