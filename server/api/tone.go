package api

import (
	"context"
	"errors"
	"slices"

	"blendseam/core/reel"
	"blendseam/core/roomtone"
	"blendseam/server/answer"
	"blendseam/store"
)

func (s *API) toneRoutes() {
	get(s, "/reels/{reel}/strikes/{strike}/covers", "getCovers", "Room tone for a strike, the likest first", s.getCovers)
	get(s, "/reels/{reel}/strikes/{strike}/tighter", "getTighter", "Edges for a strike where its sound starts and ends", s.getTighter)
	get(s, "/reels/{reel}/clips/{clip}/tones", "getTones", "Other room tone for a clip of it", s.getTones)
	get(s, "/reels/{reel}/rooms", "listRooms", "The swatches of a reel and the synthetic rooms", s.listRooms)
	get(s, "/reels/{reel}/quiet", "getQuiet", "The quiet stretches of a source, or of all", s.getQuiet)
	get(s, "/reels/{reel}/continuity", "getContinuity", "The room through the reel as it sounds, and its holes", s.getContinuity)
}

// Offered is tone that could go to a place, with the edit that lays it there.
type Offered struct {
	roomtone.Candidate
	Edit *Edit `json:"edit"`
}

// others are what tone can be taken from besides what is found: the reel's
// swatches and the made-up rooms.
func (s *API) others(r *reel.Reel) []roomtone.Sample {
	return append(roomtone.Kept(r, s.opener(r.Props.SampleRate)), s.Quiet.Rooms(r.Props.SampleRate)...)
}

// offers writes candidates with the edits that take them.
func offers(all []roomtone.Candidate, edit func(roomtone.Candidate) reel.Edit) ([]Offered, error) {
	out := make([]Offered, 0, len(all))
	for _, c := range all {
		text, err := written(edit(c))
		if err != nil {
			return nil, err
		}
		out = append(out, Offered{c, text})
	}
	return out, nil
}

// which of the candidates a source was grown of, −1 for none.
func which(all []roomtone.Candidate, src reel.Source) int {
	return slices.IndexFunc(all, func(c roomtone.Candidate) bool { return c.Of(src) })
}

// OfStrike is a request about a struck span.
type OfStrike struct {
	OfReel
	Strike reel.ID `path:"strike" minimum:"0"`
}

func (q OfStrike) in(ctx context.Context, s *API) (store.Version, reel.Strike, error) {
	v, err := s.Store.Load(ctx, q.Reel)
	if err != nil {
		return v, reel.Strike{}, err
	}
	k, ok := v.Reel.Strike(q.Strike)
	if !ok {
		err = answer.Bad("That strike is gone.")
	}
	return v, k, err
}

// CoverList is tone for a struck span.
type CoverList struct {
	Revision int64     `json:"revision"`
	Covers   []Offered `json:"covers"`
	Now      int       `json:"now" doc:"which of them covers it, −1 for none"`
}

// getCovers ranks tone for a struck span, the likest first.
func (s *API) getCovers(ctx context.Context, in *struct {
	OfStrike
	Tint bool `query:"tint" doc:"its colour is brought to the room's too"`
}) (CoverList, error) {
	v, k, err := in.in(ctx, s)
	if err != nil {
		return CoverList{}, err
	}
	all, err := roomtone.ForStrike(ctx, v.Reel, s.opener(v.Reel.Props.SampleRate), s.Quiet.Finder(v.Reel), k, s.others(v.Reel), in.Tint)
	if err != nil {
		return CoverList{}, err
	}
	src, _ := v.Reel.Source(k.Cover.Source)
	out, err := offers(all, func(c roomtone.Candidate) reel.Edit { return c.Cover(k.ID) })
	return CoverList{v.Revision, out, which(all, src)}, err
}

// ToneList is other tone for a clip of tone.
type ToneList struct {
	Revision int64     `json:"revision"`
	Tones    []Offered `json:"tones"`
	Now      int       `json:"now" doc:"which of them it is grown of, −1 for none"`
}

// getTones ranks other tone for a clip of tone.
func (s *API) getTones(ctx context.Context, in *struct {
	OfReel
	Clip reel.ID `path:"clip" minimum:"0"`
	Tint bool    `query:"tint" doc:"its colour is brought to the room's too"`
}) (ToneList, error) {
	v, err := s.Store.Load(ctx, in.Reel)
	if err != nil {
		return ToneList{}, err
	}
	clip, there := v.Reel.Clip(in.Clip)
	if !there {
		return ToneList{}, answer.Bad("That clip is gone.")
	}
	all, err := roomtone.ForLaid(ctx, v.Reel, s.opener(v.Reel.Props.SampleRate), s.Quiet.Finder(v.Reel), clip, s.others(v.Reel), in.Tint)
	if err != nil {
		return ToneList{}, err
	}
	src, _ := v.Reel.Source(clip.Source)
	out, err := offers(all, func(c roomtone.Candidate) reel.Edit { return c.Instead(clip.ID) })
	return ToneList{v.Revision, out, which(all, src)}, err
}

