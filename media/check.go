package media

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strconv"

	"blendseam/media/disk"
)

// Part is a working copy in the library, or the frames of a picture.
type Part struct {
	Hash string
	Rate int // 0 for the frames of a picture
}

// Parts lists what lies in the library.
func (l *Library) Parts() ([]Part, error) {
	var out []Part
	err := l.eachRecording(func(hash string) error {
		entries, err := os.ReadDir(l.folder(hash))
		if err != nil {
			return err
		}
		for _, e := range entries {
			if rate, err := strconv.Atoi(e.Name()); err == nil && rate > 0 && e.IsDir() {
				out = append(out, Part{hash, rate})
			}
			if e.Name() == "picture" && e.IsDir() {
				out = append(out, Part{hash, 0})
			}
		}
		return nil
	})
	return out, err
}

// eachRecording goes through the folders of recordings.
func (l *Library) eachRecording(do func(hash string) error) error {
	groups, err := os.ReadDir(l.dir)
	if err != nil {
		return err
	}
	for _, g := range groups {
		if len(g.Name()) != 2 || !g.IsDir() {
			continue
		}
		all, err := os.ReadDir(filepath.Join(l.dir, g.Name()))
		if err != nil {
			return err
		}
		for _, e := range all {
			if IsHash(e.Name()) && e.IsDir() {
				if err := do(e.Name()); err != nil && !errors.Is(err, os.ErrNotExist) {
					return err
				}
			}
		}
	}
	return nil
}

func (l *Library) place(p Part) string {
	if p.Rate == 0 {
		return l.pictureFolder(p.Hash)
	}
	return l.copyFolder(p.Hash, p.Rate)
}

// Check reads a part whole and compares it with what was written. A part from
// before there were checksums gets them when its files fit each other. What is
// wrong is a *Damaged.
func (l *Library) Check(ctx context.Context, p Part) error {
	if !IsHash(p.Hash) {
		return ErrNoCopy
	}
	dir := l.place(p)
	if _, err := os.Stat(dir); errors.Is(err, os.ErrNotExist) {
		return ErrNoCopy
	}
	known, err := readSums(dir)
	switch {
	case err == nil:
		err = known.contents(ctx, dir)
	case errors.Is(err, os.ErrNotExist) && p.Rate > 0:
		err = adopt(ctx, l.fs, dir)
	case errors.Is(err, os.ErrNotExist):
		err = adoptFrames(ctx, l, dir)
	default:
		err = fmt.Errorf("%s cannot be read", sumsFile)
	}
	err = damage(p.Hash, p.Rate, err)
	var d *Damaged
	if errors.As(err, &d) {
		// Only reading it whole has told; the next to open it is to know as well,
		// also after a restart.
		_ = disk.Put(l.fs, filepath.Join(dir, damagedFile), []byte(d.What))
		return l.spoiled(dir, d)
	}
	if err == nil {
		_ = l.fs.RemoveAll(filepath.Join(dir, damagedFile))
	}
	return err
}

func adoptFrames(ctx context.Context, l *Library, dir string) error {
	f, err := readFrames(dir)
	if err != nil {
		return err
	}
	_ = f.data.Close()
	list := sums{Files: map[string]fileSum{}}
	for _, name := range []string{"frames", "ends"} {
		if list.Files[name], err = sumOf(ctx, filepath.Join(dir, name)); err != nil {
			return err
		}
	}
	return list.write(l.fs, dir)
}

// Whole tells what keeps a part from being opened, nil for nothing.
func (l *Library) Whole(p Part) error {
	if p.Rate == 0 {
		_, err := l.Frames(p.Hash)
		return err
	}
	_, err := l.Copy(p.Hash, p.Rate)
	return err
}

// CheckOriginal reads the original of a recording whole and compares it with
// the hash that it is kept under.
func (l *Library) CheckOriginal(ctx context.Context, hash string) error {
	f, err := os.Open(l.original(hash))
	if err != nil {
		return err
	}
	defer f.Close()
	sum := sha256.New()
	buf := make([]byte, 1<<20)
	for {
		if err := ctx.Err(); err != nil {
			return err
		}
		n, err := f.Read(buf)
		sum.Write(buf[:n])
		if err == io.EOF {
			break
		}
		if err != nil {
			return err
		}
	}
	if hex.EncodeToString(sum.Sum(nil)) != hash {
		return errors.New("the original is not what was imported")
	}
	return nil
}

// Remake makes a part again from its original, where that is whole; else it is
// a *Damaged that is lost. Any other error may pass, such as a full disk: the
// part is as it was then. Name is for what is said.
func (l *Library) Remake(ctx context.Context, p Part, name string) error {
	if err := l.CheckOriginal(ctx, p.Hash); err != nil {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		return l.lost(p, err)
	}
	u, err := l.Reuse(p.Hash, name)
	if err != nil {
		return err
	}
	defer u.Discard()
	if p.Rate > 0 {
		_, err = l.Import(ctx, u, p.Rate, func(float64) {})
	} else {
		var pic Picture
		var ok bool
		if pic, ok, err = l.Look(ctx, u); err == nil && ok {
			_, err = l.Take(ctx, u, pic, func(float64) {}) // in the place of those that are there
		}
	}
	var trouble *Problem
	if errors.As(err, &trouble) && trouble.Kind != "diskFull" && trouble.Kind != "noHelper" && trouble.Kind != "stopped" && trouble.Kind != "busy" {
		return l.lost(p, err)
	}
	return err
}

func (l *Library) lost(p Part, why error) error {
	d := &Damaged{Hash: p.Hash, Rate: p.Rate, What: why.Error(), Lost: true}
	l.mu.Lock()
	l.damaged[l.place(p)] = d
	l.mu.Unlock()
	return d
}
