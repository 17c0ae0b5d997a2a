package work

import (
	lru "github.com/hashicorp/golang-lru/v2"

	"blendseam/core/level"
)

// Bounds of what is remembered of loudness: some eight thousand bytes for ten seconds,
// a hundred for a phrase.
const (
	mostLoudPieces = 3_000
	mostPhrases    = 50_000
)

// Loudness is a memory of what was measured of the loudness of reels, so that after
// an edit only that is listened to again which it has altered.
type Loudness struct {
	level.Memory
	pieces  *lru.Cache[string, level.Piece]
	phrases *lru.Cache[string, level.Phrase]
}

// NewLoudness remembers nothing yet.
func NewLoudness() *Loudness {
	pieces, _ := lru.New[string, level.Piece](mostLoudPieces) // it fails for sizes below one
	phrases, _ := lru.New[string, level.Phrase](mostPhrases)
	return &Loudness{level.Memory{Pieces: pieces, Phrases: phrases}, pieces, phrases}
}

// Forget has all be listened to again: a recording that was silent is there now.
func (m *Loudness) Forget() {
	m.pieces.Purge()
	m.phrases.Purge()
}
