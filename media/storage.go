package media

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"
)

// Usage is what the files of a library take, in bytes.
type Usage struct {
	Originals, Copies, Overviews, Frames int64
	Partial                              int64 // of imports that were stopped, or are under way
	Recordings                           int
	Unused                               int64 // of recordings that nothing needs
	UnusedCount                          int
}

// Storage tells what takes how much. Needed are the recordings in use.
func (l *Library) Storage(needed map[string]bool) (Usage, error) {
	var u Usage
	err := l.eachRecording(func(hash string) error {
		u.Recordings++
		own, err := l.sizes(l.folder(hash), &u)
		if err == nil && !needed[hash] {
			u.Unused += own
			u.UnusedCount++
		}
		return err
	})
	if err != nil {
		return u, err
	}
	var desk Usage
	n, err := l.sizes(filepath.Join(l.dir, "incoming"), &desk)
	u.Partial += n
	return u, err
}

// sizes adds up the files of a folder by kind.
func (l *Library) sizes(dir string, u *Usage) (total int64, err error) {
	err = filepath.WalkDir(dir, func(path string, e fs.DirEntry, err error) error {
		if err != nil || e.IsDir() {
			if errors.Is(err, fs.ErrNotExist) {
				return nil // it went meanwhile
			}
			return err
		}
		info, err := e.Info()
		if err != nil {
			return nil
		}
		n := info.Size()
		total += n
		name := e.Name()
		switch {
		case strings.Contains(path, "picture.part"):
			u.Partial += n
		case name == "original":
			u.Originals += n
		case strings.HasSuffix(name, ".f32"):
			u.Copies += n
		case strings.Contains(name, ".o") || strings.HasSuffix(name, ".floor"):
			u.Overviews += n
		default:
			u.Frames += n
		}
		return nil
	})
	return total, err
}

// Sweep removes what nothing needs: recordings that are not among those needed
// and whose files are all older than a time, frames of imports that were
// stopped before it, and desks that no process holds. Before a recording goes,
// may is asked. It tells what went.
func (l *Library) Sweep(needed map[string]bool, before time.Time, may func(hash string) bool) (gone []string, bytes int64, err error) {
	err = l.eachRecording(func(hash string) error {
		dir := l.folder(hash)
		part := filepath.Join(dir, "picture.part")
		if old(part, before) {
			if lock, err := lockDesk(part); err == nil {
				var u Usage
				n, _ := l.sizes(part, &u)
				bytes += n
				_ = l.fs.RemoveAll(part)
				_ = lock.Close()
			}
		}
		if needed[hash] || !old(dir, before) || !may(hash) {
			return nil
		}
		var u Usage
		n, err := l.sizes(dir, &u)
		if err != nil {
			return err
		}
		// It goes from its place at once, and from the disk then: half a recording
		// is never found there.
		away := l.onDesk("unused")
		if err := l.fs.Rename(dir, away); err != nil {
			return err
		}
		if err := l.fs.SyncDir(filepath.Dir(dir)); err != nil {
			return err
		}
		l.let(hash)
		if err := l.fs.RemoveAll(away); err != nil {
			return err
		}
		gone = append(gone, hash)
		bytes += n
		return nil
	})
	if err != nil {
		return gone, bytes, err
	}
	incoming := filepath.Join(l.dir, "incoming")
	desks, err := os.ReadDir(incoming)
	for _, d := range desks {
		if path := filepath.Join(incoming, d.Name()); path != l.desk {
			clearDesk(path)
		}
	}
	return gone, bytes, err
}

// Touch marks a recording as just used, so that it is not taken for unused
// before it is listed.
func (l *Library) Touch(hash string) {
	now := time.Now()
	_ = os.Chtimes(l.original(hash), now, now)
	_ = os.Chtimes(l.folder(hash), now, now)
}

// let closes nothing that is being read, but opens the recording anew next.
func (l *Library) let(hash string) {
	l.mu.Lock()
	defer l.mu.Unlock()
	for dir := range l.open {
		if strings.HasPrefix(dir, l.folder(hash)+string(filepath.Separator)) {
			delete(l.open, dir)
		}
	}
	delete(l.frames, hash)
}

// old reports whether a folder is there and nothing in it, nor itself, was
// written since a time.
func old(dir string, before time.Time) bool {
	found, young := false, false
	_ = filepath.WalkDir(dir, func(_ string, e fs.DirEntry, err error) error {
		if err != nil {
			young = young || !errors.Is(err, fs.ErrNotExist)
			return nil
		}
		found = true
		if info, err := e.Info(); err != nil || info.ModTime().After(before) {
			young = true
			return fs.SkipAll
		}
		return nil
	})
	return found && !young
}
