package server

import (
	"context"
	"encoding/binary"
	"fmt"
	"net/http"
	"path/filepath"
	"strings"

	"github.com/go-chi/chi/v5"

	"blendseam/core/reel"
	"blendseam/media"
	"blendseam/store"
)

// mostFramesSent bounds one answer.
const mostFramesSent = 240

// getFrames sends frames of a picture: each a length of four bytes, the lowest
// first, and then that much of a JPEG. They never change.
func (s *Server) getFrames(w http.ResponseWriter, r *http.Request) {
	hash := chi.URLParam(r, "hash")
	from, err := queryInt(r, "from", 0)
	var count, step int64
	if err == nil {
		count, err = queryInt(r, "count", 1)
	}
	if err == nil {
		step, err = queryInt(r, "step", 1)
	}
	if err == nil && (from < 0 || count < 1 || count > mostFramesSent || step < 1 || step > 1<<30) {
		err = badRequest{fmt.Sprintf("Frames are asked for from one on, %d at most, with a step of one or more.", mostFramesSent)}
	}
	var frames *media.Frames
	if err == nil {
		frames, err = s.library.Frames(hash)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	// Frames that are lacking may come yet.
	if frames.Lacking() == 0 && immutable(w, r, hash[:16]+"-"+r.URL.RawQuery) {
		return
	}
	w.Header().Set("Content-Type", "application/octet-stream")
	for n := from; n < min(from+count*step, frames.Count()); n += step {
		b, err := frames.Frame(n)
		if err != nil {
			return // the answer is shorter than was asked for
		}
		var size [4]byte
		binary.LittleEndian.PutUint32(size[:], uint32(len(b)))
		if _, err := w.Write(append(size[:], b...)); err != nil {
			return
		}
	}
}

// takePicture keeps the frames of an upload that holds pictures and lists them
// in the reel. Also tells whether there is sound to take in too.
func (s *Server) takePicture(ctx context.Context, j *importJob, u *media.Upload) (made []reel.ID, sound bool, err error) {
	select {
	case s.imports.looks <- struct{}{}:
	case <-ctx.Done():
		return nil, false, ctx.Err()
	}
	p, ok, err := s.library.Look(ctx, u)
	<-s.imports.looks
	if err != nil || !ok {
		return nil, true, err
	}
	known, have, err := s.store.Picture(ctx, u.Hash)
	if err != nil {
		return nil, false, err
	}
	if frames, lacks := s.library.Frames(u.Hash); !have || lacks != nil || frames.Lacking() > 0 {
		s.imports.set(j, func(j *importJob) { j.State, j.Progress, j.Kind = "reading", 0, "frames" })
		turn, err := s.imports.wait(ctx)
		if err != nil {
			return nil, false, err
		}
		took, err := s.library.Take(ctx, u, p, func(done float64) {
			turn.sign()
			s.imports.set(j, func(j *importJob) { j.Progress = done })
		})
		turn.end()
		if err != nil {
			return nil, false, err
		}
		s.repaired(u.Hash)
		known = store.Picture{Hash: took.Hash, FileName: u.Name, Format: took.Format, Bytes: took.Bytes, Rate: took.Rate, Frames: took.Frames, Width: took.Width, Height: took.Height, StartFrame: took.StartFrame, Note: took.Note}
		if err := s.store.SavePicture(ctx, known); err != nil {
			return nil, false, err
		}
	}
	v, err := s.store.Load(ctx, j.reel)
	if err != nil {
		return nil, false, err
	}
	src := pictureSource(known, v.Reel.Props)
	src.Name = distinctKind(v.Reel, true, strings.TrimSuffix(u.Name, filepath.Ext(u.Name)))
	res, err := s.store.Library(ctx, j.reel, &reel.AddSource{Source: src})
	if no, again := err.(*reel.Refusal); again {
		s.imports.set(j, func(j *importJob) { j.Detail = no.Error() }) // told, not failed
		return nil, p.Sound, nil
	}
	if err != nil {
		return nil, false, err
	}
	s.tell(res)
	s.imports.set(j, func(j *importJob) { j.Detail, j.Kind = known.Note, "" })
	return res.Outcome.Made, p.Sound, nil
}

// pictureSource is a picture as a source of a reel, without a name.
func pictureSource(p store.Picture, props reel.Props) reel.Source {
	src := reel.Source{Recording: p.Hash, Left: -1, Right: -1, StartTC: -1, Picture: reel.Picture{Rate: p.Rate, Frames: p.Frames, Width: p.Width, Height: p.Height}}
	src.Length = src.Picture.Lasts(props)
	if p.StartFrame >= 0 {
		src.StartTC = p.Rate.Sample(p.StartFrame, props.SampleRate)
	}
	return src
}
