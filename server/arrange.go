package server

import (
	"context"
	"net/http"

	"blendseam/core/reel"
)

// postExcerpt copies clips, or what sounds on tracks in a span, for a paste.
// The reel stays as it is.
func (s *Server) postExcerpt(w http.ResponseWriter, r *http.Request) {
	var in struct {
		Clips  []reel.ID `json:"clips"`
		From   int64     `json:"from"`
		To     int64     `json:"to"`
		Tracks []reel.ID `json:"tracks"`
	}
	v, err := s.version(r)
	if err == nil {
		err = readJSON(w, r, &in)
	}
	var x reel.Excerpt
	switch {
	case err != nil:
	case len(in.Clips) > 0:
		x, err = v.Reel.CopyClips(in.Clips)
	default:
		x, err = v.Reel.CopySpan(in.From, in.To, in.Tracks)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	writeJSON(w, http.StatusOK, x)
}

// brings lets a paste bring the recordings along that the reel lacks, as far as
// this server keeps them at the reel's sample rate.
func (s *Server) brings(ctx context.Context, doc *reel.Reel, edit reel.Edit) error {
	paste, ok := edit.(*reel.Paste)
	if !ok {
		return nil
	}
	for _, src := range doc.Lacks(paste.What) {
		known := reel.Source{Recording: src.Recording, Name: src.Name, Left: src.Left, Right: src.Right, StartTC: -1}
		if src.Shows() {
			p, ok, err := s.store.Picture(ctx, src.Recording)
			if err != nil {
				return err
			}
			if !ok {
				continue
			}
			known = pictureSource(p, doc.Props)
		} else {
			rec, ok, err := s.store.Recording(ctx, src.Recording, doc.Props.SampleRate)
			if err != nil {
				return err
			}
			if !ok || src.Left < 0 || src.Left >= rec.Channels || src.Right >= rec.Channels {
				continue
			}
			known.Length, known.StartTC = rec.Length, rec.StartTC
		}
		paste.Known = append(paste.Known, known)
	}
	return nil
}

func (s *Server) listVersions(w http.ResponseWriter, r *http.Request) {
	v, err := s.version(r)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	kept, err := s.store.Versions(r.Context(), v.ID)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	writeJSON(w, http.StatusOK, map[string]any{"versions": kept})
}

func (s *Server) keepVersion(w http.ResponseWriter, r *http.Request) {
	var in struct {
		Name string `json:"name"`
	}
	id, err := pathInt(r, "reel")
	if err == nil {
		err = readJSON(w, r, &in)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	kept, err := s.store.Keep(r.Context(), id, in.Name)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	writeJSON(w, http.StatusCreated, kept)
}

// versionPath are the reel and the version that a path names.
func versionPath(r *http.Request) (id, version int64, err error) {
	if id, err = pathInt(r, "reel"); err == nil {
		version, err = pathInt(r, "version")
	}
	return id, version, err
}

func (s *Server) letGoVersion(w http.ResponseWriter, r *http.Request) {
	id, version, err := versionPath(r)
	if err == nil {
		err = s.store.LetGo(r.Context(), id, version)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}

func (s *Server) goToVersion(w http.ResponseWriter, r *http.Request) {
	id, version, err := versionPath(r)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	res, err := s.store.GoToVersion(r.Context(), id, version)
	s.answer(w, r, res, err)
}

func (s *Server) openVersion(w http.ResponseWriter, r *http.Request) {
	id, version, err := versionPath(r)
	var made int64
	if err == nil {
		made, err = s.store.OpenVersion(r.Context(), id, version)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	writeJSON(w, http.StatusCreated, map[string]int64{"id": made})
}
