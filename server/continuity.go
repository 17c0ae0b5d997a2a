package server

import (
	"context"
	"net/http"
	"sync"
	"time"

	"blendseam/core/reel"
	"blendseam/core/roomtone"
)

// heardPieces keeps what was found of stretches of programmes by the print of
// all that sounds in them, so that an edit renders anew only what it touched.
type heardPieces struct {
	one  sync.Mutex // one reel at a time: listening leaves a core to those who play
	mu   sync.Mutex
	kept map[string]roomtone.Piece
}

// breath is left between pieces that have to be rendered, so that those who play
// are served first.
const breath = 4 * time.Millisecond

// mostPieces bounds them: some four hours, at 2 kB each.
const mostPieces = 4000

// continuity is the room through a whole reel, and its holes.
func (s *Server) continuity(ctx context.Context, r *reel.Reel) (roomtone.Continuity, error) {
	s.pieces.one.Lock()
	defer s.pieces.one.Unlock()
	rate := r.Props.SampleRate
	per, length := int64(roomtone.PieceSeconds)*int64(rate), r.Length()
	printer := roomtone.NewPrinter(r)
	pieces := make([]roomtone.Piece, 0, length/per+1)
	for at := int64(0); at < length; at += per {
		to := min(at+per, length)
		print := printer.Print(at, to)
		s.pieces.mu.Lock()
		p, ok := s.pieces.kept[print]
		s.pieces.mu.Unlock()
		if !ok {
			var err error
			if p, err = roomtone.Listen(ctx, r, s.opener(rate), at, to); err != nil {
				return roomtone.Continuity{}, err
			}
			s.pieces.mu.Lock()
			if s.pieces.kept == nil || len(s.pieces.kept) >= mostPieces {
				s.pieces.kept = map[string]roomtone.Piece{}
			}
			s.pieces.kept[print] = p
			s.pieces.mu.Unlock()
			time.Sleep(breath)
		}
		pieces = append(pieces, p)
	}
	hole := r.Props.Limits.Full().Hole
	least := hole.Hear
	if least < 0 {
		least = hole.Mend
	}
	return roomtone.Join(pieces, rate, length, max(int64(least*float64(rate)/1000), 1)), nil
}

// getContinuity sends the room through the reel as it will sound.
func (s *Server) getContinuity(w http.ResponseWriter, r *http.Request) {
	v, err := s.version(r)
	var c roomtone.Continuity
	if err == nil {
		c, err = s.continuity(r.Context(), v.Reel)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	writeJSON(w, http.StatusOK, struct {
		Revision int64 `json:"revision"`
		roomtone.Continuity
	}{v.Revision, c})
}

// holesIn are the holes of a reel that lie in a span of it, as far as they do.
func (s *Server) holesIn(ctx context.Context, r *reel.Reel, from, to int64) ([][2]int64, error) {
	c, err := s.continuity(ctx, r)
	out := [][2]int64{}
	for _, h := range c.Holes {
		if a, b := max(h[0], from), min(h[1], to); a < b {
			out = append(out, [2]int64{a, b})
		}
	}
	return out, err
}
