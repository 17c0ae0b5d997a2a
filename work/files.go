package work

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"blendseam/media/disk"
)

// Files is the folder of what jobs wrote, each under the id of its job. A file is there
// only once it is whole.
type Files struct {
	Dir  string
	Days float64 // that a file is kept
}

// usualDays is how long a file is kept unless set otherwise.
const usualDays = 7

// OpenFiles opens the folder, which is made when missing.
func OpenFiles(dir string) (*Files, error) {
	dir, err := filepath.Abs(dir)
	if err == nil {
		err = os.MkdirAll(dir, 0o700)
	}
	return &Files{Dir: dir, Days: usualDays}, err
}

// Begin makes a new file to write to, which is a part until it is put in its place.
func (f *Files) Begin(job int64) (*os.File, error) {
	return os.CreateTemp(f.Dir, fmt.Sprintf("%d-*.part", job))
}

// Finish brings what was written to the disk and gives its name.
func (f *Files) Finish(of *os.File) (string, error) {
	err := of.Sync()
	if cerr := of.Close(); err == nil {
		err = cerr
	}
	return of.Name(), err
}

// Drop removes a part, where it is still one.
func (f *Files) Drop(part string) {
	if part != "" {
		_ = os.Remove(part)
	}
}

// Size is that of a file in bytes.
func (f *Files) Size(name string) int64 {
	info, err := os.Stat(name)
	if err != nil {
		return 0
	}
	return info.Size()
}

func (f *Files) place(job int64) string { return filepath.Join(f.Dir, strconv.FormatInt(job, 10)) }

// Put brings a part to its place. It may be asked again after it did.
func (f *Files) Put(part string, job int64) error {
	err := os.Rename(part, f.place(job))
	if errors.Is(err, fs.ErrNotExist) {
		if _, there := os.Stat(f.place(job)); there == nil {
			return nil
		}
	}
	if err != nil {
		return err
	}
	return disk.OS{}.SyncDir(f.Dir)
}

// Open opens the file of a job.
func (f *Files) Open(job int64) (*os.File, error) { return os.Open(f.place(job)) }

// Remove removes the file of a job and tells how long it was; 0 where there is none.
func (f *Files) Remove(job int64) (int64, error) {
	n := f.Size(f.place(job))
	err := os.Remove(f.place(job))
	if errors.Is(err, fs.ErrNotExist) {
		return 0, nil
	}
	return n, err
}

// Sweep removes what workers that died left, older than a time, and files whose job is
// not known any more.
func (f *Files) Sweep(before time.Time, known func(job int64) bool) (bytes int64, err error) {
	all, err := os.ReadDir(f.Dir)
	for _, e := range all {
		info, ierr := e.Info()
		if ierr != nil || !info.ModTime().Before(before) {
			continue
		}
		id, nerr := strconv.ParseInt(e.Name(), 10, 64)
		if nerr == nil && known(id) || nerr != nil && !strings.HasSuffix(e.Name(), ".part") {
			continue
		}
		if os.Remove(filepath.Join(f.Dir, e.Name())) == nil {
			bytes += info.Size()
		}
	}
	return bytes, err
}

// Bytes is what the files and the parts take.
func (f *Files) Bytes() (files, parts int64, n int) {
	all, _ := os.ReadDir(f.Dir)
	for _, e := range all {
		info, err := e.Info()
		switch {
		case err != nil:
		case strings.HasSuffix(e.Name(), ".part"):
			parts += info.Size()
		default:
			files += info.Size()
			n++
		}
	}
	return files, parts, n
}
