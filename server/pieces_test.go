package server

import (
	"bytes"
	"fmt"
	"slices"
	"sync"
	"testing"

	"blendseam/core/reel"
)

// A player asks for a reel in pieces, several at once and out of order: put
// together they are the reel rendered whole, byte for byte; and after an edit,
// the reel after it.
func TestPiecesAreTheWhole(t *testing.T) {
	r := newRig(t)
	const piece, pieces = 9001, 24
	from := r.reel(1).Reel.Clips[0].Start
	ask := func(from, to int64, more string) []byte {
		res, b := r.request("GET", fmt.Sprintf("/api/v1/reels/1/pcm?from=%d&to=%d%s", from, to, more), nil, nil)
		if res.StatusCode != 200 {
			t.Errorf("%d: %s", res.StatusCode, b)
		}
		return b
	}
	together := func(more string) []byte {
		parts := make([][]byte, pieces)
		var all sync.WaitGroup
		for k := range pieces {
			all.Go(func() {
				at := from + int64((k*7)%pieces)*piece
				parts[(k*7)%pieces] = ask(at, at+piece, more)
			})
		}
		all.Wait()
		return slices.Concat(parts...)
	}
	seen := map[string]bool{}
	same := func(what, more string) {
		whole := ask(from, from+piece*pieces, more)
		if !bytes.Equal(together(more), whole) {
			t.Errorf("%s: the pieces are not the whole", what)
		}
		if seen[string(whole)] {
			t.Errorf("%s sounds like one before", what)
		}
		seen[string(whole)] = true
	}
	same("as it is", "")
	clip, down := r.reel(1).Reel.Clips[0], -7.0
	same("without a clip", fmt.Sprintf("&silent=%d", clip.ID))
	r.edit(1, &reel.SetClip{Clip: clip.ID, GainDB: &down})
	same("after an edit", "")
	if was := ask(from, from+piece*pieces, "&before=1"); !seen[string(was)] {
		t.Error("before the edit it does not sound as it did")
	}
}
