package api

import (
	"context"
	"net/http"
	"slices"

	"blendseam/core/conform"
	"blendseam/core/reel"
	"blendseam/server/answer"
	"blendseam/server/live"
	"blendseam/store"
)

func (s *API) sourceRoutes() {
	get(s, "/reels/{reel}/sources", "listSources", "The sources of a reel, with where each is used", s.listSources)
	handle(s, operation(http.MethodPatch, "/reels/{reel}/sources/{source}", "renameSource", "Rename a source", http.StatusOK), sending(s.renameSource))
	handle(s, operation(http.MethodDelete, "/reels/{reel}/sources/{source}", "removeSource", "Take a source off the list; clips of it stay", http.StatusOK), sending(func(ctx context.Context, in *OfSource) (live.Changed, error) {
		return s.done(s.Store.Library(ctx, in.Reel, &reel.RemoveSource{Source: in.Source}))
	}))
	post(s, "/reels/{reel}/sources/{source}/restore", "restoreSource", "Put a source back on the list", s.restoreSource)
	get(s, "/reels/{reel}/takes", "getTakes", "Takes that came as several files", s.getTakes)
	create(s, "/reels/{reel}/takes", "postTake", "Join the files of a take, as a job", s.postTake)
	get(s, "/reels/{reel}/sources/{source}/marks", "getMarks", "What the file of a source has marked", s.getMarks)
	post(s, "/reels/{reel}/sources/{source}/marks", "postMarks", "Put markers into the reel wherever a mark of a source is played", s.postMarks)
	post(s, "/reels/{reel}/wanted", "postWanted", "Which of the files of a folder have the name of a source without media. Nothing is changed", s.postWanted)
	get(s, "/reels/{reel}/missing", "getMissing", "Sources without media, with the recording that each could be", s.getMissing)
}

// OfSource is a request about a source.
type OfSource struct {
	OfReel
	Source reel.ID `path:"source" minimum:"0"`
}

// ListedSource is a source with what is known of its recording and its use.
type ListedSource struct {
	reel.Source
	Details store.Recording `json:"details"`
	Seen    *store.Picture  `json:"seen,omitempty" doc:"of pictures"`
	Sound   reel.ID         `json:"sound,omitempty" doc:"the source that was recorded with a picture"`
	Used    []reel.ID       `json:"used" doc:"clips"`
	Gone    bool            `json:"gone" doc:"nobody has its recording any more"`
}

// SourceList are the sources of a reel.
type SourceList struct {
	Sources []ListedSource `json:"sources"`
}

func (s *API) listSources(ctx context.Context, in *OfReel) (SourceList, error) {
	out := SourceList{[]ListedSource{}}
	v, err := s.Store.Load(ctx, in.Reel)
	if err != nil {
		return out, err
	}
	recordings, err := s.Store.RecordingsOf(ctx, v.ID)
	if err != nil {
		return out, err
	}
	pictures, err := s.Store.PicturesOf(ctx, v.ID)
	if err != nil {
		return out, err
	}
	gone, used := s.gone(v.Reel), map[reel.ID][]reel.ID{}
	for _, c := range v.Reel.Clips {
		used[c.Source] = append(used[c.Source], c.ID)
	}
	for _, src := range v.Reel.Sources {
		if src.Bed.Grown() || src.Fitted() || src.Unlisted && len(used[src.ID]) == 0 {
			continue
		}
		one := ListedSource{Source: src, Details: recordings[src.Recording], Used: some(used[src.ID]), Gone: gone(src)}
		if src.Shows() && src.Recording != "" {
			if p, ok := pictures[src.Recording]; ok {
				one.Seen = &p
			}
			if snd, ok := v.Reel.SoundOf(src); ok {
				one.Sound = snd.ID
			}
		}
		out.Sources = append(out.Sources, one)
	}
	return out, nil
}

// SourceRequest names a source, and the group that it is listed in.
type SourceRequest struct {
	Name   string  `json:"name"`
	Folder *string `json:"folder,omitempty" doc:"names parted by slashes; left out to leave it where it is"`
}

func (s *API) renameSource(ctx context.Context, in *struct {
	OfSource
	Body SourceRequest
}) (live.Changed, error) {
	return s.done(s.Store.Library(ctx, in.Reel, &reel.SetSource{Source: in.Source, Name: in.Body.Name, Folder: in.Body.Folder}))
}

func (s *API) restoreSource(ctx context.Context, in *OfSource) (live.Changed, error) {
	v, err := s.Store.Load(ctx, in.Reel)
	if err != nil {
		return live.Changed{}, err
	}
	src, ok := v.Reel.Source(in.Source)
	if !ok {
		return live.Changed{}, answer.Bad("That source is not in this reel.")
	}
	return s.done(s.Store.Library(ctx, in.Reel, &reel.AddSource{Source: src}))
}

// FileList are names of files.
type FileList struct {
	Files []string `json:"files"`
}

// FolderFiles are the files of a folder.
type FolderFiles struct {
	Files []string `json:"files"`
	Bytes []int64  `json:"bytes,omitempty" doc:"how long each is: one of another name may be the very file"`
}

func (s *API) postWanted(ctx context.Context, in *struct {
	OfReel
	Body FolderFiles
}) (FileList, error) {
	v, err := s.Store.Load(ctx, in.Reel)
	if err != nil {
		return FileList{}, err
	}
	gone := s.gone(v.Reel)
	out := FileList{conform.Wanted(v.Reel, in.Body.Files, gone)}
	if len(in.Body.Bytes) != len(in.Body.Files) {
		return out, nil
	}
	recordings, err := s.Store.RecordingsOf(ctx, v.ID)
	if err != nil {
		return FileList{}, err
	}
	lost := map[int64]bool{}
	for _, src := range v.Reel.Sources {
		if rec, ok := recordings[src.Recording]; ok && rec.Bytes > 0 && gone(src) {
			lost[rec.Bytes] = true
		}
	}
	for i, name := range in.Body.Files {
		if lost[in.Body.Bytes[i]] && !slices.Contains(out.Files, name) {
			out.Files = append(out.Files, name)
		}
	}
	return out, nil
}

// gone tells which sources of a reel nobody has the recording of any more.
func (s *API) gone(r *reel.Reel) func(reel.Source) bool {
	return func(src reel.Source) bool { return s.Library.Gone(src, r.Props.SampleRate) }
}

// MissingSource is a source that is known by name alone, and what of the reel's
// recordings it could be.
type MissingSource struct {
	conform.Missing
	Gone bool  `json:"gone" doc:"it was recorded here once; its very file brings it back"`
	Edit *Edit `json:"edit,omitempty" doc:"links it to the recording that it surely is"`
}

// MissingList are the sources of a reel without media.
type MissingList struct {
	Revision int64           `json:"revision"`
	Missing  []MissingSource `json:"missing"`
}

// getMissing lists what is missing, with the recording that each is by its
// name, where there is one.
func (s *API) getMissing(ctx context.Context, in *OfReel) (MissingList, error) {
	v, err := s.Store.Load(ctx, in.Reel)
	out := MissingList{v.Revision, []MissingSource{}}
	if err != nil {
		return out, err
	}
	gone := s.gone(v.Reel)
	for _, m := range conform.MissingOf(v.Reel, gone) {
		one := MissingSource{Missing: m, Gone: !m.Missing()}
		if m.Link != nil {
			if one.Edit, err = written(m.Link); err != nil {
				return out, err
			}
		}
		out.Missing = append(out.Missing, one)
	}
	return out, nil
}
