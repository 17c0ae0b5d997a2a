// Package media keeps recordings on disk: the original under its content
// hash, a working copy of each channel as raw little-endian float32 at the
// reel's rate for access in O(1), and an overview of each channel.
package media

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"

	"blendseam/core/floor"
	"blendseam/core/sound"
	"blendseam/media/disk"
)

// DefaultLimit is the largest file taken in unless set otherwise: 16 GiB, some
// hours of video.
const DefaultLimit = 16 << 30

// Library is a folder of recordings. It is safe for concurrent use, also by
// several processes.
type Library struct {
	dir   string
	desk  string   // folder for what is on its way in, this process's own
	lock  *os.File // held as long as the desk is in use
	fs    disk.FS
	Limit int64 // bytes of the largest file imported

	// OnDamage is told when a recording is found to be damaged, before it is
	// said to whoever asked for it.
	OnDamage func(*Damaged)

	mu      sync.Mutex
	open    map[string]*Copy
	frames  map[string]*Frames
	damaged map[string]*Damaged // by folder, until it is made again
	missed  map[string]bool     // recordings that nobody has, and that were asked for
	n       int                 // of names given on the desk
	tones   tones
}

// OpenLibrary opens the folder, which is made when missing, and clears what
// imports that were cut off left behind.
func OpenLibrary(dir string) (*Library, error) { return openLibrary(dir, disk.OS{}) }

func openLibrary(dir string, on disk.FS) (*Library, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return nil, err
	}
	incoming := filepath.Join(dir, "incoming")
	if err := os.MkdirAll(incoming, 0o700); err != nil {
		return nil, err
	}
	left, err := os.ReadDir(incoming)
	if err != nil {
		return nil, err
	}
	for _, e := range left {
		clearDesk(filepath.Join(incoming, e.Name()))
	}
	l := &Library{dir: dir, fs: on, Limit: DefaultLimit, open: map[string]*Copy{}, frames: map[string]*Frames{}, damaged: map[string]*Damaged{}, missed: map[string]bool{}}
	if l.desk, err = os.MkdirTemp(incoming, "desk-*"); err != nil {
		return nil, err
	}
	l.lock, err = lockDesk(l.desk)
	return l, err
}

// lockDesk marks a desk as in use, until the file is closed or this process
// ends, however it ends.
func lockDesk(desk string) (*os.File, error) {
	f, err := os.OpenFile(filepath.Join(desk, "lock"), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, err
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		f.Close()
		return nil, err
	}
	return f, nil
}

// clearDesk removes a desk that no process holds any more.
func clearDesk(desk string) {
	if f, err := lockDesk(desk); err == nil {
		_ = os.RemoveAll(desk)
		_ = f.Close()
	}
}

// Close gives up the desk and what lies on it, and the open files.
func (l *Library) Close() error {
	l.mu.Lock()
	defer l.mu.Unlock()
	for _, c := range l.open {
		for _, f := range c.Files {
			_ = f.Close()
		}
	}
	for _, f := range l.frames {
		_ = f.data.Close()
	}
	clear(l.open)
	clear(l.frames)
	err := os.RemoveAll(l.desk)
	return errors.Join(err, l.lock.Close())
}

// Dir is the library's folder.
func (l *Library) Dir() string { return l.dir }

// onDesk is a new name on the desk.
func (l *Library) onDesk(kind string) string {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.n++
	return filepath.Join(l.desk, fmt.Sprintf("%s-%d", kind, l.n))
}

// spoiled notes that a folder is damaged and tells of it. What is open of it is
// let go.
func (l *Library) spoiled(dir string, d *Damaged) error {
	l.mu.Lock()
	known := l.damaged[dir]
	if known == nil || !known.Lost {
		l.damaged[dir] = d
	}
	delete(l.open, dir)
	delete(l.frames, d.Hash)
	tell := l.OnDamage
	l.mu.Unlock()
	if known != nil {
		return known
	}
	if tell != nil {
		tell(d)
	}
	return d
}

// whole forgets that a folder was damaged, and what was open of it.
func (l *Library) whole(hash, dir string) {
	l.mu.Lock()
	defer l.mu.Unlock()
	delete(l.damaged, dir)
	delete(l.open, dir)
	delete(l.frames, hash)
	l.tones.forget()
}

// IsHash reports whether s is a content hash: 64 lower-case hex digits. Only
// such a string ever becomes part of a path.
func IsHash(s string) bool {
	return len(s) == 64 && strings.Trim(s, "0123456789abcdef") == ""
}

func (l *Library) folder(hash string) string { return filepath.Join(l.dir, hash[:2], hash) }

func (l *Library) copyFolder(hash string, rate int) string {
	return filepath.Join(l.folder(hash), strconv.Itoa(rate))
}

func (l *Library) original(hash string) string { return filepath.Join(l.folder(hash), "original") }

func channelFile(dir string, ch int) string { return filepath.Join(dir, fmt.Sprintf("ch%d.f32", ch)) }

func overviewFile(dir string, ch, level int) string {
	return filepath.Join(dir, fmt.Sprintf("ch%d.o%d", ch, level))
}

func floorFile(dir string, ch int) string { return filepath.Join(dir, fmt.Sprintf("ch%d.floor", ch)) }

// ErrNoCopy is returned for a recording that has no working copy at a rate.
var ErrNoCopy = errors.New("the recording is not in the library")

// Copy is the working copy of a recording at a rate. It implements
// sound.Reader over all its channels and stays open for the library's life.
type Copy struct {
	Files []*os.File
	dir   string
	n     int64
	short func(error) error // what a file that ends early means
	floor floors
}

