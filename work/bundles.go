package work

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"slices"
	"time"

	"blendseam/core/conform"
	"blendseam/core/reel"
	"blendseam/delivery/handon"
	"blendseam/interchange/bundle"
	"blendseam/media"
	"blendseam/store"
)

// BundleSettings are what is kept of a bundle that is wanted.
type BundleSettings struct {
	History  bool `json:"history" doc:"every step that led to the reel"`
	Versions bool `json:"versions" doc:"its named versions"`
	// List has an edit list with its sound written instead, for other programs.
	List string `json:"list,omitempty" doc:"adl for an audio decision list (AES31-3) with its sound instead of a bundle"`
	// Fades says which fades of such a list are files of their own.
	Fades conform.Fades `json:"fades,omitempty" doc:"of an audio decision list: leans for files of fades and blends with lean or bend and matched blends, curved for files of all but straight ones"`
	// Clips has files of clips that such a list cannot say.
	Clips bool `json:"clips,omitempty" doc:"of an audio decision list: files of clips with gain lines, struck spans, a treatment or a balance of their own"`
}

func (s BundleSettings) choice() conform.Choice {
	return conform.Choice{Fades: s.Fades, Clips: s.Clips}
}

// Bundles writes reels with their sound as one file, and takes such files over.
type Bundles struct {
	Store   *store.Store
	Library *media.Library
	Files   *Files
}

// MadeBy is what a bundle says of who wrote it.
const MadeBy = "Blend Seam"

// Do works at a bundle: of the reel as it is when its turn comes, at one revision.
func (x *Bundles) Do(ctx context.Context, j store.Job, told func(float64)) (out Outcome, err error) {
	var want BundleSettings
	if err := json.Unmarshal(j.Settings, &want); err != nil {
		return out, err
	}
	f, err := x.Files.Begin(j.ID)
	if err != nil {
		return out, err
	}
	out.File = f.Name()
	if out.Detail, err = x.into(ctx, f, j.Reel, want, told); err != nil {
		_ = f.Close()
		x.Files.Drop(out.File)
		return Outcome{}, err
	}
	_, err = x.Files.Finish(f)
	return out, err
}

// into writes what is wanted, and tells what came of it.
func (x *Bundles) into(ctx context.Context, f *os.File, id int64, want BundleSettings, told func(float64)) (detail string, err error) {
	if want.List == "" {
		index, err := x.Write(ctx, f, id, want, told)
		detail = fmt.Sprintf("revision %d", index.Revision)
		if len(index.Lacking) > 0 {
			detail += fmt.Sprintf(", without %s: not in the library", some(index.Lacking))
		}
		return detail, err
	}
	v, err := x.Store.Load(ctx, id)
	if err != nil {
		return "", err
	}
	v.Reel = Present(x.Library, v.Reel)
	all := float64(max(handon.Samples(v.Reel, want.choice()), 1))
	w := bufio.NewWriterSize(f, 1<<20)
	lost, err := handon.Write(ctx, w, v.Reel, want.choice(), OpenerOf(x.Library)(v.Reel.Props.SampleRate), time.Now(), func(n int64) { told(float64(n) / all) })
	if err == nil {
		err = w.Flush()
	}
	detail = fmt.Sprintf("revision %d", v.Revision)
	for _, l := range lost {
		detail += " · " + l
	}
	return detail, err
}

// some are names in words, the first few of them.
func some(names []string) string {
	if len(names) <= 2 {
		return "“" + names[0] + "”" + map[bool]string{true: " and “" + names[len(names)-1] + "”"}[len(names) == 2]
	}
	return fmt.Sprintf("“%s” and %d others", names[0], len(names)-1)
}

// Write writes a reel as a bundle.
func (x *Bundles) Write(ctx context.Context, w io.Writer, id int64, want BundleSettings, told func(float64)) (bundle.Index, error) {
	h, err := x.Store.Hand(ctx, id, want.History, want.Versions)
	if err != nil {
		return bundle.Index{}, err
	}
	names, err := x.Store.FilesOf(ctx, id)
	if err != nil {
		return bundle.Index{}, err
	}
	all := int64(1)
	for hash := range names {
		all += x.Library.OriginalSize(hash)
	}
	buffered := bufio.NewWriterSize(w, 1<<20)
	out, err := bundle.Write(ctx, buffered, h, MadeBy, time.Now(), func(hash string) (bundle.File, error) {
		f, err := x.Library.Original(hash)
		if err != nil {
			return bundle.File{}, err
		}
		name := names[hash]
		if name == "" {
			name = hash[:12]
		}
		out := bundle.File{Name: name, Body: f}
		out.CRC32C, out.Bytes, _ = x.Library.OriginalSum(hash)
		return out, nil
	}, func(n int64) {
		if told != nil {
			told(min(float64(n)/float64(all), 1))
		}
	})
	if err == nil {
		err = buffered.Flush()
	}
	return out, err
}

// TakenOver is what came of a bundle.
type TakenOver struct {
	Reel int64    `json:"reel"`
	Name string   `json:"name"`
	Left []string `json:"left" doc:"what was left out, and why"`
}

