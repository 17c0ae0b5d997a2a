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

// NewLoudness is a memory of what was measured of the loudness of reels, so that after
// an edit only that is listened to again which it has altered.
func NewLoudness() level.Memory {
	pieces, _ := lru.New[string, level.Piece](mostLoudPieces) // it fails for sizes below one
	phrases, _ := lru.New[string, level.Phrase](mostPhrases)
	return level.Memory{Pieces: pieces, Phrases: phrases}
}
