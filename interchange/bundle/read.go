package bundle

import (
	"archive/zip"
	"bytes"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"encoding/json"
	"errors"
	"hash"
	"io"
	"strings"

	"blendseam/core/reel"
)

// Archive is an archive that was opened and looked through.
type Archive struct {
	Index  Index
	Handed Handed
	files  map[string]*zip.File // recordings by hash
}

// Open reads all of an archive but its recordings. What is wrong with it is told as a
// *Malformed; nothing of it is ever written to a path that it names.
func Open(r io.ReaderAt, size int64, most Limits) (*Archive, error) {
	if err := bounded(r, size); err != nil {
		return nil, err
	}
	z, err := zip.NewReader(r, size)
	if err != nil {
		return nil, malformed("this is no whole ZIP archive: %v", err)
	}
	if len(z.File) > mostEntries {
		return nil, malformed("it holds %d files; a bundle has at most %d", len(z.File), mostEntries)
	}
	by := map[string]*zip.File{}
	for _, f := range z.File {
		if by[f.Name] != nil {
			return nil, malformed("it holds two files named “%.100s”", f.Name)
		}
		if !f.Mode().IsRegular() {
			continue // folders, and links, which are never followed
		}
		by[f.Name] = f
	}
	a := &Archive{files: map[string]*zip.File{}}
	if err := text(by, indexName, min(most.Text, mostIndex), &a.Index); err != nil {
		return nil, err
	}
	switch {
	case a.Index.Format != Format:
		return nil, malformed("this ZIP archive is no bundle of Blend Seam")
	case a.Index.Version > FormatVersion:
		return nil, ErrNewer
	case a.Index.Version < 1:
		return nil, malformed("it is of no version that is known")
	}
	a.Handed.Revision, a.Handed.Accepted = max(a.Index.Revision, 1), a.Index.Accepted
	if err := text(by, reelName, min(most.Text, mostReel), &a.Handed.Reel); err != nil {
		return nil, err
	}
	if a.Handed.Reel == nil {
		return nil, malformed("its reel is empty")
	}
	if a.Index.History {
		if err := text(by, stepsName, most.Text, &a.Handed.Steps); err != nil {
			return nil, err
		}
	}
	if a.Index.Versions {
		if err := text(by, versionsName, most.Text, &a.Handed.Versions); err != nil {
			return nil, err
		}
	}
	if err := a.Handed.Reel.Check(); err != nil {
		return nil, malformed("its reel breaks a rule: %v", err)
	}
	return a, a.index(by, most.Sound)
}

// index finds the recordings that the archive says it holds.
func (a *Archive) index(by map[string]*zip.File, most int64) error {
	all := int64(0)
	for _, r := range a.Index.Recordings {
		f := by[r.Path]
		switch {
		case f == nil || !strings.HasPrefix(r.Path, soundFolder):
			return malformed("it lacks the recording “%.100s”, which it says it holds", r.Name)
		case len(r.Hash) != 64 || strings.Trim(r.Hash, "0123456789abcdef") != "":
			return malformed("“%.100s” has no content hash", r.Name)
		case r.Bytes < 0 || uint64(r.Bytes) != f.UncompressedSize64:
			return malformed("“%.100s” is not as long as it says", r.Name)
		case a.files[r.Hash] != nil:
			return malformed("it holds “%.100s” twice", r.Name)
		}
		if all += r.Bytes; all > most || all < 0 {
			return malformed("its recordings are larger than %.4g GiB in all, the most that is taken in", float64(most)/(1<<30))
		}
		a.files[r.Hash] = f
	}
	return nil
}

// Recording opens a recording. What is read of it is held against its content hash: at
// its end it fails where it is not what was put in.
func (a *Archive) Recording(hash string) (io.ReadCloser, error) {
	f := a.files[hash]
	if f == nil {
		return nil, malformed("it does not hold that recording")
	}
	r, err := f.Open()
	if err != nil {
		return nil, malformed("“%.100s” cannot be read: %v", f.Name, err)
	}
	return &checked{r, f.Name, hash, int64(f.UncompressedSize64), sha256.New()}, nil
}

