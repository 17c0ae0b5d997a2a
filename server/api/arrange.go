package api

import (
	"context"
	"net/http"

	"blendseam/core/reel"
	"blendseam/server/answer"
	"blendseam/work"
)

// postExcerpt copies clips, or what sounds on tracks in a span, for a paste.
// The reel stays as it is.
func (s *API) postExcerpt(w http.ResponseWriter, r *http.Request) {
	var in struct {
		Clips  []reel.ID `json:"clips"`
		From   int64     `json:"from"`
		To     int64     `json:"to"`
		Tracks []reel.ID `json:"tracks"`
	}
	v, err := s.version(r)
	if err == nil {
		err = answer.ReadJSON(r, &in)
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
		s.Fail(w, r, err)
		return
	}
	answer.JSON(w, http.StatusOK, x)
}

// brings lets a paste bring the recordings along that the reel lacks, as far as
// this server keeps them at the reel's sample rate.
func (s *API) brings(ctx context.Context, doc *reel.Reel, edit reel.Edit) error {
	paste, ok := edit.(*reel.Paste)
	if !ok {
		return nil
	}
	for _, src := range doc.Lacks(paste.What) {
		known := reel.Source{Recording: src.Recording, Name: src.Name, Left: src.Left, Right: src.Right, StartTC: -1}
		if src.Shows() {
			p, ok, err := s.Store.Picture(ctx, src.Recording)
			if err != nil {
				return err
			}
			if !ok {
				continue
			}
			known = work.PictureSource(p, doc.Props)
		} else {
			rec, ok, err := s.Store.Recording(ctx, src.Recording, doc.Props.SampleRate)
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

func (s *API) listVersions(w http.ResponseWriter, r *http.Request) {
	v, err := s.version(r)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	kept, err := s.Store.Versions(r.Context(), v.ID)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	answer.JSON(w, http.StatusOK, map[string]any{"versions": kept})
}

func (s *API) keepVersion(w http.ResponseWriter, r *http.Request) {
	var in struct {
		Name string `json:"name"`
	}
	id, err := answer.PathInt(r, "reel")
	if err == nil {
		err = answer.ReadJSON(r, &in)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	kept, err := s.Store.Keep(r.Context(), id, in.Name)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	answer.JSON(w, http.StatusCreated, kept)
}

// versionPath are the reel and the version that a path names.
func versionPath(r *http.Request) (id, version int64, err error) {
	if id, err = answer.PathInt(r, "reel"); err == nil {
		version, err = answer.PathInt(r, "version")
	}
	return id, version, err
}

func (s *API) letGoVersion(w http.ResponseWriter, r *http.Request) {
	id, version, err := versionPath(r)
	if err == nil {
		err = s.Store.LetGo(r.Context(), id, version)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}

func (s *API) goToVersion(w http.ResponseWriter, r *http.Request) {
	id, version, err := versionPath(r)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	res, err := s.Store.GoToVersion(r.Context(), id, version)
	s.done(w, r, res, err)
}

func (s *API) openVersion(w http.ResponseWriter, r *http.Request) {
	id, version, err := versionPath(r)
	var made int64
	if err == nil {
		made, err = s.Store.OpenVersion(r.Context(), id, version)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	answer.JSON(w, http.StatusCreated, map[string]int64{"id": made})
}
