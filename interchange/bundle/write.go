package bundle

import (
	"archive/zip"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"path"
	"slices"
	"strings"
	"time"
	"unicode"

	"blendseam/core/reel"
)

// File is a recording to be put into an archive.
type File struct {
	Name string // as it was imported
	Body io.ReadCloser
	// CRC32C and Bytes are what is known of it, in hex, where that is: then it is held
	// against that, which processors count by themselves, instead of its content hash.
	CRC32C string
	Bytes  int64
}

// Opener opens the file of a recording by its hash; fs.ErrNotExist where it is gone.
type Opener func(hash string) (File, error)

// readMe is what somebody finds who opens the archive years later without this program.
const readMe = `This is a reel of Blend Seam with its sound.

bundle.json    what is in here
reel.json      the edit: tracks, clips, blends, gains; times are samples at "sampleRate"
history.json   every step that led to it, where it was wanted
versions.json  its named versions, where they were wanted
recordings/    the files as they were imported, none altered

A clip plays source samples [offset, offset+length) at "start" on its track.
`

// Write writes a reel that is handed on as an archive. Told, where it is given, is called
// with how many bytes of recordings are written. It gives the index as written.
func Write(ctx context.Context, w io.Writer, h Handed, madeBy string, now time.Time, open Opener, told func(int64)) (Index, error) {
	z := zip.NewWriter(w)
	x := Index{
		Format: Format, Version: FormatVersion, Made: now.UTC(), MadeBy: madeBy, Name: h.Reel.Props.Name, Revision: h.Revision,
		Recordings: []Recording{}, History: len(h.Steps) > 0, Versions: len(h.Versions) > 0, Accepted: h.Accepted,
	}
	reels := []*reel.Reel{h.Reel}
	for _, v := range h.Versions {
		reels = append(reels, v.Reel)
	}
	wanted, taken, done := needs(reels...), map[string]bool{}, int64(0)
	if err := needsOf(h.Steps, wanted); err != nil {
		return x, err
	}
	for _, hash := range slices.Sorted(maps.Keys(wanted)) {
		r, err := putRecording(ctx, z, hash, now, open, taken, func(n int64) {
			if told != nil {
				told(done + n)
			}
		})
		if err == nil {
			done += r.Bytes
			x.Recordings = append(x.Recordings, r)
			continue
		}
		if !errors.Is(err, fs.ErrNotExist) {
			return x, err
		}
		x.Lacking = append(x.Lacking, wanted[hash])
	}
	texts := []struct {
		name string
		has  bool
		what any
		most int64 // bytes that are read again
	}{{reelName, true, h.Reel, mostReel}, {stepsName, x.History, h.Steps, Usual.Text}, {versionsName, x.Versions, h.Versions, Usual.Text}, {indexName, true, x, mostIndex}}
	for _, t := range texts {
		if !t.has {
			continue
		}
		e, err := z.CreateHeader(&zip.FileHeader{Name: t.name, Method: zip.Deflate, Modified: now})
		if err == nil {
			err = json.NewEncoder(&limited{e, t.most}).Encode(t.what)
		}
		if err != nil {
			return x, err
		}
	}
	e, err := z.CreateHeader(&zip.FileHeader{Name: readMeName, Method: zip.Deflate, Modified: now})
	if err == nil {
		_, err = io.WriteString(e, readMe)
	}
	if err != nil {
		return x, err
	}
	return x, z.Close()
}

// limited is a writer that takes no more than can be read again.
type limited struct {
	w    io.Writer
	left int64
}

func (l *limited) Write(b []byte) (int, error) {
	if l.left -= int64(len(b)); l.left < 0 {
		return 0, ErrTooLong
	}
	return l.w.Write(b)
}

// putRecording copies a file into an archive, unpacked: sound does not get smaller so.
func putRecording(ctx context.Context, z *zip.Writer, hash string, now time.Time, open Opener, taken map[string]bool, told func(int64)) (r Recording, err error) {
	f, err := open(hash)
	if err != nil {
		return r, err
	}
	defer f.Body.Close()
	r = Recording{Hash: hash, Name: f.Name, Path: soundFolder + entryName(f.Name, hash, taken)}
	e, err := z.CreateHeader(&zip.FileHeader{Name: r.Path, Method: zip.Store, Modified: now})
	if err != nil {
		return r, err
	}
	want, sum := hash, summed
	if f.CRC32C != "" {
		want, sum = f.CRC32C, counted
	}
	var got string
	if r.Bytes, got, err = sum(e, &watched{ctx, f.Body, 0, told}); err != nil {
		return r, err
	}
	if got != want || f.CRC32C != "" && r.Bytes != f.Bytes {
		return r, fmt.Errorf("“%s” in the library is damaged: it is not what was imported. Import it again", f.Name)
	}
	return r, nil
}

// entryName is a name that any file system takes, and no two the same in any case.
func entryName(name, hash string, taken map[string]bool) string {
	clean := strings.Map(func(c rune) rune {
		if strings.ContainsRune(`/\:*?"<>|`, c) || unicode.IsControl(c) || !unicode.IsPrint(c) {
			return '-'
		}
		return c
	}, path.Base("/"+name))
	for len(clean) > 120 { // its ending stays
		clean = string([]rune(clean)[1:])
	}
	if clean = strings.Trim(clean, " ."); clean == "" {
		clean = "recording"
	}
	if key := strings.ToLower(clean); taken[key] {
		clean = hash[:8] + " " + clean
	}
	taken[strings.ToLower(clean)] = true
	return clean
}

// watched is a reader that ends with its context and tells how far it is.
type watched struct {
	ctx  context.Context
	r    io.Reader
	n    int64
	told func(int64)
}

func (w *watched) Read(b []byte) (int, error) {
	if err := w.ctx.Err(); err != nil {
		return 0, err
	}
	n, err := w.r.Read(b)
	w.n += int64(n)
	w.told(w.n)
	return n, err
}