type checked struct {
	io.ReadCloser
	name, want string
	left       int64
	sum        hash.Hash
}

func (c *checked) Read(b []byte) (int, error) {
	n, err := c.ReadCloser.Read(b)
	_, _ = c.sum.Write(b[:n]) // it does not fail
	if c.left -= int64(n); c.left < 0 {
		return 0, malformed("“%.100s” is longer than it says", c.name)
	}
	if errors.Is(err, io.EOF) {
		if got := hex.EncodeToString(c.sum.Sum(nil)); got != c.want {
			return n, malformed("“%.100s” was altered: its content hash is %.12s…, not %.12s…", c.name, got, c.want)
		}
		return n, io.EOF
	}
	if err != nil {
		return n, malformed("“%.100s” is damaged: %v", c.name, err)
	}
	return n, nil
}

// text reads a JSON text of an archive.
func text(by map[string]*zip.File, name string, most int64, into any) error {
	f := by[name]
	if f == nil {
		if name == indexName {
			return malformed("this ZIP archive is no bundle of Blend Seam")
		}
		return malformed("it lacks %s", name)
	}
	if f.UncompressedSize64 > uint64(most) {
		return malformed("%s is larger than can be read", name)
	}
	r, err := f.Open()
	if err != nil {
		return malformed("%s cannot be read: %v", name, err)
	}
	defer r.Close()
	b, err := io.ReadAll(io.LimitReader(r, most+1))
	if err != nil {
		return malformed("%s is damaged: %v", name, err)
	}
	if int64(len(b)) > most {
		return malformed("%s is larger than can be read", name)
	}
	if err := json.Unmarshal(b, into); err != nil {
		return malformed("%s is no JSON that is known: %v", name, err)
	}
	return nil
}

// bounded looks at the end of an archive before its list of files is read into memory:
// that list may be as long as the whole file, whatever number it tells.
func bounded(r io.ReaderAt, size int64) error {
	const endLen, mostComment = 22, 1 << 16
	from := max(size-endLen-mostComment, 0)
	b := make([]byte, size-from)
	if _, err := r.ReadAt(b, from); err != nil && !errors.Is(err, io.EOF) {
		return err
	}
	i := bytes.LastIndex(b, []byte("PK\x05\x06"))
	if i < 0 || i+endLen > len(b) {
		return malformed("this is no whole ZIP archive")
	}
	le := binary.LittleEndian
	long, at := int64(le.Uint32(b[i+12:])), int64(le.Uint32(b[i+16:]))
	end := from + int64(i)
	if long == 0xffffffff || at == 0xffffffff { // told in 64 bits further ahead
		var locator [20]byte
		if _, err := r.ReadAt(locator[:], end-20); err != nil || string(locator[:4]) != "PK\x06\x07" {
			return malformed("this is no whole ZIP archive")
		}
		var e [56]byte
		place := le.Uint64(locator[8:])
		if place > uint64(size) {
			return malformed("this is no whole ZIP archive")
		}
		if _, err := r.ReadAt(e[:], int64(place)); err != nil || string(e[:4]) != "PK\x06\x06" {
			return malformed("this is no whole ZIP archive")
		}
		if le.Uint64(e[40:]) > uint64(size) || le.Uint64(e[48:]) > uint64(size) {
			return malformed("this is no whole ZIP archive")
		}
		long, at = int64(le.Uint64(e[40:])), int64(le.Uint64(e[48:]))
	}
	if long > mostDirectory || end-at > mostDirectory {
		return malformed("its list of files is longer than that of any bundle")
	}
	return nil
}

// Needs are the recordings that the reel plays and the archive does not hold, by name.
func (a *Archive) Needs() (out []string) {
	reels := []*reel.Reel{a.Handed.Reel}
	for hash, name := range needs(reels...) {
		if a.files[hash] == nil {
			out = append(out, name)
		}
	}
	return out
}
