// Package disk is the part of a file system that recordings are written
// through. What is written is on the disk for good only once it is synced: the
// bytes of a file by File.Sync, its name by SyncDir of the folder that holds
// it. Tests put a layer in its place that loses all else.
package disk

import (
	"io"
	"os"
	"path/filepath"
)

// File is an open file. *os.File is one.
type File interface {
	io.Writer
	io.ReaderAt
	io.WriterAt
	io.Closer
	Name() string
	Stat() (os.FileInfo, error)
	Sync() error
	Truncate(size int64) error
}

// FS changes files and folders.
type FS interface {
	// Create makes a file, or empties one.
	Create(name string) (File, error)
	// Edit opens a file to read and write, which is made when missing.
	Edit(name string) (File, error)
	// Open opens a file that is there, to read or sync it.
	Open(name string) (File, error)
	Mkdir(name string) error
	Rename(from, to string) error
	Link(from, to string) error
	RemoveAll(name string) error
	// SyncDir brings the names in a folder to the disk.
	SyncDir(name string) error
}

// OS is the file system itself.
type OS struct{}

// Create implements FS.
func (OS) Create(name string) (File, error) {
	return os.OpenFile(name, os.O_CREATE|os.O_RDWR|os.O_TRUNC, 0o600)
}

// Edit implements FS.
func (OS) Edit(name string) (File, error) { return os.OpenFile(name, os.O_CREATE|os.O_RDWR, 0o600) }

// Open implements FS.
func (OS) Open(name string) (File, error) { return os.Open(name) }

// Mkdir implements FS.
func (OS) Mkdir(name string) error { return os.Mkdir(name, 0o700) }

// Rename implements FS.
func (OS) Rename(from, to string) error { return os.Rename(from, to) }

// Link implements FS.
func (OS) Link(from, to string) error { return os.Link(from, to) }

// RemoveAll implements FS.
func (OS) RemoveAll(name string) error { return os.RemoveAll(name) }

// SyncDir implements FS.
func (OS) SyncDir(name string) error {
	d, err := os.Open(name)
	if err != nil {
		return err
	}
	defer d.Close()
	return d.Sync()
}

// MkdirAll makes a folder below root and those on the way to it, and brings
// their names to the disk.
func MkdirAll(fs FS, root, name string) error {
	if name == root || len(name) <= len(root) {
		return nil
	}
	if info, err := os.Stat(name); err == nil && info.IsDir() {
		// It may have been made a moment ago by one who has not synced it yet.
		return fs.SyncDir(filepath.Dir(name))
	}
	up := filepath.Dir(name)
	if err := MkdirAll(fs, root, up); err != nil {
		return err
	}
	if err := fs.Mkdir(name); err != nil && !os.IsExist(err) {
		return err
	}
	return fs.SyncDir(up)
}

// Put writes a small file in one step for those who look: it has the old
// content or the new one, also after a power failure.
func Put(fs FS, name string, content []byte) error {
	fresh := name + ".new"
	f, err := fs.Create(fresh)
	if err != nil {
		return err
	}
	_, err = f.Write(content)
	if err == nil {
		err = f.Sync()
	}
	if cerr := f.Close(); err == nil {
		err = cerr
	}
	if err == nil {
		err = fs.Rename(fresh, name)
	}
	if err == nil {
		err = fs.SyncDir(filepath.Dir(name))
	}
	return err
}
