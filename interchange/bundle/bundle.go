// Package bundle reads and writes a reel with all its sound as one file: a ZIP archive
// of JSON texts and of the recordings as they were imported. docs/bundle.md tells of it,
// docs/bundle.schema.json is its schema.
package bundle

import (
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"blendseam/core/reel"
)

// Format names the format, FormatVersion what is written and the newest that is read.
const (
	Format        = "blend-seam-bundle"
	FormatVersion = 1
)

// The entries of an archive besides recordings.
const (
	indexName    = "bundle.json"
	reelName     = "reel.json"
	stepsName    = "history.json"
	versionsName = "versions.json"
	readMeName   = "README.txt"
	soundFolder  = "recordings/"
)

// Index is what an archive says of itself.
type Index struct {
	Format   string    `json:"format"`
	Version  int       `json:"version"`
	Made     time.Time `json:"made"`
	MadeBy   string    `json:"madeBy"`
	Name     string    `json:"name"`
	Revision int64     `json:"revision"`
	// Recordings are the files that the reel plays and shows.
	Recordings []Recording `json:"recordings"`
	History    bool        `json:"history"`            // history.json is there
	Versions   bool        `json:"versions"`           // versions.json is there
	Accepted   []string    `json:"accepted,omitempty"` // prints of seams that were found good
	Lacking    []string    `json:"lacking,omitempty"`  // names of recordings that were not there when it was written
}

// Recording is a file in an archive.
type Recording struct {
	Hash  string `json:"sha256"` // of its bytes, in hex
	Name  string `json:"name"`   // as it was imported
	Bytes int64  `json:"bytes"`
	Path  string `json:"path"` // of its entry
}

// Limits bound what is read.
type Limits struct {
	Text  int64 // bytes of one JSON text
	Sound int64 // bytes of all recordings
}

// Usual limits. A history of 10,000 steps takes about 50 MB.
var Usual = Limits{Text: 1 << 27, Sound: 1 << 40}

// ErrTooLong is a reel whose texts are longer than any bundle's.
var ErrTooLong = errors.New("its history or its versions are too long for a bundle. Save it without them")

const (
	mostIndex     = 4 << 20  // bytes
	mostReel      = 32 << 20 // bytes
	mostEntries   = 20_000
	mostDirectory = 8 << 20 // bytes of the list of entries
)

// Malformed is what is wrong with an archive, in words.
type Malformed struct{ Why string }

func (m *Malformed) Error() string { return m.Why }

func malformed(format string, a ...any) error { return &Malformed{fmt.Sprintf(format, a...)} }

// ErrNewer is an archive of a later version than is known here.
var ErrNewer = errors.New("this bundle was written by a newer version of Blend Seam. Open it there, or update this one")

// needs are the recordings that a reel plays, by hash.
func needs(reels ...*reel.Reel) map[string]string {
	out := map[string]string{}
	for _, r := range reels {
		for _, s := range r.Sources {
			if s.Recording != "" {
				out[s.Recording] = s.Name
			}
			if s.Fit.Of != "" && out[s.Fit.Of] == "" {
				out[s.Fit.Of] = s.Name
			}
		}
	}
	return out
}

// needsOf adds the recordings that a history played, which undo brings back.
func needsOf(steps []Step, out map[string]string) error {
	for _, st := range steps {
		var c struct {
			Sources []reel.Pair[reel.Source] `json:"sources"`
		}
		if err := json.Unmarshal(st.Change, &c); err != nil {
			return fmt.Errorf("step %d: %w", st.Revision, err)
		}
		for _, p := range c.Sources {
			for _, s := range []*reel.Source{p.Before, p.After} {
				if s != nil && s.Recording != "" && out[s.Recording] == "" {
					out[s.Recording] = s.Name
				}
			}
		}
	}
	return nil
}
