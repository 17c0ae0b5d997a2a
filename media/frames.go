package media

import (
	"encoding/binary"
	"fmt"
	"os"
	"path/filepath"
)

// Frames are the kept frames of a file: a file of JPEGs one after the other,
// and one of where each ends, as little-endian 64-bit numbers.
type Frames struct {
	data *os.File
	ends []int64
}

// Frames opens the kept frames of a file; they stay open for the library's life.
func (l *Library) Frames(hash string) (*Frames, error) {
	if !IsHash(hash) {
		return nil, ErrNoCopy
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	if f, ok := l.frames[hash]; ok {
		return f, nil
	}
	dir := l.pictureFolder(hash)
	b, err := os.ReadFile(filepath.Join(dir, "ends"))
	if err != nil {
		return nil, ErrNoCopy
	}
	f := &Frames{ends: make([]int64, len(b)/8)}
	for i := range f.ends {
		f.ends[i] = int64(binary.LittleEndian.Uint64(b[8*i:]))
	}
	if f.data, err = os.Open(filepath.Join(dir, "frames")); err != nil {
		return nil, ErrNoCopy
	}
	l.frames[hash] = f
	return f, nil
}

// Count is how many frames there are.
func (f *Frames) Count() int64 { return int64(len(f.ends)) }

// Frame gives a frame as a JPEG.
func (f *Frames) Frame(n int64) ([]byte, error) {
	if n < 0 || n >= f.Count() {
		return nil, fmt.Errorf("there is no frame %d of %d", n, f.Count())
	}
	from := int64(0)
	if n > 0 {
		from = f.ends[n-1]
	}
	b := make([]byte, f.ends[n]-from)
	_, err := f.data.ReadAt(b, from)
	return b, err
}

func (f *Frames) size() (int, int) {
	b, err := f.Frame(0)
	if err != nil {
		return 0, 0
	}
	return sizeOf(b)
}

// frameWriter writes frames, and goes on where one before it was stopped.
type frameWriter struct {
	data, ends *os.File
	n, at      int64
}

func openFrames(dir string) (*frameWriter, error) {
	w := &frameWriter{}
	var err error
	if w.data, err = os.OpenFile(filepath.Join(dir, "frames"), os.O_CREATE|os.O_RDWR, 0o600); err != nil {
		return nil, err
	}
	if w.ends, err = os.OpenFile(filepath.Join(dir, "ends"), os.O_CREATE|os.O_RDWR, 0o600); err != nil {
		w.data.Close()
		return nil, err
	}
	// Frames that are whole in both files count.
	size, _ := w.data.Stat()
	known, _ := w.ends.Stat()
	for n := known.Size() / 8; n > 0; n-- {
		var b [8]byte
		if _, err := w.ends.ReadAt(b[:], 8*(n-1)); err != nil {
			continue
		}
		if at := int64(binary.LittleEndian.Uint64(b[:])); at <= size.Size() {
			w.n, w.at = n, at
			break
		}
	}
	return w, w.trim()
}

// restart forgets what was there.
func (w *frameWriter) restart() error {
	w.n, w.at = 0, 0
	return w.trim()
}

func (w *frameWriter) trim() error {
	if err := w.data.Truncate(w.at); err != nil {
		return err
	}
	return w.ends.Truncate(8 * w.n)
}

func (w *frameWriter) add(b []byte) error {
	if _, err := w.data.WriteAt(b, w.at); err != nil {
		return err
	}
	w.at += int64(len(b))
	var end [8]byte
	binary.LittleEndian.PutUint64(end[:], uint64(w.at))
	if _, err := w.ends.WriteAt(end[:], 8*w.n); err != nil {
		return err
	}
	w.n++
	return nil
}

func (w *frameWriter) finish() error {
	if err := w.data.Sync(); err != nil {
		return err
	}
	return w.ends.Sync()
}

func (w *frameWriter) close() {
	_ = w.data.Close()
	_ = w.ends.Close()
}
