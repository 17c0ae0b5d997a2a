package media

import (
	"context"
	"errors"
	"fmt"
	"io"
	"maps"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"

	"blendseam/media/disk"
	"blendseam/outside"
)

// lossy is a disk that knows what of it would outlive a power failure: bytes
// that were synced, and names in folders that were. All else may be there
// afterwards or not, each thing by itself.
type lossy struct {
	mu   sync.Mutex
	root string
	tree *node
	left int // operations until the power fails
}

// node is a file or a folder, as it is and as it lies on the disk for good.
type node struct {
	dir       bool
	now, kept map[string]*node // of a folder
	content   func() []byte    // of a file, as it is
	synced    []byte
	dirty     bool
}

var errPower = errors.New("the power has failed")

func newLossy(root string, left int) *lossy {
	return &lossy{root: root, tree: folder(), left: left}
}

func folder() *node { return &node{dir: true, now: map[string]*node{}, kept: map[string]*node{}} }

// step counts an operation; the lock is held after it when there is power.
func (l *lossy) step() error {
	l.mu.Lock()
	if l.left--; l.left < 0 {
		l.mu.Unlock()
		return errPower
	}
	return nil
}

// in is the folder that holds a path, and the name in it. Folders that were
// there before lie on the disk for good.
func (l *lossy) in(path string) (*node, string) {
	at := l.tree
	rel, _ := filepath.Rel(l.root, path)
	names := strings.Split(rel, "/")
	for _, name := range names[:len(names)-1] {
		next := at.now[name]
		if next == nil {
			next = folder()
			at.now[name], at.kept[name] = next, next
		}
		at = next
	}
	return at, names[len(names)-1]
}

type lossyFile struct {
	*os.File
	l *lossy
	n *node
}

func (l *lossy) open(name string, f *os.File, err error, fresh bool) (disk.File, error) {
	if err != nil {
		return nil, err
	}
	dir, base := l.in(name)
	n := dir.now[base]
	if n == nil {
		n = &node{}
		dir.now[base] = n
	}
	n.content = func() []byte { b, _ := os.ReadFile(f.Name()); return b }
	n.dirty = n.dirty || fresh
	return &lossyFile{f, l, n}, nil
}

func (l *lossy) Create(name string) (disk.File, error) {
	if err := l.step(); err != nil {
		return nil, err
	}
	defer l.mu.Unlock()
	f, err := os.OpenFile(name, os.O_CREATE|os.O_RDWR|os.O_TRUNC, 0o600)
	return l.open(name, f, err, true)
}

func (l *lossy) Edit(name string) (disk.File, error) {
	if err := l.step(); err != nil {
		return nil, err
	}
	defer l.mu.Unlock()
	f, err := os.OpenFile(name, os.O_CREATE|os.O_RDWR, 0o600)
	return l.open(name, f, err, false)
}

func (l *lossy) Open(name string) (disk.File, error) {
	if err := l.step(); err != nil {
		return nil, err
	}
	defer l.mu.Unlock()
	f, err := os.Open(name)
	return l.open(name, f, err, false)
}

func (l *lossy) Mkdir(name string) error {
	if err := l.step(); err != nil {
		return err
	}
	defer l.mu.Unlock()
	err := os.Mkdir(name, 0o700)
	if err == nil {
		dir, base := l.in(name)
		dir.now[base] = folder()
	}
	return err
}

func (l *lossy) Rename(from, to string) error {
	if err := l.step(); err != nil {
		return err
	}
	defer l.mu.Unlock()
	if err := os.Rename(from, to); err != nil {
		return err
	}
	a, x := l.in(from)
	b, y := l.in(to)
	b.now[y] = a.now[x]
	if _, still := os.Lstat(from); still != nil {
		delete(a.now, x)
	}
	return nil
}

func (l *lossy) Link(from, to string) error {
	if err := l.step(); err != nil {
		return err
	}
	defer l.mu.Unlock()
	if err := os.Link(from, to); err != nil {
		return err
	}
	a, x := l.in(from)
	b, y := l.in(to)
	b.now[y] = a.now[x]
	return nil
}

func (l *lossy) RemoveAll(name string) error {
	if err := l.step(); err != nil {
		return err
	}
	defer l.mu.Unlock()
	dir, base := l.in(name)
	delete(dir.now, base)
	return os.RemoveAll(name)
}

func (l *lossy) SyncDir(name string) error {
	if err := l.step(); err != nil {
		return err
	}
	defer l.mu.Unlock()
	dir, _ := l.in(filepath.Join(name, "x"))
	dir.kept = maps.Clone(dir.now)
	return nil
}

func (f *lossyFile) touch() error {
	err := f.l.step()
	if err == nil {
		f.n.dirty = true
		f.l.mu.Unlock()
	}
	return err
}

func (f *lossyFile) Write(b []byte) (int, error) {
	if err := f.touch(); err != nil {
		return 0, err
	}
	return f.File.Write(b)
}

func (f *lossyFile) WriteAt(b []byte, at int64) (int, error) {
	if err := f.touch(); err != nil {
		return 0, err
	}
	return f.File.WriteAt(b, at)
}

func (f *lossyFile) Truncate(n int64) error {
	if err := f.touch(); err != nil {
		return err
	}
	return f.File.Truncate(n)
}

func (f *lossyFile) Sync() error {
	if err := f.l.step(); err != nil {
		return err
	}
	defer f.l.mu.Unlock()
	b, err := io.ReadAll(io.NewSectionReader(f.File, 0, 1<<40))
	if err != nil {
		return err
	}
	f.n.synced, f.n.dirty = b, false
	return nil
}

