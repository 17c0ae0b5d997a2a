package media

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strconv"

	"blendseam/media/disk"
)

// Frames are the kept frames of a file: a file of JPEGs one after the other,
// and one of where each ends, as little-endian 64-bit numbers.
type Frames struct {
	data    *os.File
	ends    []int64
	lacking int64 // frames that the file promised and ffmpeg did not give
	short   func(error) error
}

// Frames opens the kept frames of a file; they stay open for the library's
// life. Those whose files are not as long as they were written are refused as a
// *Damaged.
func (l *Library) Frames(hash string) (*Frames, error) {
	if !IsHash(hash) {
		return nil, ErrNoCopy
	}
	dir := l.pictureFolder(hash)
	l.mu.Lock()
	f, ok := l.frames[hash]
	bad := l.damaged[dir]
	l.mu.Unlock()
	if bad != nil {
		return nil, bad
	}
	if ok {
		return f, nil
	}
	f, err := readFrames(dir)
	if errors.Is(err, ErrNoCopy) {
		return nil, err
	}
	if err != nil {
		return nil, l.spoiled(dir, &Damaged{Hash: hash, What: err.Error()})
	}
	f.short = func(err error) error {
		return l.spoiled(dir, &Damaged{Hash: hash, What: "a file ends early: " + err.Error()})
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	if o, ok := l.frames[hash]; ok {
		_ = f.data.Close()
		return o, nil
	}
	l.frames[hash] = f
	return f, nil
}

func readFrames(dir string) (*Frames, error) {
	known, _, err := opened(dir)
	if err != nil {
		return nil, err
	}
	b, err := os.ReadFile(filepath.Join(dir, "ends"))
	if errors.Is(err, os.ErrNotExist) {
		return nil, ErrNoCopy
	}
	if err != nil {
		return nil, err
	}
	f := &Frames{ends: make([]int64, len(b)/8), lacking: known.Lacking}
	last := int64(0)
	for i := range f.ends {
		at := int64(binary.LittleEndian.Uint64(b[8*i:]))
		if at <= last || at-last > mostFrame {
			return nil, fmt.Errorf("frame %d has no length that can be right", i)
		}
		f.ends[i], last = at, at
	}
	if f.data, err = os.Open(filepath.Join(dir, "frames")); err != nil {
		return nil, err
	}
	info, err := f.data.Stat()
	if err == nil && info.Size() < last {
		err = fmt.Errorf("frames has %d bytes instead of %d", info.Size(), last)
	}
	if err != nil {
		_ = f.data.Close()
		return nil, err
	}
	return f, nil
}

// Count is how many frames there are.
func (f *Frames) Count() int64 { return int64(len(f.ends)) }

// Lacking is how many frames the file promised and did not give.
func (f *Frames) Lacking() int64 { return f.lacking }

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
	if err != nil && f.short != nil {
		err = f.short(err)
	}
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
	data, ends disk.File
	n, at      int64
	fs         disk.FS
	dir        string
}

// markEvery is after how many frames it is noted how many are on the disk for
// good: a power failure may take what came after, in any order.
const markEvery = 250

// marked is the file in which that is noted.
const marked = "synced"

// mark brings the frames so far to the disk and notes how many they are.
func (w *frameWriter) mark() error {
	if err := errors.Join(w.data.Sync(), w.ends.Sync()); err != nil {
		return err
	}
	return disk.Put(w.fs, filepath.Join(w.dir, marked), strconv.AppendInt(nil, w.n, 10))
}

func openFrames(fs disk.FS, dir string) (*frameWriter, error) {
	w := &frameWriter{fs: fs, dir: dir}
	var err error
	if w.data, err = fs.Edit(filepath.Join(dir, "frames")); err != nil {
		return nil, err
	}
	if w.ends, err = fs.Edit(filepath.Join(dir, "ends")); err != nil {
		w.data.Close()
		return nil, err
	}
	// Frames count that are whole in both files, and were noted to be on the disk.
	size, err := w.data.Stat()
	if err != nil {
		return w, err
	}
	known, err := os.ReadFile(filepath.Join(dir, "ends"))
	if err != nil {
		return w, err
	}
	noted, _ := os.ReadFile(filepath.Join(dir, marked))
	most, _ := strconv.ParseInt(string(noted), 10, 64)
	for ; w.n < min(int64(len(known)/8), most); w.n++ {
		at := int64(binary.LittleEndian.Uint64(known[8*w.n:]))
		if at <= w.at || at-w.at > mostFrame || at > size.Size() {
			break
		}
		w.at = at
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
	if w.n++; w.n%markEvery == 0 {
		return w.mark()
	}
	return nil
}

// finish brings the frames to the disk, and the list of their sums last.
func (w *frameWriter) finish(ctx context.Context, fs disk.FS, dir string, lacking int64) error {
	list := sums{Files: map[string]fileSum{}, Lacking: lacking}
	for name, f := range map[string]disk.File{"frames": w.data, "ends": w.ends} {
		if err := f.Sync(); err != nil {
			return err
		}
		sum, err := sumOf(ctx, filepath.Join(dir, name))
		if err != nil {
			return err
		}
		list.Files[name] = sum
	}
	return list.write(fs, dir)
}

func (w *frameWriter) close() {
	_ = w.data.Close()
	_ = w.ends.Close()
}
