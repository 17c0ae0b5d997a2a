package api

import (
	"context"

	"blendseam/core/reel"
	"blendseam/media/wav"
	"blendseam/server/answer"
	"blendseam/server/live"
	"blendseam/store"
)

// SourceMark is a place or a stretch of a recording with a word on it, as its file has it.
type SourceMark struct {
	At     int64  `json:"at" doc:"samples of the source"`
	Length int64  `json:"length" doc:"0 for a place"`
	Text   string `json:"text"`
}

// SourceMarks are the marks of a source.
type SourceMarks struct {
	Marks []SourceMark `json:"marks"`
}

// marksOf reads the marks in the file of a source.
func (s *API) marksOf(ctx context.Context, in OfSource) (v store.Version, told wav.Tells, err error) {
	if v, err = s.Store.Load(ctx, in.Reel); err != nil {
		return
	}
	src, ok := v.Reel.Source(in.Source)
	if !ok {
		return v, told, answer.Bad("That source is not in this reel.")
	}
	if src.Bed.Grown() || src.Shows() || src.Fitted() {
		return v, told, nil
	}
	told, err = s.Library.Tells(src.Recording, v.Reel.Props.SampleRate)
	return
}

// getMarks tells what the file of a source has marked.
func (s *API) getMarks(ctx context.Context, in *OfSource) (SourceMarks, error) {
	out := SourceMarks{[]SourceMark{}}
	_, told, err := s.marksOf(ctx, *in)
	for _, m := range told.Marks {
		out.Marks = append(out.Marks, SourceMark{m.At, m.Length, m.Text})
	}
	return out, err
}

// postMarks puts markers into the reel wherever a mark of a source is played, as one step.
func (s *API) postMarks(ctx context.Context, in *OfSource) (live.Changed, error) {
	v, told, err := s.marksOf(ctx, *in)
	if err != nil {
		return live.Changed{}, err
	}
	var marks []reel.Mark
	for _, m := range told.Marks {
		marks = append(marks, reel.Mark{At: m.At, Text: m.Text})
	}
	played := v.Reel.Played(in.Source, marks)
	switch {
	case len(marks) == 0:
		return live.Changed{}, answer.Bad("The file of this source has no markers.")
	case len(played) == 0:
		return live.Changed{}, answer.Bad("No clip plays a marked place, or the reel has all these markers already.")
	}
	e := &reel.Together{Label: markersLabel(len(played))}
	for _, m := range played {
		e.Edits = append(e.Edits, &m)
	}
	return s.done(s.Store.Do(ctx, v.ID, v.Revision, e))
}
