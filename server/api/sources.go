package api

import (
	"net/http"

	"blendseam/core/reel"
	"blendseam/server/answer"
	"blendseam/store"
)

// ListedSource is a source with what is known of its recording and its use.
type ListedSource struct {
	reel.Source
	Details store.Recording `json:"details"`
	Seen    *store.Picture  `json:"seen,omitempty"`  // of pictures
	Sound   reel.ID         `json:"sound,omitempty"` // what was recorded with a picture
	Used    []reel.ID       `json:"used"`            // clips
}

func (s *API) listSources(w http.ResponseWriter, r *http.Request) {
	v, err := s.version(r)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	used := map[reel.ID][]reel.ID{}
	for _, c := range v.Reel.Clips {
		used[c.Source] = append(used[c.Source], c.ID)
	}
	out := []ListedSource{}
	for _, src := range v.Reel.Sources {
		if src.Bed.Grown() || src.Unlisted && len(used[src.ID]) == 0 {
			continue
		}
		rec, _, err := s.Store.Recording(r.Context(), src.Recording, v.Reel.Props.SampleRate)
		if err != nil {
			s.Fail(w, r, err)
			return
		}
		one := ListedSource{Source: src, Details: rec, Used: append([]reel.ID{}, used[src.ID]...)}
		if src.Shows() && src.Recording != "" {
			if p, ok, err := s.Store.Picture(r.Context(), src.Recording); err == nil && ok {
				one.Seen = &p
			}
			if snd, ok := v.Reel.SoundOf(src); ok {
				one.Sound = snd.ID
			}
		}
		out = append(out, one)
	}
	answer.JSON(w, http.StatusOK, map[string]any{"sources": out})
}

func (s *API) renameSource(w http.ResponseWriter, r *http.Request) {
	var in struct {
		Name string `json:"name"`
	}
	if err := answer.ReadJSON(r, &in); err != nil {
		s.Fail(w, r, err)
		return
	}
	s.editSource(w, r, func(_ *reel.Reel, id reel.ID) (reel.Edit, error) {
		return &reel.SetSource{Source: id, Name: in.Name}, nil
	})
}

func (s *API) removeSource(w http.ResponseWriter, r *http.Request) {
	s.editSource(w, r, func(_ *reel.Reel, id reel.ID) (reel.Edit, error) { return &reel.RemoveSource{Source: id}, nil })
}

func (s *API) restoreSource(w http.ResponseWriter, r *http.Request) {
	s.editSource(w, r, func(doc *reel.Reel, id reel.ID) (reel.Edit, error) {
		src, ok := doc.Source(id)
		if !ok {
			return nil, answer.Bad("That source is not in this reel.")
		}
		return &reel.AddSource{Source: src}, nil
	})
}

// editSource makes an edit about the source that the path names.
func (s *API) editSource(w http.ResponseWriter, r *http.Request, make func(*reel.Reel, reel.ID) (reel.Edit, error)) {
	v, err := s.version(r)
	var id int64
	if err == nil {
		id, err = answer.PathInt(r, "source")
	}
	var edit reel.Edit
	if err == nil {
		edit, err = make(v.Reel, reel.ID(id))
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	res, err := s.Store.Library(r.Context(), v.ID, edit)
	s.done(w, r, res, err)
}