// TakeOver makes a reel of a bundle, with all its sound. What a bundle lacks is missing
// in the reel as well: told, and found again by Locate.
func (x *Bundles) TakeOver(ctx context.Context, f *os.File, size int64, told func(float64)) (out TakenOver, err error) {
	a, err := bundle.Open(f, size, bundle.Usual)
	if err != nil {
		return out, err
	}
	h := a.Handed
	out.Name, out.Left = h.Reel.Props.Name, []string{}
	all, done := int64(1), int64(0)
	for _, r := range a.Index.Recordings {
		all += r.Bytes
	}
	for _, r := range a.Index.Recordings {
		err := x.takeRecording(ctx, a, r, h.Reel.Props.SampleRate, func(p float64) {
			if told != nil {
				told((float64(done) + p*float64(r.Bytes)) / float64(all))
			}
		})
		if err != nil {
			return out, err
		}
		done += r.Bytes
	}
	if err := x.whole(ctx, h.Reel, a); err != nil {
		return out, err
	}
	for _, name := range slices.Sorted(slices.Values(a.Needs())) {
		out.Left = append(out.Left, fmt.Sprintf("“%s” is not in the bundle. Import its file to hear it.", name))
	}
	id, left, err := x.Store.TakeOver(ctx, h)
	out.Reel, out.Left = id, append(out.Left, left...)
	return out, err
}

// takeRecording takes a file of a bundle into the library, unless it is there.
func (x *Bundles) takeRecording(ctx context.Context, a *bundle.Archive, r bundle.Recording, rate int, told func(float64)) error {
	kinds := recordingKinds(a.Handed.Reel, r.Hash)
	if x.there(ctx, r.Hash, rate, kinds) {
		x.Library.Touch(r.Hash)
		return nil
	}
	body, err := a.Recording(r.Hash)
	if err != nil {
		return err
	}
	defer body.Close()
	u, err := x.Library.ReceiveFrom(ctx, r.Name, body, func(n int64) { told(0.3 * float64(n) / float64(max(r.Bytes, 1))) })
	if err != nil {
		return err
	}
	defer u.Discard()
	if u.Hash != r.Hash {
		return &bundle.Malformed{Why: fmt.Sprintf("“%.100s” was altered: its content hash is %.12s…, not %.12s…", r.Name, u.Hash, r.Hash)}
	}
	if kinds["picture"] {
		seen, _, err := x.Library.Look(ctx, u)
		if err != nil {
			return err
		}
		took, err := x.Library.Take(ctx, u, seen, told)
		if err == nil {
			err = x.Store.SavePicture(ctx, store.Picture{Hash: took.Hash, FileName: u.Name, Format: took.Format, Bytes: took.Bytes, Rate: took.Rate, Frames: took.Frames, Width: took.Width, Height: took.Height, StartFrame: took.StartFrame, Note: took.Note})
		}
		if err != nil {
			return err
		}
	}
	if !kinds["sound"] {
		return nil
	}
	im, err := x.Library.Import(ctx, u, rate, func(p float64) { told(0.3 + 0.7*max(p, 0)) })
	if err != nil {
		return err
	}
	return x.Store.SaveRecording(ctx, recordingOf(im, u.Name))
}

// recordingKinds is what a recording is in a reel: sound, picture or both. One that only
// its history plays is taken as sound.
func recordingKinds(r *reel.Reel, hash string) map[string]bool {
	out := map[string]bool{}
	for _, s := range r.Sources {
		if s.Recording == hash || s.Fit.Of == hash && !s.Shows() {
			out[map[bool]string{true: "picture", false: "sound"}[s.Shows()]] = true
		}
	}
	if len(out) == 0 {
		out["sound"] = true
	}
	return out
}

// there reports whether a recording can be played, and shown, here already.
func (x *Bundles) there(ctx context.Context, hash string, rate int, kinds map[string]bool) bool {
	if kinds["sound"] {
		if _, ok, err := x.Store.Recording(ctx, hash, rate); err != nil || !ok {
			return false
		}
		if _, err := x.Library.Copy(hash, rate); err != nil {
			return false
		}
	}
	if kinds["picture"] {
		if _, ok, err := x.Store.Picture(ctx, hash); err != nil || !ok {
			return false
		}
		if _, err := x.Library.Frames(hash); err != nil {
			return false
		}
	}
	return true
}

// whole refuses a reel whose clips play more than its recordings hold.
func (x *Bundles) whole(ctx context.Context, r *reel.Reel, a *bundle.Archive) error {
	lengths := map[string]int64{}
	for _, s := range r.Sources {
		if s.Recording == "" || s.Shows() {
			continue
		}
		if _, known := lengths[s.Recording]; !known {
			lengths[s.Recording] = -1
			rec, ok, err := x.Store.Recording(ctx, s.Recording, r.Props.SampleRate)
			if err != nil {
				return err
			}
			if ok {
				lengths[s.Recording] = rec.Length
				if max(s.Left, s.Right) >= rec.Channels {
					return &bundle.Malformed{Why: fmt.Sprintf("“%.100s” plays a channel that its recording does not have", s.Name)}
				}
			}
		}
		if n := lengths[s.Recording]; n >= 0 && s.Length > n {
			return &bundle.Malformed{Why: fmt.Sprintf("“%.100s” is longer than its recording", s.Name)}
		}
	}
	return nil
}