// Copy opens a working copy. One whose files are not as long as they were
// written is refused as a *Damaged.
func (l *Library) Copy(hash string, rate int) (*Copy, error) {
	if !IsHash(hash) {
		return nil, ErrNoCopy
	}
	dir := l.copyFolder(hash, rate)
	l.mu.Lock()
	c, ok := l.open[dir]
	bad := l.damaged[dir]
	l.mu.Unlock()
	if bad != nil {
		return nil, bad
	}
	if ok {
		if err := c.lengths(); err != nil { // cut short while it is open
			return nil, c.short(err)
		}
		return c, nil
	}
	c, err := openCopy(dir)
	if errors.Is(err, ErrNoCopy) {
		return nil, err
	}
	if err != nil {
		return nil, l.spoiled(dir, &Damaged{Hash: hash, Rate: rate, What: err.Error()})
	}
	c.floor.fs, c.floor.rate = l.fs, rate
	c.short = func(err error) error {
		return l.spoiled(dir, &Damaged{Hash: hash, Rate: rate, What: err.Error()})
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	if o, ok := l.open[dir]; ok { // another was quicker
		for _, f := range c.Files {
			_ = f.Close()
		}
		return o, nil
	}
	l.open[dir] = c
	return c, nil
}

// lengths compares the lengths of the open files with what they were.
func (c *Copy) lengths() error {
	for ch, f := range c.Files {
		if info, err := f.Stat(); err != nil || info.Size() != 4*c.n {
			return fmt.Errorf("channel %d is cut short", ch+1)
		}
	}
	return nil
}

func openCopy(dir string) (_ *Copy, err error) {
	_, listed, err := opened(dir)
	if err != nil {
		return nil, err
	}
	c := &Copy{dir: dir}
	defer func() {
		if err != nil {
			for _, f := range c.Files {
				_ = f.Close()
			}
		}
	}()
	for ch := 0; ch < sound.MaxChannels; ch++ {
		f, err := os.Open(channelFile(dir, ch))
		if errors.Is(err, os.ErrNotExist) {
			break
		}
		if err != nil {
			return nil, err
		}
		c.Files = append(c.Files, f)
		info, err := f.Stat()
		if err != nil {
			return nil, err
		}
		if ch > 0 && info.Size() != 4*c.n || info.Size()%4 != 0 {
			return nil, fmt.Errorf("channel %d has %d bytes, and another %d", ch+1, info.Size(), 4*c.n)
		}
		c.n = info.Size() / 4
		if listed {
			continue
		}
		// From before there were lists: its overview tells how long it was.
		for level := range sound.Levels {
			if info, err := os.Stat(overviewFile(dir, ch, level)); err != nil || info.Size() != sound.Buckets(c.n, level)*sound.BucketBytes {
				return nil, fmt.Errorf("channel %d is not as long as its overview", ch+1)
			}
		}
	}
	if len(c.Files) == 0 {
		if listed {
			return nil, errors.New("its samples are gone")
		}
		return nil, ErrNoCopy
	}
	return c, nil
}

// Channels implements sound.Reader.
func (c *Copy) Channels() int { return len(c.Files) }

// Len implements sound.Reader.
func (c *Copy) Len() int64 { return c.n }

// ReadAt implements sound.Reader.
func (c *Copy) ReadAt(dst []float32, ch int, from int64) error {
	if ch < 0 || ch >= len(c.Files) {
		return fmt.Errorf("there is no channel %d", ch+1)
	}
	a, b := max(from, 0), min(from+int64(len(dst)), c.n)
	if a >= b {
		clear(dst)
		return nil
	}
	clear(dst[:a-from])
	clear(dst[b-from:])
	_, err := c.Files[ch].ReadAt(Bytes(dst[a-from:b-from]), a*4)
	if err != nil && c.short != nil {
		return c.short(err)
	}
	return err
}

// Overview reads buckets from…from+count of a level of a channel's overview.
func (c *Copy) Overview(ch, level int, from, count int64) ([]byte, error) {
	if ch < 0 || ch >= len(c.Files) || level < 0 || level >= sound.Levels {
		return nil, fmt.Errorf("there is no level %d of channel %d", level, ch+1)
	}
	from = max(from, 0)
	count = min(count, sound.Buckets(c.n, level)-from)
	if count <= 0 {
		return nil, nil
	}
	b := make([]byte, count*sound.BucketBytes)
	f, err := os.Open(overviewFile(c.dir, ch, level))
	if err == nil {
		_, err = f.ReadAt(b, from*sound.BucketBytes)
		_ = f.Close()
	}
	if err != nil && c.short != nil {
		return nil, c.short(err)
	}
	return b, err
}

// Pick is the reader of one or two channels of a recording: channel 0 is left,
// channel 1 right. A right of −1 makes it mono.
func Pick(c *Copy, left, right int) sound.Reader { return picked{c, left, right} }

type picked struct {
	*Copy
	left, right int
}

func (p picked) Channels() int {
	if p.right < 0 {
		return 1
	}
	return 2
}

// Floor implements floor.Track.
func (p picked) Floor(ch int, from, to int64) ([]floor.Frame, error) {
	if ch == 1 {
		ch = p.right
	} else {
		ch = p.left
	}
	return p.Copy.Floor(ch, from, to)
}

func (p picked) ReadAt(dst []float32, ch int, from int64) error {
	if ch == 1 {
		return p.Copy.ReadAt(dst, p.right, from)
	}
	return p.Copy.ReadAt(dst, p.left, from)
}