// fail writes what may be left after the power has failed.
func (l *lossy) fail(rng *rand.Rand, into string) error {
	l.mu.Lock()
	defer l.mu.Unlock()
	var write func(n *node, path string) error
	write = func(n *node, path string) error {
		if !n.dir {
			b := n.synced
			if n.dirty && rng.IntN(2) == 0 {
				if b = n.content(); len(b) > 0 {
					b = b[:rng.IntN(len(b)+1)]
					clear(b[rng.IntN(len(b)+1):])
				}
			}
			return os.WriteFile(path, b, 0o600)
		}
		if err := os.MkdirAll(path, 0o700); err != nil {
			return err
		}
		names := map[string]bool{}
		for name := range n.now {
			names[name] = true
		}
		for name := range n.kept {
			names[name] = true
		}
		for name := range names {
			one := n.kept[name]
			if n.now[name] != one && rng.IntN(2) == 0 {
				one = n.now[name]
			}
			if one == nil {
				continue
			}
			if err := write(one, filepath.Join(path, name)); err != nil {
				return err
			}
		}
		return nil
	}
	return write(l.tree, into)
}

// committed is what a database would hold a row of: it is told to be there.
type committed struct {
	part Part
	want []float32 // of the first channel
}

// The power fails at any moment of imports, of pictures and of making damaged
// copies again: what was told to be there is there and whole, and nothing that
// is there is only a part.
func TestPowerLoss(t *testing.T) {
	dir := t.TempDir()
	var sounds []string
	for i := range 2 {
		path := filepath.Join(dir, fmt.Sprint(i, ".wav"))
		outside.FFmpeg(t, "-f", "lavfi", "-i", fmt.Sprintf("anoisesrc=r=48000:d=1.5:seed=%d", i+1), path)
		sounds = append(sounds, path)
	}
	film := filepath.Join(dir, "film.mkv")
	outside.FFmpeg(t, "-f", "lavfi", "-i", "testsrc=s=64x48:r=25:d=1.2", "-c:v", "mpeg4", film)
	runs := 14
	if f, err := strconv.Atoi(os.Getenv("BLENDSEAM_TORTURE")); err == nil {
		runs *= f
	}
	ctx := context.Background()
	// How many operations there are in all, by a run in which the power holds.
	work := func(on *lossy, l *Library) (told []committed) {
		for i, path := range append(slices.Clone(sounds), film, sounds[0]) {
			f, err := os.Open(path)
			if err != nil {
				t.Fatal(err)
			}
			u, err := l.Receive(ctx, filepath.Base(path), f, func(int64) {})
			f.Close()
			if err != nil {
				return told
			}
			if path == film {
				pic, ok, err := l.Look(ctx, u)
				if err != nil || !ok {
					t.Fatal(ok, err)
				}
				if _, err := l.Take(ctx, u, pic, func(float64) {}); err != nil {
					return told
				}
				told = append(told, committed{part: Part{u.Hash, 0}})
			} else {
				if _, err := l.Import(ctx, u, 48000, func(float64) {}); err != nil {
					return told
				}
				c, err := l.Copy(u.Hash, 48000)
				if err != nil {
					t.Fatal(err)
				}
				told = append(told, committed{Part{u.Hash, 48000}, samples(t, c, 0)})
			}
			if i == 1 { // a damaged copy is made again
				if err := l.Remake(ctx, Part{u.Hash, 48000}, "x"); err != nil {
					return told
				}
			}
			u.Discard()
		}
		return told
	}
	open := func(left int) (*lossy, *Library) {
		root := t.TempDir()
		on := newLossy(root, left)
		l, err := openLibrary(root, on)
		if err != nil {
			t.Fatal(err)
		}
		return on, l
	}
	on, l := open(1 << 30)
	if told := work(on, l); len(told) != 4 {
		t.Fatalf("with power %d of 4 were done", len(told))
	}
	all := 1<<30 - on.left
	t.Logf("%d operations", all)
	l.Close()
	var lost int
	for run := range runs {
		rng := rand.New(rand.NewPCG(uint64(run), 5))
		on, l := open(rng.IntN(all))
		told := work(on, l)
		lost += 4 - len(told)
		after := t.TempDir()
		if err := on.fail(rng, after); err != nil {
			t.Fatal(err)
		}
		l.lock.Close()
		l, err := OpenLibrary(after)
		if err != nil {
			t.Fatal(err)
		}
		for _, c := range told {
			if err := errors.Join(l.Check(ctx, c.part), l.CheckOriginal(ctx, c.part.Hash)); err != nil {
				t.Fatalf("run %d: what was told to be there: %v", run, err)
			}
			if c.part.Rate > 0 {
				got, err := l.Copy(c.part.Hash, c.part.Rate)
				if err != nil {
					t.Fatal(err)
				}
				equal(t, fmt.Sprint("run ", run), samples(t, got, 0), c.want)
			} else if f, err := l.Frames(c.part.Hash); err != nil || f.Count() != 30 {
				t.Fatalf("run %d: frames: %v", run, err)
			}
		}
		parts, err := l.Parts()
		if err != nil {
			t.Fatal(err)
		}
		for _, p := range parts {
			if err := l.Check(ctx, p); err != nil && !errors.Is(err, ErrNoCopy) {
				t.Fatalf("run %d: a part is there: %v", run, err)
			}
		}
		// All of it can be imported once more.
		if told := work(on, l); len(told) != 4 {
			t.Fatalf("run %d: afterwards %d of 4 came in", run, len(told))
		}
		l.Close()
	}
	t.Logf("%d imports were cut off in %d runs", lost, runs)
}
