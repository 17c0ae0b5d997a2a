// Package offline opens a reel with its sound from a file, without a database: for
// commands, scripts and nightly checks. What it measures is what the bench measures.
package offline

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"blendseam/core/conform"
	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/interchange/adl"
	"blendseam/interchange/bundle"
	"blendseam/interchange/edl"
	"blendseam/interchange/otio"
	"blendseam/media"
)

// Document is a reel that was opened, with its sound in a folder of its own that goes
// when it is closed.
type Document struct {
	Reel     *reel.Reel
	Revision int64
	Accepted map[string]bool // prints of seams that were found good
	Notes    []string        // what was left out, or is missing
	handed   bundle.Handed
	names    map[string]string // of recordings' files, by hash
	library  *media.Library
	dir      string
}

// Unreadable is a file that cannot be opened, and why.
type Unreadable struct {
	File string
	Why  error
}

func (u *Unreadable) Error() string { return fmt.Sprintf("%s: %v", u.File, u.Why) }
func (u *Unreadable) Unwrap() error { return u.Why }

// Open opens a bundle, or an edit list (EDL, OpenTimelineIO or AES31-3) whose sound lies in a
// folder. Told, where it is given, is told how far it is, 0 to 1.
func Open(ctx context.Context, file, folder string, told func(float64)) (*Document, error) {
	if told == nil {
		told = func(float64) {}
	}
	dir, err := os.MkdirTemp("", "blendseam-*")
	if err != nil {
		return nil, err
	}
	d := &Document{dir: dir, names: map[string]string{}, Accepted: map[string]bool{}}
	if d.library, err = media.OpenLibrary(filepath.Join(dir, "recordings")); err == nil {
		if strings.EqualFold(filepath.Ext(file), ".zip") {
			err = d.bundle(ctx, file, told)
		} else {
			err = d.list(ctx, file, folder, told)
		}
	}
	if err != nil {
		d.Close()
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		return nil, &Unreadable{file, err}
	}
	return d, nil
}

// Close lets go of the document and removes its folder.
func (d *Document) Close() {
	if d.library != nil {
		_ = d.library.Close()
	}
	_ = os.RemoveAll(d.dir)
}

// Sound gives mix the sound of the reel's sources.
func (d *Document) Sound() mix.Open {
	return func(src reel.Source) (sound.Reader, error) { return d.library.Sound(src, d.Reel.Props.SampleRate) }
}

// bundle opens a bundle with the recordings that are heard.
func (d *Document) bundle(ctx context.Context, file string, told func(float64)) error {
	f, err := os.Open(file)
	if err != nil {
		return err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return err
	}
	a, err := bundle.Open(f, info.Size(), bundle.Usual)
	if err != nil {
		return err
	}
	d.handed, d.Reel, d.Revision = a.Handed, a.Handed.Reel, a.Handed.Revision
	for _, p := range a.Handed.Accepted {
		d.Accepted[p] = true
	}
	heard := map[string]bool{}
	for _, s := range d.Reel.Sources {
		heard[s.Recording] = heard[s.Recording] || !s.Shows()
	}
	for i, r := range a.Index.Recordings {
		told(float64(i) / float64(len(a.Index.Recordings)))
		d.names[r.Hash] = r.Name
		body, err := a.Recording(r.Hash)
		if err != nil {
			return err
		}
		err = d.take(ctx, r.Name, r.Hash, body, heard[r.Hash])
		_ = body.Close()
		if err != nil {
			return err
		}
	}
	for _, name := range slices.Sorted(slices.Values(a.Needs())) {
		d.Notes = append(d.Notes, fmt.Sprintf("“%s” is not in the bundle.", name))
	}
	return nil
}

// take takes a file into the library, decoded where it is heard.
func (d *Document) take(ctx context.Context, name, hash string, body io.Reader, heard bool) error {
	u, err := d.library.ReceiveFrom(ctx, name, body, func(int64) {})
	if err != nil {
		return err
	}
	defer u.Discard()
	if hash != "" && u.Hash != hash {
		return fmt.Errorf("“%s” was altered: its content hash is %.12s…, not %.12s…", name, u.Hash, hash)
	}
	if !heard {
		return d.library.Keep(u)
	}
	_, err = d.library.Import(ctx, u, d.Reel.Props.SampleRate, func(float64) {})
	return err
}

// endings are those of files that are looked at for sound.
var endings = []string{".wav", ".bwf", ".rf64", ".w64", ".flac", ".aif", ".aiff", ".mp3", ".m4a", ".ogg", ".opus"}

