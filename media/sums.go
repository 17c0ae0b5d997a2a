package media

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"hash"
	"hash/crc32"
	"io"
	"os"
	"path/filepath"

	"blendseam/core/floor"
	"blendseam/core/sound"
	"blendseam/media/disk"
)

// Beside the files of a working copy, or of the frames of a picture, lies a
// list of how long each is and of its checksum. It is written last, so that a
// folder with one is whole. Lengths are compared when a copy is opened,
// checksums when the library is looked through.

// sumsFile is the list's name.
const sumsFile = "sums.json"

// damagedFile marks a folder that was found not to be what was written, until
// it is made again. It holds what was found.
const damagedFile = "damaged"

// castagnoli is the polynomial of CRC-32C (RFC 3720, 12.1), which processors
// count by themselves.
var castagnoli = crc32.MakeTable(crc32.Castagnoli)

// sums are what is known of the files of a folder.
type sums struct {
	Files map[string]fileSum `json:"files"`
	// Original is the file that a working copy was made of, where it was received as that was
	// made: so it can be told quickly whether it still is what came.
	Original *fileSum `json:"original,omitempty"`
	// Lacking is set for frames of which the file promised more.
	Lacking int64 `json:"lacking,omitempty"`
}

type fileSum struct {
	Bytes int64  `json:"bytes"`
	CRC   string `json:"crc32c"`
}

// tally counts what is written to a file.
type tally struct {
	n   int64
	crc hash.Hash32
}

func newTally() tally { return tally{crc: crc32.New(castagnoli)} }

func (t *tally) add(b []byte) {
	t.n += int64(len(b))
	_, _ = t.crc.Write(b)
}

func (t *tally) sum() fileSum { return fileSum{t.n, fmt.Sprintf("%08x", t.crc.Sum32())} }

func readSums(dir string) (sums, error) {
	var s sums
	b, err := os.ReadFile(filepath.Join(dir, sumsFile))
	if err == nil {
		err = json.Unmarshal(b, &s)
	}
	return s, err
}

// opened is the list of a folder whose files are as long as it says; listed
// tells whether there is one.
func opened(dir string) (s sums, listed bool, err error) {
	if found, err := os.ReadFile(filepath.Join(dir, damagedFile)); err == nil {
		return s, true, errors.New(string(found))
	}
	s, err = readSums(dir)
	switch {
	case errors.Is(err, os.ErrNotExist):
		return s, false, nil
	case err != nil:
		return s, false, fmt.Errorf("%s cannot be read", sumsFile)
	}
	return s, true, s.lengths(dir)
}

func (s sums) write(fs disk.FS, dir string) error {
	b, err := json.Marshal(s)
	if err != nil {
		return err
	}
	return disk.Put(fs, filepath.Join(dir, sumsFile), b)
}

// lengths compares the lengths of the files of a folder with its list.
func (s sums) lengths(dir string) error {
	for name, want := range s.Files {
		info, err := os.Stat(filepath.Join(dir, name))
		switch {
		case errors.Is(err, os.ErrNotExist):
			return fmt.Errorf("%s is gone", name)
		case err != nil:
			return err
		case info.Size() != want.Bytes:
			return fmt.Errorf("%s has %d bytes instead of %d", name, info.Size(), want.Bytes)
		}
	}
	return nil
}

// contents compares the files of a folder with their checksums.
func (s sums) contents(ctx context.Context, dir string) error {
	for name, want := range s.Files {
		got, err := sumOf(ctx, filepath.Join(dir, name))
		if errors.Is(err, os.ErrNotExist) {
			return fmt.Errorf("%s is gone", name)
		}
		if err != nil {
			return err
		}
		if got.Bytes != want.Bytes {
			return fmt.Errorf("%s has %d bytes instead of %d", name, got.Bytes, want.Bytes)
		}
		if got != want {
			return fmt.Errorf("%s is not what was written", name)
		}
	}
	return nil
}

func sumOf(ctx context.Context, path string) (fileSum, error) {
	f, err := os.Open(path)
	if err != nil {
		return fileSum{}, err
	}
	defer f.Close()
	t := newTally()
	buf := make([]byte, 1<<20)
	for {
		if err := ctx.Err(); err != nil {
			return fileSum{}, err
		}
		n, err := f.Read(buf)
		t.add(buf[:n])
		if err == io.EOF {
			return t.sum(), nil
		}
		if err != nil {
			return fileSum{}, err
		}
	}
}

// adopt makes the list of a working copy from before there were lists, when
// its files fit each other.
func adopt(ctx context.Context, fs disk.FS, dir string) error {
	s := sums{Files: map[string]fileSum{}}
	length := int64(-1)
	for ch := 0; ch < sound.MaxChannels; ch++ {
		name := filepath.Base(channelFile(dir, ch))
		got, err := sumOf(ctx, filepath.Join(dir, name))
		if errors.Is(err, os.ErrNotExist) {
			break
		}
		if err != nil {
			return err
		}
		if length >= 0 && got.Bytes != length || got.Bytes%4 != 0 {
			return fmt.Errorf("%s has %d bytes, and another channel %d", name, got.Bytes, length)
		}
		length = got.Bytes
		s.Files[name] = got
		for level := range sound.Levels {
			name := filepath.Base(overviewFile(dir, ch, level))
			got, err := sumOf(ctx, filepath.Join(dir, name))
			if errors.Is(err, os.ErrNotExist) {
				return fmt.Errorf("%s is gone", name)
			}
			if err != nil {
				return err
			}
			if want := sound.Buckets(length/4, level) * sound.BucketBytes; got.Bytes != want {
				return fmt.Errorf("%s has %d bytes instead of %d", name, got.Bytes, want)
			}
			s.Files[name] = got
		}
		if got, err := sumOf(ctx, floorFile(dir, ch)); err == nil && got.Bytes%floor.Bands == 0 {
			s.Files[filepath.Base(floorFile(dir, ch))] = got
		}
	}
	if length < 0 {
		return errors.New("its samples are gone")
	}
	return s.write(fs, dir)
}

// Damaged is a recording whose files are not what was written.
type Damaged struct {
	Hash string
	Rate int // of the working copy; 0 for the frames of a picture
	What string
	Lost bool // the original is not whole either
}

func (d *Damaged) Error() string {
	if d.Lost {
		return "the recording is damaged on the disk, and so is its original (" + d.What + ")"
	}
	return "the recording is damaged on the disk (" + d.What + ") and is being made again from its original"
}

// Possible says what would help.
func (d *Damaged) Possible() string {
	if d.Lost {
		return "Import the file again."
	}
	return "Try again in a moment."
}

func damage(hash string, rate int, err error) error {
	var d *Damaged
	if err == nil || errors.As(err, &d) || errors.Is(err, context.Canceled) || errors.Is(err, context.DeadlineExceeded) {
		return err
	}
	return &Damaged{Hash: hash, Rate: rate, What: err.Error()}
}