// Tighter are edges for a struck span.
type Tighter struct {
	Revision int64 `json:"revision"`
	From     int64 `json:"from" doc:"in the time of the source, samples"`
	To       int64 `json:"to"`
	Edit     *Edit `json:"edit"`
}

// getTighter proposes edges for a struck span: where its sound rises from the
// room and sinks to it.
func (s *API) getTighter(ctx context.Context, in *OfStrike) (Tighter, error) {
	v, k, err := in.in(ctx, s)
	if err != nil {
		return Tighter{}, err
	}
	from, to, ok, err := roomtone.Tighter(v.Reel, s.opener(v.Reel.Props.SampleRate), k)
	if err == nil && !ok {
		err = answer.Bad("Nothing in the strike is louder than the room: no edges to snap to.")
	}
	if err != nil {
		return Tighter{}, err
	}
	edit, err := written(&reel.SetStrike{Strike: k.ID, From: &from, To: &to})
	return Tighter{v.Revision, from, to, edit}, err
}

// HeardRoom is a swatch or a synthetic room with what it sounds like.
type HeardRoom struct {
	ID      reel.ID `json:"id,omitempty"`
	Name    string  `json:"name"`
	Source  reel.ID `json:"source,omitempty"`
	From    int64   `json:"from"`
	To      int64   `json:"to"`
	Level   float64 `json:"level" doc:"dBFS"`
	Slope   float64 `json:"slope" doc:"dB an octave"`
	Even    float64 `json:"even"`
	Problem string  `json:"problem,omitempty"`
}

// RoomList are the swatches of a reel and the synthetic rooms.
type RoomList struct {
	Swatches []HeardRoom `json:"swatches"`
	Rooms    []HeardRoom `json:"rooms"`
}

func (s *API) listRooms(ctx context.Context, in *OfReel) (RoomList, error) {
	out := RoomList{[]HeardRoom{}, []HeardRoom{}}
	v, err := s.Store.Load(ctx, in.Reel)
	if err != nil {
		return out, err
	}
	open := s.opener(v.Reel.Props.SampleRate)
	for _, k := range v.Reel.Swatches {
		src, _ := v.Reel.Source(k.Source)
		one := HeardRoom{ID: k.ID, Name: k.Name, Source: k.Source, From: k.From, To: k.To}
		q, err := roomtone.Measure(v.Reel, open, src, k.From, k.To)
		switch {
		case errors.Is(err, roomtone.ErrSilent):
			one.Problem = "digital silence"
		case err != nil:
			one.Problem = "its recording cannot be read"
		default:
			one.Level, one.Slope, one.Even = q.Level, q.Slope, q.Even
		}
		out.Swatches = append(out.Swatches, one)
	}
	for _, q := range s.Quiet.Rooms(v.Reel.Props.SampleRate) {
		out.Rooms = append(out.Rooms, HeardRoom{Name: q.Name, Level: q.Level, Slope: q.Slope})
	}
	return out, nil
}

// QuietOf are the quiet stretches of one source.
type QuietOf struct {
	Source reel.ID `json:"source"`
	roomtone.Found
}

// QuietList are the quiet stretches of sources.
type QuietList struct {
	Sources []QuietOf `json:"sources"`
}

// getQuiet finds the quiet stretches of a source, or of all.
func (s *API) getQuiet(ctx context.Context, in *struct {
	OfReel
	Source reel.ID `query:"source" doc:"0 for all"`
	Name   string  `query:"name" doc:"under which progress is told to those who watch"`
}) (QuietList, error) {
	out := QuietList{[]QuietOf{}}
	v, err := s.Store.Load(ctx, in.Reel)
	if err != nil {
		return out, err
	}
	var sources []reel.Source
	for _, src := range v.Reel.Sources {
		if heard := !src.Bed.Grown() && !src.Shows() && !src.Missing(); heard && (!src.Unlisted && in.Source == 0 || src.ID == in.Source) {
			sources = append(sources, src)
		}
	}
	if len(sources) == 0 {
		return out, answer.Bad("That source is not in this reel.")
	}
	if len(in.Name) > maxSearchName {
		return out, answer.Bad("The name of a search is too long.")
	}
	tell := s.progress(v.ID, "quiet", in.Name)
	for i, src := range sources {
		f, err := s.Quiet.Find(ctx, src, v.Reel.Props.SampleRate, 0, src.Length, func(p float64) { tell((float64(i) + p) / float64(len(sources))) })
		if err != nil {
			return out, err
		}
		out.Sources = append(out.Sources, QuietOf{src.ID, f})
	}
	return out, nil
}