// list opens an edit list, at 48 kHz, and finds its recordings in a folder by their names
// and timecode.
func (d *Document) list(ctx context.Context, file, folder string, told func(float64)) error {
	text, err := os.ReadFile(file)
	if err != nil {
		return err
	}
	if int64(len(text)) > otio.MostBytes {
		return errors.New("the list is too long to be one")
	}
	l, err := ReadList(text, 48000)
	if err != nil {
		return err
	}
	d.Reel = &reel.Reel{NextID: 1, Props: reel.Props{Name: strings.TrimSuffix(filepath.Base(file), filepath.Ext(file)), SampleRate: 48000, FrameRate: l.Rate, StartFrame: l.StartFrame}}
	d.Revision = 1
	if err := d.folder(ctx, folder, told); err != nil {
		return err
	}
	c := conform.Conform(l, d.Reel)
	done, err := (&reel.Assemble{Name: d.Reel.Props.Name, What: c.What}).Apply(d.Reel)
	if err != nil {
		return err
	}
	d.Reel = done.Reel
	d.Notes = append(d.Notes, c.Notes...)
	for _, m := range conform.MissingOf(d.Reel, nil) {
		if !m.Shows() {
			d.Notes = append(d.Notes, fmt.Sprintf("“%s” was not found. Name its folder with --media.", m.Name))
		}
	}
	d.handed = bundle.Handed{Revision: 1}
	return nil
}

// ReadList reads an edit list of either kind.
func ReadList(text []byte, rate int) (conform.List, error) {
	if head := strings.TrimLeft(string(text[:min(len(text), 4096)]), "\ufeff \t\r\n"); strings.HasPrefix(head, "{") {
		return otio.Read(text, rate)
	}
	if adl.Is(text) {
		return adl.Read(text, rate)
	}
	rates := edl.Rates(text)
	if len(rates) == 0 {
		return conform.List{}, errors.New("it is neither a bundle (.zip) nor an edit list (EDL, OpenTimelineIO, AES31-3)")
	}
	return edl.Read(text, rates[0], rate)
}

// folder takes the recordings of a folder as sources.
func (d *Document) folder(ctx context.Context, folder string, told func(float64)) error {
	if folder == "" {
		return nil
	}
	var found []string
	err := filepath.WalkDir(folder, func(path string, e fs.DirEntry, err error) error {
		if err == nil && e.Type().IsRegular() && slices.Contains(endings, strings.ToLower(filepath.Ext(path))) {
			found = append(found, path)
		}
		return err
	})
	if err != nil {
		return err
	}
	for i, path := range found {
		told(float64(i) / float64(len(found)))
		if err := d.source(ctx, path); err != nil {
			if ctx.Err() != nil {
				return ctx.Err()
			}
			d.Notes = append(d.Notes, fmt.Sprintf("%s: %v", path, err))
		}
	}
	return nil
}

func (d *Document) source(ctx context.Context, path string) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	defer f.Close()
	u, err := d.library.ReceiveFrom(ctx, filepath.Base(path), f, func(int64) {})
	if err != nil {
		return err
	}
	defer u.Discard()
	im, err := d.library.Import(ctx, u, d.Reel.Props.SampleRate, func(float64) {})
	if err != nil {
		return err
	}
	d.names[im.Hash] = u.Name
	right := -1
	if im.Channels == 2 {
		right = 1
	}
	for ch := 0; ch < im.Channels; ch++ { // of more than two each is one of its own
		name := reel.ShortName(im.Title)
		if im.Channels > 2 {
			name = reel.ShortName(fmt.Sprintf("%s, channel %d", im.Title, ch+1))
		}
		done, err := (&reel.AddSource{Source: reel.Source{Recording: im.Hash, Name: name, Left: ch, Right: right, Length: im.Length, StartTC: im.StartTC}}).Apply(d.Reel)
		var no *reel.Refusal
		if errors.As(err, &no) {
			return nil // the same sound again
		}
		if err != nil {
			return err
		}
		d.Reel = done.Reel
		if im.Channels <= 2 {
			break
		}
	}
	return nil
}

// Save writes the document with another reel in its place as a bundle, with its versions.
// Its history is left out: its steps do not lead there.
func (d *Document) Save(ctx context.Context, w io.Writer, r *reel.Reel) error {
	h := d.handed
	h.Reel, h.Steps, h.Revision = r, nil, 1
	_, err := bundle.Write(ctx, w, h, "Blend Seam", time.Now(), func(hash string) (bundle.File, error) {
		body, err := d.library.Original(hash)
		return bundle.File{Name: d.names[hash], Body: body}, err
	}, nil)
	return err
}

// List is the document as an edit list, and what that does not hold.
func (d *Document) List() (conform.List, []string) {
	return conform.FromReel(d.Reel, conform.FileNames(d.Reel, d.names))
}
