package bundle

import (
	"encoding/json"
	"time"

	"blendseam/core/reel"
)

// Handed is a reel with all that is kept of it but its sound, as it goes from one
// place to another.
type Handed struct {
	Reel     *reel.Reel
	Revision int64
	Steps    []Step    // its journal, the oldest first; none where it begins anew
	Versions []Version // named, the oldest first
	Accepted []string  // prints of seams that were found good
}

// Step is a row of a journal.
type Step struct {
	Revision int64           `json:"revision"`
	Kind     string          `json:"kind"`  // step, undo, redo, library or repair
	State    string          `json:"state"` // done, undone or dropped
	Target   int64           `json:"target,omitempty"`
	Label    string          `json:"label"`
	At       time.Time       `json:"at"`
	Change   json.RawMessage `json:"change"`
}

// Version is a named version of a reel.
type Version struct {
	Name     string     `json:"name"`
	Revision int64      `json:"revision"`
	At       time.Time  `json:"at"`
	Reel     *reel.Reel `json:"reel"`
}
